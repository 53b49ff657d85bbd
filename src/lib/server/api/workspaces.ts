import Joi from 'joi';
import { icons } from '$core/types/icons';
import { dyes } from '$core/types/field';
import { endpoint, workspaceEndpoint } from '../http/endpoint';
import { redoOwn, undoOwn } from '../history/ownSteps';
import { planUndo, readHistory, undoBatch } from '../history/undo';
import { recordId, wholeNumber } from '../base/numbers';
import { applyPlan, makePlan } from '../structure/plan';
import { keptPlaces } from '../workspaces/home';
import { setFavourite } from '../structure/views';
import {
  changeWorkspace,
  deletedWorkspaces,
  ledgerOf,
  makeWorkspace,
  type WorkspaceSettings,
  type WorkspaceWish,
} from '../workspaces/workspaces';
import { accessOver, tableAt, authorize, type WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { expandedChanges, changesSchema, senderOf, type ChangeJson } from './changes/changes';
import { modelJson } from './modelJson';

export const listWorkspaces = endpoint({
  method: 'GET',
  path: '/api/workspaces',
  summary: 'Everything you may see: workspaces with their tables and counts',
  answers:
    '{items: [{key, label, role, roleLabel, rights, description, dye, icon, tables, changedAt, changedBy}], next: null}',
  answer: async ({ pool, person }) => ({ items: await ledgerOf(pool, person), next: null }),
});

export const postWorkspace = endpoint({
  method: 'POST',
  path: '/api/workspaces',
  summary: 'Make a workspace; you administer it',
  body: Joi.object({
    label: Joi.string().trim().max(120).required(),
    key: Joi.string(),
    description: Joi.string().allow('').max(2000),
    zone: Joi.string(),
  }),
  answers: '{id, key}',
  answer: ({ pool, person, body }) => makeWorkspace(pool, person, body as WorkspaceWish),
});

export const getHome = endpoint({
  method: 'GET',
  path: '/api/home',
  summary: 'Where you left off, your favourites, and workspaces in the bin',
  answers: '{recent: [{kind, label, within, href, dye, visitedAt}], favourites: […], bin: [{key, label, at}]}',
  answer: async ({ pool, person }) => ({
    ...(await keptPlaces(pool, person)),
    bin: await deletedWorkspaces(pool, person),
  }),
});

export const patchWorkspace = endpoint({
  method: 'PATCH',
  path: '/api/workspaces/{ws}',
  summary:
    'Name a workspace anew, give it a colour and an icon, put it out of sight or in the bin, or bring it back; for its administrators',
  body: Joi.object({
    label: Joi.string().trim().max(120),
    description: Joi.string().allow('').max(2000),
    dye: Joi.string().valid(...dyes),
    icon: Joi.string()
      .valid(...icons)
      .allow(null),
    archived: Joi.boolean(),
    deleted: Joi.boolean(),
  }).min(1),
  answers: '{workspace}',
  answer: async ({ pool, person, params, body }) => {
    await changeWorkspace(pool, person, params.ws ?? '', body as WorkspaceSettings);
    return { workspace: params.ws };
  },
});

export const putFavourite = workspaceEndpoint({
  method: 'PUT',
  path: '/api/workspaces/{ws}/favourite',
  summary: 'Add the workspace, or one of its tables, to the favourites, or remove it',
  needs: 'see',
  body: Joi.object({ table: Joi.string(), favourite: Joi.boolean().required() }),
  answers: '{}',
  answer: async ({ pool, access, body }) => {
    const { table, favourite } = body as { table?: string; favourite: boolean };
    const what =
      table === undefined
        ? ({ kind: 'workspace', target: 'all' } as const)
        : ({ kind: 'table', target: tableAt(access, table).id } as const);
    await setFavourite(pool, access, what, favourite);
    return {};
  },
});

export const getModel = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/model',
  summary: 'The structure as one JSON value',
  needs: 'see',
  answers: '{version, tables: [{id, key, label, fields: […]}]}',
  answer: async ({ access }) => ({ version: access.workspace.version, ...modelJson(access.workspace.model) }),
});

export const postPlan = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/plans',
  summary:
    'A plan: what changes would do, counted; nothing is written. Views are for editors, all else for administrators',
  needs: 'write',
  body: Joi.object({ changes: changesSchema.required() }),
  answers:
    '{id, effects: [{change, source, counts, samples, dependents, carries, breaks, ways, broken, nearMisses, duration}], possible}; source is the place in `changes`',
  answer: async ({ pool, access, body }) => {
    const { changes } = body as { changes: ChangeJson[] };
    const over = await withForeign(pool, access, changes);
    const expanded = expandedChanges(over.workspace.model, changes, senderOf(over));
    const plan = await makePlan(pool, over, expanded.changes);
    return { ...plan, effects: plan.effects.map((effect, index) => ({ ...effect, source: expanded.sources[index] })) };
  },
});

/**
 * The access with the workspaces beside it that new links name as `workspace.table`; what one may not see is not there.
 */
export async function withForeign(
  pool: Pool,
  access: WorkspaceAccess,
  changes: readonly ChangeJson[],
): Promise<WorkspaceAccess> {
  return withTargets(
    pool,
    access,
    changes.flatMap((change) => [
      ...('to' in change && typeof change.to === 'string' ? [change.to] : []),
      ...('field' in change && typeof change.field === 'object' && change.field.to ? [change.field.to] : []),
      ...('fields' in change ? change.fields.flatMap(({ to }) => (to ? [to] : [])) : []),
    ]),
  );
}

/** The access with the workspaces of these tables beside it, of which those elsewhere are named as `workspace.table`. */
export async function withTargets(
  pool: Pool,
  access: WorkspaceAccess,
  named: readonly string[],
): Promise<WorkspaceAccess> {
  const keys = [...new Set(named.filter((name) => name.includes('.')).map((name) => name.split('.')[0] ?? ''))];
  const homes = await Promise.all(keys.map((key) => authorize(pool, access.person, key, 'design')));
  return accessOver(
    pool,
    access,
    homes.map(({ workspace }) => workspace),
  );
}

export const postPlanApply = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/plans/{id}/apply',
  summary: 'Apply a plan whole',
  needs: 'see',
  answers: '{batch, model}; 409 when the structure moved on meanwhile',
  answer: async ({ pool, access, params }) => {
    const { batch, model } = await applyPlan(pool, access, numberAt(params.id));
    return { batch, model: modelJson(model) };
  },
});

export const getHistory = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/history',
  summary: 'What changed, newest first: everywhere, in a table or one of its records, or by one person',
  needs: 'see',
  query: Joi.object({
    table: Joi.string(),
    record: recordId,
    person: wholeNumber,
    after: recordId,
    limit: Joi.number().integer().min(1).max(500).default(100),
  }),
  answers: '{items: [{id, at, by, kind, title, undoneBy}], next}',
  answer: ({ pool, access, query }) =>
    readHistory(pool, access, {
      table: query.table === undefined ? undefined : tableAt(access, String(query.table)),
      record: query.record as number | undefined,
      person: query.person as number | undefined,
      after: query.after as number | undefined,
      limit: query.limit as number,
    }),
});

export const postUndo = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/batches/{id}/undo',
  summary: 'Undo a batch; with `dry` only what that would do: structure, records by table, and what stands in the way',
  needs: 'write',
  body: Joi.object({ dry: Joi.boolean().default(false) }),
  answers:
    '{batch}; 409 with what stands in the way; dry {batch, title, effects, records: [{table, label, back, changed, deleted}], standing, possible}',
  answer: ({ pool, access, params, body }) =>
    (body as { dry: boolean }).dry
      ? planUndo(pool, access, numberAt(params.id))
      : undoBatch(pool, access, numberAt(params.id)),
});

/** A number in an address; anything else is not there. */
export function numberAt(text: string | undefined): number {
  if (!text || !/^\d{1,15}$/.test(text)) throw refuse(404, 'There is nothing at this address.', 'Check the number.');
  return Number(text);
}

export const postUndoOwn = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/undo',
  summary: 'Undo the latest of your own edits of records that stands, in a table if one is named',
  needs: 'write',
  body: Joi.object({
    table: Joi.string(),
    ask: Joi.boolean()
      .default(false)
      .description('refuse with what it is, in `undo`, where it concerns more than one record'),
  }),
  answers: '{batch, title}; 409 with `undo` where the latest edit is elsewhere, or concerns many and `ask` is set',
  answer: ({ pool, access, body }) => {
    const { table, ask } = body as { table?: string; ask: boolean };
    return undoOwn(pool, access, { ask, ...(table === undefined ? {} : { within: tableAt(access, table).id }) });
  },
});

export const postRedoOwn = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/redo',
  summary: 'Do again what you undid last, while you have edited nothing since',
  needs: 'write',
  answers: '{batch, title}',
  answer: ({ pool, access }) => redoOwn(pool, access),
});
