import Joi from 'joi';
import { newId } from '$core/types/identity';
import { partOf } from '$core/parts/parts';
import { partsOf } from '$core/types/part';
import type { RoleJson } from '$core/access/roleJson';
import { endpoint, workspaceEndpoint } from '../../http/endpoint';
import { wholeNumber } from '../../base/numbers';
import { effectOf } from '../../query/roleEffect';
import { beginSeeAs, printSeeAs, seeAsCookie, seeAsFor, type SeeAsWish } from '../../access/seeAs';
import { ownRole, rolesOf, type RoleShown } from '../../access/roles';
import { authorize, type WorkspaceAccess } from '../../access/workspaceAccess';
import type { Pool } from '../../database/pool';
import { notHere } from '../../base/refusal';
import { changeAtOnce } from '../../structure/plan';
import { partFrom } from '../changes/parts';
import { roleSchema } from './roleSchema';

const path = '/api/workspaces/{ws}/roles';

export const getRoles = workspaceEndpoint({
  method: 'GET',
  path,
  summary: 'The roles of a workspace: those that every one has, and its own',
  needs: 'people',
  answers:
    '{items: [{id, label, description, workspace, others, tables, builtIn, holders, givable, lost}], next: null}',
  answer: async ({ pool, access }) => ({ items: await rolesOf(pool, access), next: null }),
});

export const postRole = workspaceEndpoint({
  method: 'POST',
  path,
  summary: 'Make a role: what one may see and do, by table and field, with conditions',
  needs: 'people',
  body: roleSchema.fork('label', (label) => label.required()),
  answers: 'the role',
  answer: async ({ pool, access, body }) => {
    const model = access.sight;
    const blank = { ...partOf('role').blank({}), id: newId('a') };
    const part = partFrom(model, null, 'role', blank, body as Partial<RoleJson>, '');
    const at = partsOf(model, 'role').length;
    await changeAtOnce(pool, access, [{ do: 'addPart', kind: 'role', table: null, part, at }]);
    return roleNow(pool, access, part.id);
  },
});

export const patchRole = workspaceEndpoint({
  method: 'PATCH',
  path: `${path}/{role}`,
  summary: 'Change a role of the workspace’s own; it holds for everybody who has it, from then on',
  needs: 'people',
  body: roleSchema.min(1),
  answers: 'the role',
  answer: async ({ pool, access, params, body }) => {
    const standing = ownRole(access, params.role ?? '');
    const part = partFrom(access.sight, null, 'role', standing, body as Partial<RoleJson>, '');
    await changeAtOnce(pool, access, [{ do: 'changePart', kind: 'role', table: null, part }]);
    return roleNow(pool, access, part.id);
  },
});

export const deleteRole = workspaceEndpoint({
  method: 'DELETE',
  path: `${path}/{role}`,
  summary: 'Delete a role that nobody has',
  needs: 'people',
  answers: '{}; 409 while somebody has it',
  answer: async ({ pool, access, params }) => {
    const { id } = ownRole(access, params.role ?? '');
    await changeAtOnce(pool, access, [{ do: 'removePart', kind: 'role', table: null, part: id }]);
    return {};
  },
});

export const postRoleTry = workspaceEndpoint({
  method: 'POST',
  path: `${path}/try`,
  reads: true,
  summary: 'What a role would let somebody see and do, table by table, before it is kept; for you, or for a person',
  needs: 'people',
  body: Joi.object({ role: roleSchema.required(), person: wholeNumber.description('for whom, by their number') }),
  answers:
    '{items: [{table, label, records, seen, enter, change, delete, hidden: [label], still: [label], carries: [{field, from: [label]}]}], next: null}',
  answer: async ({ pool, access, body }) => {
    const { role, person = access.person.id } = body as { role: Partial<RoleJson>; person?: number };
    const blank = { ...partOf('role').blank({}), id: newId('a') };
    const part = partFrom(access.sight, null, 'role', blank, role, '/role');
    return { items: await effectOf(pool, access, part, person), next: null };
  },
});

export const putSeeAs = workspaceEndpoint({
  method: 'PUT',
  path: '/api/workspaces/{ws}/see-as',
  summary:
    'Look at the workspace as one of its people or roles sees it, from this browser, for an hour; nothing is written then',
  needs: 'people',
  body: Joi.object({ person: wholeNumber, role: Joi.string().max(63) }).xor('person', 'role'),
  answers: '{words}',
  answer: async ({ event, pool, access, body }) => {
    const { as, words } = await beginSeeAs(pool, access, body as SeeAsWish);
    const secure = event.url.protocol === 'https:';
    event.cookies.set(seeAsCookie, printSeeAs(as), {
      path: '/',
      httpOnly: true,
      sameSite: 'lax',
      secure,
      maxAge: seeAsFor,
    });
    return { words };
  },
});

export const deleteSeeAs = endpoint({
  method: 'DELETE',
  path: '/api/see-as',
  summary: 'Look as yourself again',
  answers: '{}',
  answer: ({ event }) => {
    event.cookies.delete(seeAsCookie, { path: '/' });
    return Promise.resolve({});
  },
});

async function roleNow(pool: Pool, { person, workspace }: WorkspaceAccess, id: string): Promise<RoleShown> {
  const now = await authorize(pool, person, String(workspace.id), 'people');
  const role = (await rolesOf(pool, now)).find((one) => one.id === id);
  if (!role) throw notHere('role');
  return role;
}
