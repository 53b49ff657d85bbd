import Joi from 'joi';
import { freeKey, keyFromLabel } from '$core/base/key';
import { freeLabel } from '$core/model/names/naming';
import { tableNamed } from '$core/model/model';
import { linksToNew } from '$core/transfer/newTarget';
import { readTransfer } from '$core/transfer/works';
import { clashRules } from '$core/transfer/works/toColumns';
import type { Written } from '$core/filled/written';
import type { Change } from '$core/types/change';
import type { Transfer } from '$core/types/transfer';
import { accessOver, authorize, type WorkspaceAccess } from '../access/workspaceAccess';
import { recordId, wholeNumber } from '../base/numbers';
import { Refusal, refuse } from '../base/refusal';
import type { Pool } from '../database/pool';
import { csvFile } from '../export/csv';
import { workspaceEndpoint } from '../http/endpoint';
import {
  changeTransfer,
  dropTransfer,
  listTransfers,
  makeTransfer,
  misfitRows,
  readTransferOf,
  runTransfer,
} from '../transfer/transfers';
import { readChange, senderOf } from './changes/changes';
import { copyTableChanges } from './changes/copyTable';
import { numberAt } from './workspaces';

const ofTransfers = '/api/workspaces/{ws}/transfers';
const name = Joi.string().max(200);
const formula = Joi.string().max(20_000);

/** So many records can be named one by one; more are chosen by a condition. */
const mostNamed = 10_000;

const taken = {
  table: name.required(),
  where: formula.allow('').description('a condition over the table; all records unless said'),
  records: Joi.array().items(recordId).max(mostNamed).allow(null).description('only these, by their numbers'),
};
const filled = Joi.object({
  field: name.required(),
  formula: formula.required().description('over a record of the source'),
  match: name.description('for a link: the field of its target that is compared; its title unless said'),
  missing: Joi.string().valid('setAside', 'create'),
});
const fieldsSchema = Joi.array().items(filled).max(500).description('how fields are filled; lined up unless said');
const link = Joi.object({
  table: name.required(),
  link: name.required(),
  do: Joi.string().valid('follow', 'point', 'clear', 'keep', 'delete').required(),
  into: name,
  to: name,
  fields: fieldsSchema,
  links: Joi.array().items(Joi.object().unknown(true)).max(200),
});
const newTable = Joi.object({ label: Joi.string().trim().max(120).required(), workspace: name });

/** What each work holds beside its name. */
const shapes: Readonly<Record<Transfer['work'], Joi.SchemaMap>> = {
  fill: { ...taken, set: Joi.array().items(filled).min(1).max(100).required() },
  rekey: {
    table: name.required(),
    field: name.required(),
    codes: Joi.array()
      .items(Joi.object({ from: Joi.string().max(1000).required(), to: Joi.string().max(1000).required() }))
      .min(1)
      .max(100_000)
      .required(),
    also: Joi.array()
      .items(Joi.object({ table: name.required(), field: name.required() }))
      .max(100),
  },
  join: {
    table: name.required(),
    groups: Joi.array()
      .items(
        Joi.object({
          winner: recordId.required(),
          losers: Joi.array().items(recordId).min(1).max(100).required(),
          values: Joi.object().pattern(name, Joi.alternatives(recordId, Joi.valid('all'))),
        }),
      )
      .min(1)
      .max(mostNamed)
      .required(),
  },
  merge: {
    sources: Joi.array()
      .items(Joi.object({ table: name.required(), mark: Joi.string().trim().max(120) }))
      .min(2)
      .max(20)
      .required(),
    to: Joi.alternatives(name, newTable).required().description('a new table, or one of those that are merged'),
    markLabel: Joi.string().trim().max(120).description('the field that says where a record comes from'),
    fields: Joi.array()
      .items(Joi.object({ label: Joi.string().trim().max(120).required(), from: Joi.object().pattern(name, formula) }))
      .max(500)
      .description('the columns, each with a formula for each table; lined up unless said'),
    accept: Joi.boolean().description('calculated values may differ'),
  },
  splitOff: {
    table: name.required(),
    by: Joi.array().items(name).min(1).max(20).required(),
    fields: Joi.array().items(name).max(200).required(),
    label: Joi.string().trim().max(120).required(),
    linkLabel: Joi.string().trim().max(120),
    decisions: Joi.array()
      .items(
        Joi.object({
          where: formula.allow(''),
          records: taken.records,
          table: name,
          set: Joi.array().items(filled).min(1).required(),
        }),
      )
      .max(10_000),
    accept: Joi.boolean(),
  },
  foldIn: {
    table: name.required(),
    link: name.required(),
    fields: Joi.array().items(name).max(200),
    accept: Joi.boolean(),
  },
  toRows: {
    table: name.required(),
    columns: Joi.array()
      .items(Joi.object({ field: name.required(), is: formula }))
      .min(1)
      .max(200)
      .required(),
    label: Joi.string().trim().max(120),
    nameLabel: Joi.string().trim().max(120),
    valueLabel: Joi.string().trim().max(120),
    to: name,
    link: name,
    name,
    value: name,
    remove: Joi.boolean(),
    accept: Joi.boolean(),
  },
  toColumns: {
    table: name.required(),
    link: name.required(),
    name: name.required(),
    value: name.required(),
    clash: Joi.string().valid(...clashRules),
    columns: Joi.array()
      .items(Joi.object({ is: formula.required(), label: Joi.string().trim().max(120) }))
      .min(1)
      .max(200)
      .required(),
    remove: Joi.boolean(),
  },
  feed: {
    sources: Joi.array()
      .items(Joi.object({ table: name.required(), where: formula.allow(''), mark: Joi.string().trim().max(120) }))
      .min(1)
      .max(20)
      .required(),
    to: Joi.alternatives(name, newTable).required().description('a new table, or one that is fed already'),
    markLabel: Joi.string().trim().max(120).description('the field that says where a record comes from'),
    fields: Joi.array()
      .items(
        Joi.object({
          label: Joi.string().trim().max(120).required(),
          from: Joi.object().pattern(name, formula.allow('')),
        }),
      )
      .max(500)
      .description('the columns, each with a formula for each source; lined up unless said'),
  },
  move: {
    ...taken,
    to: Joi.alternatives(name, newTable)
      .required()
      .description('a table, of another workspace as workspace.table; or a new one of the same structure'),
    copy: Joi.boolean(),
    make: Joi.array().items(Joi.object().unknown(true)).max(500),
    fields: fieldsSchema,
    links: Joi.array().items(link).max(200).description('what becomes of links to the records; proposed unless said'),
  },
};

const transferSchema = Joi.object({
  work: Joi.string()
    .valid(...Object.keys(shapes))
    .required(),
})
  .unknown(true)
  .when('.work', {
    switch: Object.entries(shapes).map(([work, shape]) => ({
      is: work,
      then: Joi.object({ work: Joi.string().required(), ...shape }),
    })),
  });

/** The workspaces beside its own that a transfer names. */
function homesNamed(json: unknown): string[] {
  if (Array.isArray(json)) return json.flatMap(homesNamed);
  if (typeof json !== 'object' || json === null) return [];
  return Object.entries(json).flatMap(([key, value]) => {
    if (key === 'make') return [];
    const named = key === 'to' || key === 'table' || key === 'workspace' ? value : null;
    if (typeof named === 'string')
      return key === 'workspace' ? [named] : named.includes('.') ? [named.split('.')[0] ?? ''] : [];
    return homesNamed(value);
  });
}

interface NewTable {
  readonly label: string;
  readonly workspace?: string;
}

/** The changes that make a table of the same structure, and how it is named then. */
function newTableOf(access: WorkspaceAccess, from: string, { label, workspace }: NewTable, copies: boolean) {
  const { model } = access.workspace;
  const table = tableNamed(model, from);
  if (!table) throw refuse(422, `There is no table “${from}”.`, 'Use a key from the model.', '/table');
  const home = workspace === access.workspace.key ? undefined : workspace;
  const others = model.tables.filter((one) => one.home === home);
  const free = freeLabel(
    label,
    others.map((one) => one.label),
  );
  if (free !== label)
    throw refuse(422, `There is a table ${label} already.`, 'Choose another label, or that table.', '/to/label');
  const key = freeKey(keyFromLabel(label, 'table'), new Set(others.map((one) => one.key)));
  const changes = copyTableChanges(model, table, { label, key }, readChange(senderOf(access)));
  const own = home === undefined ? changes : changes.map((change) => placed(change, home));
  const made = own.find((change) => change.do === 'addTable' && change.table.label === label);
  const links = made?.do === 'addTable' && !copies ? linksToNew(model, own, table.id, made.table.id) : [];
  return {
    make: [...own, ...links],
    to: home === undefined ? key : `${home}.${key}`,
  };
}

const placed = (change: Change, home: string): Change =>
  change.do === 'addTable' ? { ...change, table: { ...change.table, home } } : change;

/** The access with all that a transfer names beside it, and the transfer. */
async function readSent(
  pool: Pool,
  access: WorkspaceAccess,
  json: Written,
): Promise<{ readonly over: WorkspaceAccess; readonly transfer: Transfer }> {
  const keys = [...new Set(homesNamed(json))].filter((key) => key !== access.workspace.key);
  const homes = await Promise.all(keys.map((key) => authorize(pool, access.person, key, 'write')));
  const over = await accessOver(
    pool,
    access,
    homes.map(({ workspace }) => workspace),
  );
  const isNew = json.work === 'move' && typeof json.to === 'object' && json.to !== null;
  const whole = isNew
    ? { ...json, ...newTableOf(over, String(json.table), json.to as NewTable, json.copy === true) }
    : json;
  const read = readTransfer(over.workspace.model, whole);
  if (!read.ok) throw new Refusal(422, read.problem);
  return { over, transfer: read.value };
}

const out =
  '{id, madeAt, transfer, plan: {title, takes, links, formulas, effects, samples, problems}, tried, receipt, batch}';

export const postTransfer = workspaceEndpoint({
  method: 'POST',
  path: ofTransfers,
  summary: 'Plan a transfer: records filled, moved, joined, codes changed; nothing is written',
  needs: 'write',
  body: transferSchema,
  answers: out,
  answer: async ({ pool, access, body }) => {
    const { over, transfer } = await readSent(pool, access, body as Written);
    return makeTransfer(pool, over, transfer);
  },
});

export const putTransfer = workspaceEndpoint({
  method: 'PUT',
  path: `${ofTransfers}/{id}`,
  summary: 'Change a transfer that is not done: its plan is made anew',
  needs: 'write',
  body: transferSchema,
  answers: out,
  answer: async ({ pool, access, params, body }) => {
    const { over, transfer } = await readSent(pool, access, body as Written);
    return changeTransfer(pool, over, numberAt(params.id), transfer);
  },
});

export const getTransfer = workspaceEndpoint({
  method: 'GET',
  path: `${ofTransfers}/{id}`,
  summary: 'One of your transfers, with its plan, its last try and its receipt',
  needs: 'see',
  answers: out,
  answer: ({ pool, access, params }) => readTransferOf(pool, access, numberAt(params.id)),
});

export const getTransfers = workspaceEndpoint({
  method: 'GET',
  path: ofTransfers,
  summary: 'Your transfers, the newest first',
  needs: 'see',
  query: Joi.object({ after: recordId, limit: Joi.number().integer().min(1).max(500).default(100) }),
  answers: '{items: [{id, madeAt, title, work, batch}], next}',
  answer: ({ pool, access, query }) =>
    listTransfers(pool, access, { after: query.after as number | undefined, limit: query.limit as number }),
});

export const deleteTransfer = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTransfers}/{id}`,
  summary: 'Discard a transfer that is not done',
  needs: 'write',
  answers: 'null',
  answer: async ({ pool, access, params }) => {
    await dropTransfer(pool, access, numberAt(params.id));
    return null;
  },
});

export const postTransferTry = workspaceEndpoint({
  method: 'POST',
  path: `${ofTransfers}/{id}/dry-run`,
  summary: 'Do a transfer and roll it back: what it would come to',
  needs: 'write',
  answers: out,
  answer: ({ pool, access, params }) => runTransfer(pool, access, numberAt(params.id), true),
});

export const postTransferApply = workspaceEndpoint({
  method: 'POST',
  path: `${ofTransfers}/{id}/apply`,
  summary: 'Do a transfer, whole or not at all',
  needs: 'write',
  answers: out,
  answer: ({ pool, access, params }) => runTransfer(pool, access, numberAt(params.id), false),
});

export const getTransferReceipt = workspaceEndpoint({
  method: 'GET',
  path: `${ofTransfers}/{id}/receipt`,
  summary: 'What a transfer came to: done, or at its last try; null before',
  needs: 'see',
  answers: '{lines, sums, formulas, aside, seconds} or null',
  answer: async ({ pool, access, params }) => {
    const { receipt, tried } = await readTransferOf(pool, access, numberAt(params.id));
    return receipt ?? tried;
  },
});

export const getTransferMisfits = workspaceEndpoint({
  method: 'GET',
  path: `${ofTransfers}/{id}/receipt/misfits.csv`,
  summary:
    'What did not come along whole in one step of a transfer, with the reason: records that were left, or values',
  needs: 'see',
  query: Joi.object({
    step: wholeNumber.default(0).description('its place among the lines of the receipt'),
    what: Joi.string().valid('records', 'values').default('records'),
  }),
  answers: 'the records with a column of reasons',
  media: ['text/csv'],
  answer: async ({ pool, access, params, query }) => {
    const wanted = query as { step: number; what: 'records' | 'values' };
    return csvFile('misfits', await misfitRows(pool, access, numberAt(params.id), wanted));
  },
});
