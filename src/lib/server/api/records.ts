import Joi from 'joi';
import { blankReasons } from '$core/formula/blankReasons';
import { checkCondition } from '$core/formula/checker';
import { checkOwnFormula } from '$core/formula/ownFormula';
import { printFormula } from '$core/formula/printer';
import type { Expression } from '$core/formula/expression';
import { typeWord } from '$core/formula/expression';
import { fieldNamed, isShown, type Table } from '$core/model/model';
import { newFieldKey } from '$core/model/naming';
import { decodeCursor, parseSort } from '$core/query/query';
import { tableAt, type Seat } from '../access/seat';
import { workspaceEndpoint } from '../http/endpoint';
import { notHere, refuse } from '../refusal';
import { streamOf, type Selected } from '../tables/export/cells';
import { csvPieces } from '../tables/export/csv';
import { jsonExport } from '../tables/export/json';
import { odsExport } from '../tables/export/ods';
import { xlsxStream } from '../tables/export/xlsx';
import { formulaSamples } from '../tables/effects';
import { countRecords, readByIds, readRecords, searchTitles } from '../tables/read';
import { effectWords, removalOf } from '../tables/removal';
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

function sortOf(table: Table, text: unknown) {
  const sort = parseSort(table, typeof text === 'string' ? text : '');
  if (!sort.ok) throw refuse(422, sort.problem.message, sort.problem.mend, '?/sort');
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

const selection = { fields: Joi.string().allow(''), filter: Joi.string().allow('').max(20_000), sort: Joi.string().allow('') };

export const listRecords = workspaceEndpoint({
  method: 'GET',
  path: ofTable,
  summary: 'Records by filter and sort, page by page',
  role: 'reader',
  query: Joi.object({ ...selection, limit: Joi.number().integer().min(1).max(1000).default(100), after: Joi.string(), count: Joi.string().valid('exact') }),
  answers: '{records: [{id, version, values}], next, count?}',
  answer: async ({ pool, seat, params, query }) => {
    const table = tableAt(seat, params.t ?? '');
    const filter = filterOf(seat, table, query.filter);
    const sort = sortOf(table, query.sort);
    const cursor = typeof query.after === 'string' ? decodeCursor(query.after, sort.length) : null;
    if (cursor && !cursor.ok) throw refuse(400, cursor.problem.message, cursor.problem.mend, '?/after');
    const page = await readRecords(pool, seat, table, {
      fields: fieldsOf(table, query.fields).map(({ id }) => id),
      filter,
      sort,
      limit: query.limit as number,
      after: cursor?.ok ? cursor.value : null,
    });
    return query.count === 'exact' ? { ...page, count: await countRecords(pool, seat, table, filter) } : page;
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
    const selected: Selected = {
      table,
      fields: fieldsOf(table, query.fields).filter(({ unlisted }) => !unlisted),
      filter: filterOf(seat, table, query.filter),
      sort: sortOf(table, query.sort),
    };
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
