import { stringify } from 'csv-stringify/sync';
import Joi from 'joi';
import { auditKinds, auditWords, type AuditKind } from '$core/access/audit';
import { auditOf, type AuditAsked } from '../../access/audit';
import {
  addMember,
  changeMember,
  giveToGroup,
  groupsIn,
  membersOf,
  removeMember,
  takeFromGroup,
} from '../../access/members';
import { callsOf, makeOwnToken, revokeToken, tokensOf, type TokenWish } from '../../access/tokens';
import type { RoleId } from '../../database/catalogue';
import { endpoint, workspaceEndpoint } from '../../http/endpoint';
import { wholeNumber } from '../../base/numbers';
import { defused } from '$core/base/defused';
import { numberAt } from '../workspaces';

const role = Joi.string()
  .max(63)
  .description('by its id: administrator, designer, editor, reader, or one of the workspace’s own');

export const getMembers = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/members',
  summary: 'Who is in a workspace, by which role, since when, and last seen',
  needs: 'see',
  answers: '{items: [{id, name, email, post, role, roleLabel, since, seenAt, via}], next: null}',
  answer: async ({ pool, access }) => ({ items: await membersOf(pool, access), next: null }),
});

export const postMember = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/members',
  summary: 'Add somebody of the Directory, by id or address',
  needs: 'people',
  body: Joi.object({
    person: Joi.alternatives(wholeNumber, Joi.string().trim().max(200)).required(),
    role: role.required(),
  }),
  answers: 'the member',
  answer: ({ pool, access, body }) => addMember(pool, access, body as { person: number | string; role: RoleId }),
});

export const patchMember = workspaceEndpoint({
  method: 'PATCH',
  path: '/api/workspaces/{ws}/members/{person}',
  summary: 'Give a member another role; the last administrator stays one',
  needs: 'people',
  body: Joi.object({ role: role.required() }),
  answers: 'the member',
  answer: ({ pool, access, params, body }) =>
    changeMember(pool, access, numberAt(params.person), (body as { role: RoleId }).role),
});

export const deleteMember = workspaceEndpoint({
  method: 'DELETE',
  path: '/api/workspaces/{ws}/members/{person}',
  summary: 'Remove a member, or leave by yourself; what they entered stays',
  needs: 'see',
  answers: '{}',
  answer: async ({ pool, access, params }) => {
    await removeMember(pool, access, numberAt(params.person));
    return {};
  },
});

export const getGroupMembers = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/groups',
  summary: 'The groups that a workspace is given to, with the role of their people there',
  needs: 'see',
  answers: '{items: [{id, label, description, role, roleLabel, since, people}], next: null}',
  answer: async ({ pool, access }) => ({ items: await groupsIn(pool, access), next: null }),
});

export const putGroupMember = workspaceEndpoint({
  method: 'PUT',
  path: '/api/workspaces/{ws}/groups/{group}',
  summary: 'Give the workspace to a group of the Directory, or its people another role',
  needs: 'people',
  body: Joi.object({ role: role.required() }),
  answers: 'the group',
  answer: ({ pool, access, params, body }) =>
    giveToGroup(pool, access, numberAt(params.group), (body as { role: RoleId }).role),
});

export const deleteGroupMember = workspaceEndpoint({
  method: 'DELETE',
  path: '/api/workspaces/{ws}/groups/{group}',
  summary: 'Take the workspace away from a group',
  needs: 'people',
  answers: '{}',
  answer: async ({ pool, access, params }) => {
    await takeFromGroup(pool, access, numberAt(params.group));
    return {};
  },
});

const trail = Joi.object({
  kind: Joi.string().valid(...auditKinds),
  person: wholeNumber,
  after: wholeNumber,
  limit: Joi.number().integer().min(1).max(1_000).default(100),
  format: Joi.string().valid('json', 'csv').default('json'),
});

export const getAudit = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/audit',
  summary: 'The audit trail, newest first: sign-ins of members, exports, changes of roles and tokens',
  needs: 'people',
  query: trail,
  answers: '{items: [{id, at, by, kind, facts, words}], next}; with format=csv a file of the same lines',
  media: ['text/csv'],
  answer: async ({ pool, access, query }) => {
    const { kind, format, ...asked } = query as Omit<AuditAsked, 'kinds'> & { kind?: AuditKind; format: string };
    const { items, next } = await auditOf(pool, access, { ...asked, ...(kind ? { kinds: [kind] } : {}) });
    const lines = items.map((line) => ({ ...line, words: auditWords(line.kind, line.facts as never) }));
    if (format === 'json') return { items: lines, next };
    const rows = [
      ['id', 'at', 'by', 'kind', 'what'],
      ...lines.map(({ id, at, by, kind: of, words }) => [String(id), at, by, of, words]),
    ];
    const cells = rows.map((row) => row.map(defused));
    return new Response('\uFEFF' + stringify(cells, { record_delimiter: '\r\n' }), {
      headers: {
        'content-type': 'text/csv; charset=utf-8',
        'content-disposition': `attachment; filename="audit-${access.workspace.key}.csv"`,
      },
    });
  },
});

export const getTokens = endpoint({
  method: 'GET',
  path: '/api/tokens',
  summary: 'Your tokens, the newest first; never their secrets',
  answers: '{items: [{id, label, madeAt, role, workspace, workspaceLabel, tables, endsAt, usedAt}], next: null}',
  answer: async ({ pool, person }) => ({ items: await tokensOf(pool, person), next: null }),
});

export const postToken = endpoint({
  method: 'POST',
  path: '/api/tokens',
  summary: 'Make a token: with your rights or less, in one workspace or all, until an end; its secret is shown once',
  body: Joi.object({
    label: Joi.string().trim().max(120).required(),
    role: role.description('at most this, whatever you may'),
    workspace: Joi.string().max(63).description('only there, by key or id'),
    tables: Joi.array()
      .items(Joi.string().max(63))
      .min(1)
      .max(100)
      .unique()
      .description('only in these tables of the workspace, by key or id'),
    days: Joi.number().integer().min(1).max(3_650).description('until so many days from now'),
  }),
  shownOnce: true,
  answers: 'the token with its secret as `token`',
  answer: ({ pool, person, body }) => makeOwnToken(pool, person, body as TokenWish),
});

export const getTokenCalls = endpoint({
  method: 'GET',
  path: '/api/tokens/{id}/calls',
  summary: 'What was asked by a token of yours in the last 30 days, newest first',
  query: Joi.object({ after: wholeNumber, limit: Joi.number().integer().min(1).max(1_000).default(100) }),
  answers: '{items: [{id, at, method, path, status}], next}',
  answer: ({ pool, person, params, query }) =>
    callsOf(pool, person, numberAt(params.id), query as { after?: number; limit: number }),
});

export const deleteToken = endpoint({
  method: 'DELETE',
  path: '/api/tokens/{id}',
  summary: 'Revoke a token of yours at once',
  answers: '{}',
  answer: async ({ pool, person, params }) => {
    await revokeToken(pool, person, numberAt(params.id));
    return {};
  },
});
