import Joi from 'joi';
import { checkCondition } from '$core/formula/checker';
import type { Expression } from '$core/types/expression';
import { fieldNamed, isShown, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import { mostGroups, shownColumns, totalsFor } from '$core/views/view';
import { decodeCursor, parseSort, type LinkedWith } from '$core/query/query';
import { standingView } from '$core/views/viewJson';
import { tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { workspaceEndpoint } from '../http/endpoint';
import { refuse } from '../base/refusal';
import type { Audience, Selected } from '../export/cells';
import { exportFormats, exportOf } from '../export/formats';
import { wholeNumber } from '../base/numbers';
import { readAnchors } from '../query/anchors';
import { withAside } from '../records/asideMarks';
import { requireBearable } from '../query/cost';
import { countRecords, readRecords, searchTitles } from '../query/read';
import { readTotals, totalOf } from '../query/totals';
import type { Measure } from '$core/types/summary';
import { viewNamed } from '../structure/views';
import { numberAt } from './workspaces';
import { whole } from '../base/listed';

const ofTable = '/api/workspaces/{ws}/tables/{t}/records';

/** A filter as the query names it, checked; blank is none. */
function filterOf(access: WorkspaceAccess, table: Table, text: unknown): Expression | null {
  if (typeof text !== 'string' || text.trim() === '') return null;
  const { expression, problems } = checkCondition(access.workspace.model, table.id, text);
  if (!expression)
    throw refuse(422, problems[0]?.message ?? 'The filter cannot be read.', problems[0]?.fix, problems[0]?.at);
  return expression;
}

function sortOf(access: WorkspaceAccess, table: Table, text: unknown, at = '?/sort') {
  const sort = parseSort(access.workspace.model, table, typeof text === 'string' ? text : '');
  if (!sort.ok) throw refuse(422, sort.problem.message, sort.problem.fix, at);
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
const sort = Joi.string()
  .allow('')
  .description(
    'key,-key, over links with dots (apiary.steward); day:month puts dates together, seen:each a record under each of its values',
  );
const view = Joi.string().description('a view by its id or name: its fields, filter and order, where none are given');
const of = Joi.string().description(
  'only records linked with one record: a field of theirs and its number, such as hive:12',
);
export const selection = { fields: Joi.string().allow(''), filter, sort, view, of };

/** A view as far as it stands; `lost` says that it has a filter which does not. */
async function shownAs(pool: Pool, access: WorkspaceAccess, table: Table, name: string) {
  const held = await viewNamed(pool, access, table, name);
  const view = standingView(access.workspace.model, table, held);
  return { ...view, lost: held.filter !== null && view.filter === null };
}

/** What is asked for, where a view says what the call leaves open. */
export async function selectedOf(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  query: Readonly<Record<string, unknown>>,
): Promise<Selected> {
  const shown = typeof query.view === 'string' ? await shownAs(pool, access, table, query.view) : null;
  if (shown?.lost && query.filter === undefined)
    throw refuse(
      409,
      `The filter of “${shown.label}” uses a field that is not there any more.`,
      'Save the view with another filter, or name a filter with the call.',
      '?/view',
    );
  const filter = shown && query.filter === undefined ? shown.filter : filterOf(access, table, query.filter);
  if (filter) await requireBearable(pool, access, table, [filter]);
  return {
    table,
    fields:
      shown && query.fields === undefined
        ? shownColumns(table, shown).map(({ field }) => field)
        : fieldsOf(table, query.fields),
    filter,
    sort: shown && query.sort === undefined ? [...shown.groups, ...shown.sort] : sortOf(access, table, query.sort),
    of: linkedWithOf(table, query.of),
  };
}

/** Reads `hive:12`: records that are linked with that one by that field. */
function linkedWithOf(table: Table, text: unknown): LinkedWith | null {
  if (typeof text !== 'string') return null;
  const [name = '', id = ''] = text.split(':');
  const field = fieldNamed(table, name);
  if (!field || (field.type.kind !== 'link' && field.type.kind !== 'counterpart' && valueTypeOf(field).is !== 'member'))
    throw refuse(
      422,
      `“${name}” is no link of ${table.label}.`,
      'Name one of its links and a record’s number, such as hive:12.',
      '?/of',
    );
  return { field: field.id, id: numberAt(id) };
}

/** Conditions as JSON in the query; each record says the first that it meets. */
function marksOf(access: WorkspaceAccess, table: Table, text: unknown): Expression[] {
  if (typeof text !== 'string') return [];
  const read: unknown = attempt(() => JSON.parse(text) as unknown);
  if (!Array.isArray(read) || read.length > 12 || read.some((one) => typeof one !== 'string'))
    throw refuse(400, 'The marks are no list of up to twelve conditions.', 'Write a JSON list of texts.', '?/marks');
  return read.map((one) => filterOf(access, table, one)).filter((one) => one !== null);
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
  needs: 'see',
  query: Joi.object({
    ...selection,
    limit: Joi.number().integer().min(1).max(1000).default(100),
    after: Joi.string(),
    skip: wholeNumber.max(10_000).default(0).description('records passed over behind `after`'),
    marks: Joi.string()
      .max(20_000)
      .description('a JSON list of conditions; each record says in `mark` which it meets first'),
    count: Joi.string().valid('exact'),
  }),
  answers: '{items: [{id, version, values, mark?}], next, count?}',
  answer: async ({ pool, access, params, query }) => {
    const table = tableAt(access, params.t ?? '');
    const { fields, filter, sort, of } = await selectedOf(pool, access, table, query);
    const cursor = typeof query.after === 'string' ? decodeCursor(query.after) : null;
    if (cursor && !cursor.ok) throw refuse(400, cursor.problem.message, cursor.problem.fix, '?/after');
    const marks = marksOf(access, table, query.marks);
    await requireBearable(pool, access, table, marks);
    const page = await readRecords(pool, access, table, {
      fields: fields.map(({ id }) => id),
      filter,
      sort,
      limit: query.limit as number,
      after: cursor?.ok ? cursor.value : null,
      skip: query.skip as number,
      marks,
      of,
    });
    const shown = { items: await withAside(pool, access, table, page.records), next: page.next };
    return query.count === 'exact' ? { ...shown, count: await countRecords(pool, access, table, filter, of) } : shown;
  },
});

export const getAnchors = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/anchors`,
  summary: 'Places in an order, evenly spread: with `after` and `skip` any row is read by key, wherever it is',
  needs: 'see',
  query: Joi.object({ filter, sort, view, of }),
  answers: '{count, every, anchors: [cursor]}; the n-th anchor is the row n × every',
  answer: async ({ pool, access, params, query }) => {
    const table = tableAt(access, params.t ?? '');
    return readAnchors(pool, access, table, await selectedOf(pool, access, table, query));
  },
});

/** Reads `sum(kg),filled(stores)`. */
function totalsOf(table: Table, text: unknown): Measure[] {
  const names = typeof text === 'string' && text.trim() !== '' ? text.split(',') : [];
  return names.map((one) => {
    const [, kind, key = ''] = /^\s*(\w+)\((\w+)\)\s*$/.exec(one) ?? [];
    const field = fieldNamed(table, key);
    const known = field && totalsFor(field).find((each) => each === kind);
    if (!known)
      throw refuse(
        422,
        `“${one}” is no total of ${table.label}.`,
        'Write sum(key), avg, min, max, filled, blank or distinct.',
        '?/totals',
      );
    return totalOf(field, known);
  });
}

export const getTotals = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/totals',
  summary: 'Counts and totals of the records a filter leaves: of all, and grouped by up to three fields',
  needs: 'see',
  query: Joi.object({
    filter,
    group: sort,
    totals: Joi.string().allow('').max(4000).description('sum(kg),filled(stores)'),
  }),
  answers: '{count, totals, groups: [{level, values, count, totals}], cut}',
  answer: async ({ pool, access, params, query }) => {
    const table = tableAt(access, params.t ?? '');
    const groups = sortOf(access, table, query.group, '?/group');
    if (groups.length > mostGroups)
      throw refuse(422, 'Records can be grouped by three fields at most.', 'Take one away.', '?/group');
    const filter = filterOf(access, table, query.filter);
    if (filter) await requireBearable(pool, access, table, [filter]);
    return readTotals(pool, access, table, { filter, groups, totals: totalsOf(table, query.totals) });
  },
});

export const getCandidates = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/titles',
  summary: 'Records whose title contains a text, for choosing a link',
  needs: 'see',
  query: Joi.object({
    q: Joi.string().allow('').max(200).default(''),
    limit: Joi.number().integer().min(1).max(100).default(20),
  }),
  answers: '{items: [{id, title}], next: null}',
  answer: async ({ pool, access, params, query }) => {
    const table = tableAt(access, params.t ?? '');
    return whole(await searchTitles(pool, access, table, String(query.q ?? ''), query.limit as number));
  },
});

export const getExport = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/tables/{t}/export',
  summary: 'The table in an open format, links by title, streamed',
  downloads: true,
  needs: 'takeOut',
  query: Joi.object({
    ...selection,
    format: Joi.string()
      .valid(...Object.keys(exportFormats))
      .default('csv'),
    for: Joi.string()
      .valid('spreadsheet', 'program')
      .description(
        'a spreadsheet gets labels and what people read, with what it would run made harmless; a program gets keys, numbers of records and bare values; without it JSON is for programs, all else for spreadsheets',
      ),
  }),
  answers: 'text/csv, or a workbook, an OpenDocument spreadsheet, a JSON list of objects',
  media: Object.values(exportFormats).map(({ type }) => type),
  answer: async ({ pool, access, params, query }) => {
    const table = tableAt(access, params.t ?? '');
    const asked = await selectedOf(pool, access, table, query);
    const selected = { ...asked, fields: asked.fields.filter(({ unlisted }) => !unlisted) };
    const format = query.format as keyof typeof exportFormats;
    return exportOf(pool, access, selected, format, query.for as Audience | undefined);
  },
});
