import Joi from 'joi';
import { blankReasons } from '$core/formula/blankReasons';
import { checkCondition } from '$core/formula/checker';
import { checkOwnFormula } from '$core/formula/ownFormula';
import { printFormula } from '$core/formula/printer';
import type { Expression } from '$core/formula/expression';
import { typeWord } from '$core/formula/expression';
import { fieldNamed, isShown, type Table } from '$core/model/model';
import { newFieldKey } from '$core/model/naming';
import { mostGroups, shownColumns, totalsFor } from '$core/model/view';
import { decodeCursor, parseSort } from '$core/query/query';
import { tableAt, type Seat } from '../access/seat';
import type { Pool } from '../database/pool';
import { workspaceEndpoint } from '../http/endpoint';
import { notHere, refuse } from '../refusal';
import { streamOf, type Selected } from '../tables/export/cells';
import { csvPieces } from '../tables/export/csv';
import { jsonExport } from '../tables/export/json';
import { odsExport } from '../tables/export/ods';
import { xlsxStream } from '../tables/export/xlsx';
import { readAnchors } from '../tables/anchors';
import { formulaSamples } from '../tables/effects';
import { paste, previewPaste, type PastedCells } from '../tables/paste';
import { countRecords, readByIds, readRecords, searchTitles } from '../tables/read';
import { effectWords, removalOf } from '../tables/removal';
import { readTotals, type AskedTotal } from '../tables/totals';
import { viewNamed } from '../tables/views';
import { writeRecords } from '../tables/write';
import { numberAt } from './workspaces';

const ofTable = '/api/workspaces/{ws}/tables/{t}/records';
const mostWritten = 10_000;

/** A filter as the query names it, checked; blank is none. */
function filterOf(seat: Seat, table: Table, text: unknown): Expression | null {
  if (typeof text !== 'string' || text.trim() === '') return null;
  const { expression, problems } = checkCondition(seat.workspace.model, table.id, text);
  if (!expression) throw refuse(422, problems[0]?.message ?? 'The filter cannot be read.', problems[0]?.mend, problems[0]?.at);
  return expression;
}

function sortOf(seat: Seat, table: Table, text: unknown, at = '?/sort') {
  const sort = parseSort(seat.workspace.model, table, typeof text === 'string' ? text : '');
  if (!sort.ok) throw refuse(422, sort.problem.message, sort.problem.mend, at);
  return sort.value;
}

function fieldsOf(table: Table, text: unknown) {
  if (typeof text !== 'string' || text === '') return table.fields.filter(isShown);
  return text.split(',').map((name) => {
    const field = fieldNamed(table, name);
    if (!field) throw refuse(422, `${table.label} has no field “${name}”.`, undefined, '?/fields');
    return field;
  });
}

const filter = Joi.string().allow('').max(20_000).description('a condition in the formula language');
const sort = Joi.string().allow('').description('key,-key; day:month puts dates together, seen:each a record under each of its values');
const view = Joi.string().description('a view by its id or name: its fields, filter and order, where none are given');
const selection = { fields: Joi.string().allow(''), filter, sort, view };

/** What is asked for, where a view says what the call leaves open. */
async function selectedOf(pool: Pool, seat: Seat, table: Table, query: Readonly<Record<string, unknown>>): Promise<Selected> {
  const shown = typeof query.view === 'string' ? await viewNamed(pool, seat, table, query.view) : null;
  return {
    table,
    fields: shown && query.fields === undefined ? shownColumns(table, shown).map(({ field }) => field) : fieldsOf(table, query.fields),
    filter: shown && query.filter === undefined ? shown.filter : filterOf(seat, table, query.filter),
    sort: shown && query.sort === undefined ? [...shown.groups, ...shown.sort] : sortOf(seat, table, query.sort),
  };
}

/** Conditions as JSON in the query; each record says the first that it meets. */
function marksOf(seat: Seat, table: Table, text: unknown): Expression[] {
  if (typeof text !== 'string') return [];
  const read: unknown = attempt(() => JSON.parse(text) as unknown);
  if (!Array.isArray(read) || read.length > 12 || read.some((one) => typeof one !== 'string'))
    throw refuse(400, 'The marks are no list of up to twelve conditions.', 'Write a JSON list of texts.', '?/marks');
  return read.map((one) => filterOf(seat, table, one)).filter((one) => one !== null);
}

const attempt = <T>(read: () => T): T | null => {
  try {
    return read();
  } catch {
    return null;
  }
};

export const listRecords = workspaceEndpoint({
  method: 'GET',
  path: ofTable,
  summary: 'Records by filter and sort, page by page',
  role: 'reader',
  query: Joi.object({
    ...selection,
    limit: Joi.number().integer().min(1).max(1000).default(100),
    after: Joi.string(),
    skip: Joi.number().integer().min(0).max(10_000).default(0).description('records passed over behind `after`'),
    marks: Joi.string().max(20_000).description('a JSON list of conditions; each record says in `mark` which it meets first'),
    count: Joi.string().valid('exact'),
  }),
  answers: '{records: [{id, version, values, mark?}], next, count?}',
  answer: async ({ pool, seat, params, query }) => {
    const table = tableAt(seat, params.t ?? '');
    const { fields, filter, sort } = await selectedOf(pool, seat, table, query);
    const cursor = typeof query.after === 'string' ? decodeCursor(query.after) : null;
    if (cursor && !cursor.ok) throw refuse(400, cursor.problem.message, cursor.problem.mend, '?/after');
    const page = await readRecords(pool, seat, table, {
      fields: fields.map(({ id }) => id),
      filter,
      sort,
      limit: query.limit as number,
      after: cursor?.ok ? cursor.value : null,
      skip: query.skip as number,
      marks: marksOf(seat, table, query.marks),
    });
    return query.count === 'exact' ? { ...page, count: await countRecords(pool, seat, table, filter) } : page;
  },
});

export const getAnchors = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/anchors`,
  summary: 'Places in an order, evenly spread: with `after` and `skip` any row is read by key, wherever it is',
  role: 'reader',
  query: Joi.object({ filter, sort, view }),
  answers: '{count, every, anchors: [cursor]}; the n-th anchor is the row n × every',
  answer: async ({ pool, seat, params, query }) => {
    const table = tableAt(seat, params.t ?? '');
    const { filter, sort } = await selectedOf(pool, seat, table, query);
    return readAnchors(pool, seat, table, filter, sort);
  },
});

/** Reads `sum(kg),filled(stores)`. */
function totalsOf(table: Table, text: unknown): AskedTotal[] {
  const names = typeof text === 'string' && text.trim() !== '' ? text.split(',') : [];
  return names.map((one) => {
    const [, kind, key = ''] = /^\s*(\w+)\((\w+)\)\s*$/.exec(one) ?? [];
    const field = fieldNamed(table, key);
    const known = field && totalsFor(field).find((each) => each === kind);
    if (!known) throw refuse(422, `“${one}” is no total of ${table.label}.`, 'Write sum(key), avg, min, max, filled, blank or distinct.', '?/totals');
    return { field, kind: known };
  });
}

export const getTotals = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/totals',
  summary: 'Counts and totals of the records a filter leaves: of all, and grouped by up to three fields',
  role: 'reader',
  query: Joi.object({ filter, group: sort, totals: Joi.string().allow('').max(4000).description('sum(kg),filled(stores)') }),
  answers: '{count, totals, groups: [{level, values, count, totals}], cut}',
  answer: ({ pool, seat, params, query }) => {
    const table = tableAt(seat, params.t ?? '');
    const groups = sortOf(seat, table, query.group, '?/group');
    if (groups.length > mostGroups) throw refuse(422, 'Records can be put together by three fields at most.', 'Take one away.', '?/group');
    return readTotals(pool, seat, table, { filter: filterOf(seat, table, query.filter), groups, totals: totalsOf(table, query.totals) });
  },
});

const values = Joi.object().unknown(true).required();

const ask = Joi.boolean().default(false).description('refuse with counts, in `reach`, where more than 20,000 records would be calculated anew');

export const postRecords = workspaceEndpoint({
  method: 'POST',
  path: ofTable,
  summary: 'Make records, all or none',
  role: 'editor',
  body: Joi.object({ records: Joi.array().min(1).max(mostWritten).items(Joi.object({ values })).required(), ask }),
  answers: '{batch, records}',
  answer: ({ pool, seat, params, body }) => {
    const { records, ask: asks } = body as { records: { values: Record<string, unknown> }[]; ask: boolean };
    return writeRecords(pool, seat, params.t ?? '', { insert: records, ask: asks });
  },
});

export const patchRecords = workspaceEndpoint({
  method: 'PATCH',
  path: ofTable,
  summary: 'Change records, all or none',
  role: 'editor',
  body: Joi.object({
    records: Joi.array()
      .min(1)
      .max(mostWritten)
      .items(Joi.object({ id: Joi.number().integer().required(), version: Joi.number().integer(), values }))
      .required(),
    ask,
  }),
  answers: '{batch, records}; 409 with both values where a record moved on',
  answer: ({ pool, seat, params, body }) => {
    const { records, ask: asks } = body as { records: { id: number; version?: number; values: Record<string, unknown> }[]; ask: boolean };
    return writeRecords(pool, seat, params.t ?? '', { update: records, ask: asks });
  },
});

const mostPasted = 100_000;
const side = Joi.object({ decimal: Joi.string().valid('.', ','), dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy') });

export const postPaste = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/paste`,
  summary: 'Write cells given as texts: numbers, days, options and links by title or key are read from them; with `dry` only what would become of them',
  role: 'editor',
  body: Joi.object({
    fields: Joi.array().min(1).max(1600).items(Joi.string()).required(),
    rows: Joi.array()
      .min(1)
      .max(mostPasted)
      .items(Joi.object({ id: Joi.number().integer().allow(null).required(), cells: Joi.array().items(Joi.string().allow('').max(100_000)).required() }))
      .required(),
    misfits: Joi.string().valid('setAside', 'leave').default('setAside').description('kept beside the record, which is blank there; or left out'),
    readings: Joi.object().pattern(Joi.string(), side).default({}),
    preset: Joi.object().unknown(true).default({}),
    dry: Joi.boolean().default(false),
    ask,
  }),
  answers: '{batch, records, preview}, dry {preview}; preview = {records: {changed, made}, cells: {fit, blank, misfit}, misfits, readings}',
  answer: async ({ pool, seat, params, body }) => {
    const { dry, ask: asks, ...pasted } = body as PastedCells & { dry: boolean; ask: boolean };
    if (pasted.rows.length * pasted.fields.length > mostPasted)
      throw refuse(
        413,
        `${(pasted.rows.length * pasted.fields.length).toLocaleString('en')} cells are more than can be pasted at once.`,
        'Bring them in as a file through Intake.',
      );
    return dry ? { preview: await previewPaste(pool, seat, params.t ?? '', pasted) } : paste(pool, seat, params.t ?? '', pasted, asks);
  },
});

const ids = Joi.array().min(1).max(mostWritten).items(Joi.number().integer()).required();

export const deleteRecords = workspaceEndpoint({
  method: 'DELETE',
  path: ofTable,
  summary: 'Delete records, as the rules of their links say',
  role: 'editor',
  body: Joi.object({ ids, ask }),
  answers: '{batch, records: []}; 409 where a rule prevents it',
  answer: ({ pool, seat, params, body }) => {
    const { ids: gone, ask: asks } = body as { ids: number[]; ask: boolean };
    return writeRecords(pool, seat, params.t ?? '', { remove: gone, ask: asks });
  },
});

export const postRemoval = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/removal`,
  summary: 'What a deletion would do to linked records; nothing is written',
  role: 'editor',
  body: Joi.object({ ids }),
  answers: '{possible, records, effects: [{rule, table, field, count, words, samples}]}',
  answer: async ({ pool, seat, params, body }) => {
    const removal = await removalOf(pool, seat, tableAt(seat, params.t ?? ''), (body as { ids: number[] }).ids);
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
  answer: async ({ pool, seat, params }) => {
    const [record] = await readByIds(pool, seat, tableAt(seat, params.t ?? ''), [numberAt(params.id)]);
    if (!record) throw notHere('record');
    return record;
  },
});

export const getCandidates = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/titles',
  summary: 'Records whose title contains a text, for choosing a link',
  role: 'reader',
  query: Joi.object({ q: Joi.string().allow('').max(200).default(''), limit: Joi.number().integer().min(1).max(100).default(20) }),
  answers: '{titles: [{id, title}]}',
  answer: async ({ pool, seat, params, query }) => ({
    titles: await searchTitles(pool, seat, tableAt(seat, params.t ?? ''), String(query.q ?? ''), query.limit as number),
  }),
});

const exportTypes = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  ods: 'application/vnd.oasis.opendocument.spreadsheet',
  json: 'application/json; charset=utf-8',
} as const;

export const getExport = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/export',
  summary: 'The table in an open format, links by title, streamed',
  role: 'reader',
  query: Joi.object({
    ...selection,
    format: Joi.string()
      .valid(...Object.keys(exportTypes))
      .default('csv'),
  }),
  answers: 'text/csv, or a workbook, an OpenDocument spreadsheet, a JSON list of objects',
  answer: async ({ pool, seat, params, query }) => {
    const table = tableAt(seat, params.t ?? '');
    const asked = await selectedOf(pool, seat, table, query);
    const selected = { ...asked, fields: asked.fields.filter(({ unlisted }) => !unlisted) };
    const format = query.format as keyof typeof exportTypes;
    const body = {
      csv: () => streamOf(csvPieces(pool, seat, selected)),
      xlsx: () => xlsxStream(pool, seat, selected),
      ods: () => streamOf(odsExport(pool, seat, selected)),
      json: () => streamOf(jsonExport(pool, seat, selected)),
    }[format]();
    return new Response(body, { headers: { 'content-type': exportTypes[format], 'content-disposition': `attachment; filename="${table.key}.${format}"` } });
  },
});

export const postFormulaCheck = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/formulas/check',
  summary: 'Type, problems with their place, and values for the first records',
  role: 'reader',
  body: Joi.object({
    table: Joi.string().required(),
    formula: Joi.string().allow('').max(30_000).required(),
    field: Joi.string().description('the calculated field it is for, by key or identity: it may read itself over a hierarchy'),
    label: Joi.string().max(120).description('of a field that is not there yet'),
    on: Joi.number().integer().min(0).max(20).default(5),
    records: Joi.array().max(20).items(Joi.number().integer()).description('the records to give values for, instead of the first ones'),
  }),
  answers: '{type, printed, problems, blanks, samples: [{record, after}], overHierarchy}',
  answer: async ({ pool, seat, body }) => {
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
    const table = tableAt(seat, name);
    const own = (field === undefined ? undefined : fieldNamed(table, field)) ?? {
      id: 'draft',
      key: newFieldKey(table.fields, label ?? 'draft'),
      label: label ?? 'draft',
    };
    const { expression, problems, model, overHierarchy } = checkOwnFormula(seat.workspace.model, table.id, own, formula);
    if (!expression) return { type: null, printed: null, problems, blanks: [], samples: [], overHierarchy };
    const draft = { ...own, help: '', required: false, unique: false, type: { kind: 'formula', formula: expression, result: expression.type } } as const;
    // What a formula reads may have gone in this moment: then there is nothing to show.
    const samples = overHierarchy ? [] : await formulaSamples(pool, seat, model, table, draft, on, records).catch(() => []);
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
