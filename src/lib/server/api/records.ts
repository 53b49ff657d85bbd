import Joi from 'joi';
import { blankReasons } from '$core/formula/findings/blankReasons';
import { checkOwnFormula } from '$core/flow/ownFormula';
import { printFormula } from '$core/formula/printer';
import { typeWord } from '$core/types/expression';
import { fieldNamed } from '$core/model/model';
import { newFieldKey } from '$core/model/names/naming';
import { tableAt } from '../access/workspaceAccess';
import { workspaceEndpoint } from '../http/endpoint';
import { notHere, refuse } from '../base/refusal';
import { recordId, wholeNumber } from '../base/numbers';
import { formulaSamples } from '../structure/changes/counting';
import { withAside } from '../records/asideMarks';
import { paste, previewPaste, type PastedCells } from '../entry/paste';
import { readByIds } from '../query/read';
import { recordHistory } from '../records/recordHistory';
import { effectWords, removalOf } from '../records/removal';
import { writeRecords } from '../entry/write';
import { numberAt } from './workspaces';

const ofTable = '/api/workspaces/{ws}/tables/{t}/records';
const mostWritten = 10_000;

const values = Joi.object().unknown(true).required();

const ask = Joi.boolean()
  .default(false)
  .description('refuse with counts, in `reach`, where more than 20,000 records would be calculated anew');

export const postRecords = workspaceEndpoint({
  method: 'POST',
  path: ofTable,
  summary: 'Make records, all or none',
  inOneTransaction: true,
  role: 'editor',
  body: Joi.object({ records: Joi.array().min(1).max(mostWritten).items(Joi.object({ values })).required(), ask }),
  answers: '{batch, records}',
  answer: ({ pool, access, params, body }) => {
    const { records, ask: asks } = body as { records: { values: Record<string, unknown> }[]; ask: boolean };
    return writeRecords(pool, access, params.t ?? '', { insert: records, ask: asks });
  },
});

export const patchRecords = workspaceEndpoint({
  method: 'PATCH',
  path: ofTable,
  summary: 'Change records, all or none',
  inOneTransaction: true,
  role: 'editor',
  body: Joi.object({
    records: Joi.array()
      .min(1)
      .max(mostWritten)
      .items(Joi.object({ id: recordId.required(), version: wholeNumber, values }))
      .required(),
    ask,
  }),
  answers: '{batch, records}; 409 with both values where a record moved on',
  answer: ({ pool, access, params, body }) => {
    const { records, ask: asks } = body as {
      records: { id: number; version?: number; values: Record<string, unknown> }[];
      ask: boolean;
    };
    return writeRecords(pool, access, params.t ?? '', { update: records, ask: asks });
  },
});

const mostPasted = 100_000;
const side = Joi.object({ decimal: Joi.string().valid('.', ','), dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy') });

export const postPaste = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/paste`,
  inOneTransaction: true,
  summary:
    'Write cells given as texts: numbers, days, options and links by title or key are read from them; with `dry` only what would become of them',
  role: 'editor',
  body: Joi.object({
    fields: Joi.array().min(1).max(1600).items(Joi.string()).required(),
    rows: Joi.array()
      .min(1)
      .max(mostPasted)
      .items(
        Joi.object({
          id: recordId.allow(null).required(),
          cells: Joi.array().items(Joi.string().allow('').max(100_000)).required(),
        }),
      )
      .required(),
    misfits: Joi.string()
      .valid('setAside', 'leave')
      .default('setAside')
      .description('kept beside the record, which is blank there; or left out'),
    readings: Joi.object().pattern(Joi.string(), side).default({}),
    preset: Joi.object().unknown(true).default({}),
    dry: Joi.boolean().default(false),
    ask,
  }),
  answers:
    '{batch, records, preview}, dry {preview}; preview = {records: {changed, made}, cells: {fit, blank, misfit}, misfits, readings}',
  answer: async ({ pool, access, params, body }) => {
    const { dry, ask: asks, ...pasted } = body as PastedCells & { dry: boolean; ask: boolean };
    if (pasted.rows.length * pasted.fields.length > mostPasted)
      throw refuse(
        413,
        `${(pasted.rows.length * pasted.fields.length).toLocaleString('en')} cells are more than can be pasted at once.`,
        'Bring them in as a file through Intake.',
      );
    return dry
      ? { preview: await previewPaste(pool, access, params.t ?? '', pasted) }
      : paste(pool, access, params.t ?? '', pasted, asks);
  },
});

const ids = Joi.array().min(1).max(mostWritten).items(recordId).required();

export const deleteRecords = workspaceEndpoint({
  method: 'DELETE',
  path: ofTable,
  summary: 'Delete records, as the rules of their links say',
  inOneTransaction: true,
  role: 'editor',
  body: Joi.object({ ids, ask }),
  answers: '{batch, records: []}; 409 where a rule prevents it',
  answer: ({ pool, access, params, body }) => {
    const { ids: gone, ask: asks } = body as { ids: number[]; ask: boolean };
    return writeRecords(pool, access, params.t ?? '', { remove: gone, ask: asks });
  },
});

export const postRemoval = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/removal`,
  reads: true,
  summary: 'What a deletion would do to linked records; nothing is written',
  role: 'editor',
  body: Joi.object({ ids }),
  answers: '{possible, records, effects: [{rule, table, field, count, words, samples}]}',
  answer: async ({ pool, access, params, body }) => {
    const removal = await removalOf(pool, access, tableAt(access, params.t ?? ''), (body as { ids: number[] }).ids);
    const effects = removal.effects.map((effect) => ({
      rule: effect.rule,
      table: effect.table.key,
      field: effect.link.key,
      count: effect.ids.length,
      words: effectWords(effect),
      samples: effect.samples,
    }));
    return {
      possible: removal.remove.length > 0 && effects.every(({ rule }) => rule !== 'prevent'),
      records: removal.remove.reduce((sum, { ids: gone }) => sum + gone.length, 0),
      effects,
    };
  },
});

export const getRecord = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}`,
  summary: 'One record',
  role: 'reader',
  answers: '{id, version, values}',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const [record] = await withAside(pool, access, table, await readByIds(pool, access, table, [numberAt(params.id)]));
    if (!record) throw notHere('record');
    return record;
  },
});

export const getRecordHistory = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}/history`,
  summary: 'What became of a record, newest first: each field from what to what, when, by whom and by what',
  role: 'reader',
  query: Joi.object({ limit: Joi.number().integer().min(1).max(500).default(50) }),
  answers: '{steps: [{batch, at, by, how, title, kind, undone, fields: [{field, label, from, to, entered}]}]}',
  answer: async ({ pool, access, params, query }) => ({
    steps: await recordHistory(
      pool,
      access,
      tableAt(access, params.t ?? ''),
      numberAt(params.id),
      query.limit as number,
    ),
  }),
});

export const postFormulaCheck = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/formulas/check',
  reads: true,
  summary: 'Type, problems with their place, and values for the first records',
  role: 'reader',
  body: Joi.object({
    table: Joi.string().required(),
    formula: Joi.string().allow('').max(30_000).required(),
    field: Joi.string().description(
      'the calculated field it is for, by key or identity: it may read itself over a hierarchy',
    ),
    label: Joi.string().max(120).description('of a field that is not there yet'),
    on: wholeNumber.max(20).default(5),
    records: Joi.array()
      .max(20)
      .items(recordId)
      .description('the records to give values for, instead of the first ones'),
  }),
  answers: '{type, printed, problems, blanks, samples: [{record, after}], overHierarchy}',
  answer: async ({ pool, access, body }) => {
    const {
      table: name,
      formula,
      on,
      field,
      label,
      records,
    } = body as {
      table: string;
      formula: string;
      on: number;
      field?: string;
      label?: string;
      records?: number[];
    };
    const table = tableAt(access, name);
    const own = (field === undefined ? undefined : fieldNamed(table, field)) ?? {
      id: 'draft',
      key: newFieldKey(table.fields, label ?? 'draft'),
      label: label ?? 'draft',
    };
    const { expression, problems, model, overHierarchy } = checkOwnFormula(
      access.workspace.model,
      table.id,
      own,
      formula,
    );
    if (!expression) return { type: null, printed: null, problems, blanks: [], samples: [], overHierarchy };
    const draft = {
      ...own,
      help: '',
      required: false,
      unique: false,
      type: { kind: 'formula', formula: expression, result: expression.type },
    } as const;
    // What a formula reads may have gone in this moment: then there is nothing to show.
    const samples = overHierarchy
      ? []
      : await formulaSamples(pool, access, model, table, draft, on, records).catch(() => []);
    return {
      type: typeWord(expression.type),
      printed: printFormula(model, expression),
      problems,
      blanks: blankReasons(model, expression),
      samples,
      overHierarchy,
    };
  },
});
