import { compileFormulas } from '$core/formula/compiler';
import { fieldOf, isEntered, isNumbered, isStored, valueTypeOf } from '$core/model/model';
import { groupedBy } from '$core/base/grouped';
import { quoteText } from '$core/base/sql';
import type { Field } from '$core/types/field';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import { givenNumber } from '../fieldTypes/registry';
import { homeOf, tableName, tableSql, type WorkspaceState } from '../access/workspaceState';
import { linksOf } from '../calculation/effects';
import { lockedParents, shareTargets, withParentsLocked } from '../calculation/parentLocks';
import type { Recalculation } from '../calculation/effects';

import { columnNames, columnType, fromColumn, sent, sequenceName, toColumn, wireOf } from '../sql/column';
import { prepared, statementEpoch, type Row } from '../sql/statement';
import type { StoredValues, TableEdits, WriteDone } from './edits';
import { empty, identifier, join, raw, sql, type Sql } from '../base/sql';

type Insert = TableEdits['insert'][number];

/** Makes new records; `ids` in the order they were sent in. */
export async function insertRecords(
  run: Recalculation,
  { table, insert }: TableEdits,
): Promise<WriteDone & { readonly ids: readonly number[] }> {
  const done: { edit: Insert; id: number; values: StoredValues }[] = [];
  for (const group of insertedTogether(table, insert)) done.push(...(await insertGroup(run, table, group)));
  const targets = linksOf(table).flatMap((link) =>
    done.map(({ id, values }) => [link.id, id, (values.get(link.id) ?? null) as number | null] as const),
  );
  const places = new Map(insert.map((edit, index) => [edit, index]));
  const ids = new Array<number>(insert.length);
  for (const { edit, id } of done) ids[places.get(edit) ?? 0] = id;
  return {
    ids,
    history: done.map(({ id, values }) => ({
      table: table.id,
      first: id,
      last: id,
      kind: 'made',
      before: null,
      after: Object.fromEntries(values),
    })),
    effects: [
      {
        made: [[table.id, ids]],
        changed: ids.length === 0 ? [] : table.fields.map((field) => [field.id, ids] as const),
        targets,
        locked: run.exclusive ? [] : lockedParents(run.workspace.model, table, idsOf(table.fields), targets),
      },
    ],
  };
}

/**
 * New records that go in one statement, so that they get their numbers in the order they were sent in. Apart go only
 * those that bring a number of their own along, and those that leave different fields to their defaults.
 */
function insertedTogether(table: Table, insert: readonly Insert[]): Iterable<readonly Insert[]> {
  const preset = table.fields.filter((field) => field.default || isNumbered(field)).map(({ id }) => id);
  return groupedBy(insert, ({ id, values }) =>
    [id === undefined, ...preset.filter((one) => values.has(one))].join(),
  ).values();
}

/** Makes records that fill the same fields; with the values that defaults gave them. */
async function insertGroup(run: Recalculation, table: Table, group: readonly Insert[]) {
  const { client, workspace } = run;
  const all = group.map(({ values }) => values);
  const fields = [...new Set(all.flatMap((values) => [...values.keys()]))].map(
    (id) => fieldOf(workspace.model, id).field,
  );
  for (const link of fields.filter(({ type }) => type.kind === 'link'))
    await shareTargets(
      run,
      link,
      all.map((values) => values.get(link.id)).filter((id) => typeof id === 'number'),
    );
  const presets = defaultsOf(workspace, table, fields);
  const own = group[0]?.id !== undefined;
  const sends = [
    ...(own ? [{ name: raw('_id'), type: 'bigint', cast: '', values: group.map(({ id }) => id) }] : []),
    ...fields.map((field) => ({ name: identifier(field.key), ...wireOf(field), values: sent(field, all) })),
  ];
  const names = [...sends.map(({ name }) => name), ...presets.fields.map(({ key }) => identifier(key))];
  const values = [...sends.map(({ name }) => sql`r.${name}`), ...presets.values];
  const returned = [...new Set([...presets.fields, ...linksOf(table)])];
  const inserting = sql`
    insert into ${tableSql(workspace, table)} as t ${names.length > 0 ? sql`(${join(names)})` : empty}
    select ${names.length > 0 ? join(values) : empty}
    from (${sentRows(sends, presets.blanks, group.length)}) r ${raw(presets.joins)}
    returning ${join([raw('t._id'), ...columnNames(returned, 't')])}
  `;
  const { rows } = await prepared(
    client,
    run.exclusive ? inserting : withParentsLocked(workspace, table, idsOf(table.fields), inserting),
    statementEpoch(workspace),
  );
  await followGivenNumbers(run, table, fields, all);
  // `insert … select from unnest` makes its rows in the order of the arrays.
  return group.map((edit, index) => {
    const row: Row = rows[index] ?? {};
    const preset = presets.fields.map((field) => [field.id, fromColumn(valueTypeOf(field), row[field.key])] as const);
    return { edit, id: row._id as number, values: new Map([...edit.values, ...preset]) };
  });
}

const idsOf = (fields: readonly Field[]): FieldId[] => fields.map(({ id }) => id);

interface SentColumn {
  readonly name: Sql;
  readonly type: string;
  readonly cast: string;
  readonly values: readonly unknown[];
}

/** What is sent as rows, a column an array. Without a value there is still a row for each record. */
function sentRows(sends: readonly SentColumn[], blanks: readonly Sql[], count: number): Sql {
  const given = sends.map(({ name, cast }, index) => sql`u.${raw(`v${index}`)}${raw(cast)} as ${name}`);
  const arrays = sends.map(({ type, values }) => sql`${values}::${raw(type)}[]`);
  const names = sends.map((_, index) => raw(`v${index}`));
  return sends.length > 0
    ? sql`select ${join([...given, ...blanks])} from unnest(${join(arrays)}) u(${join(names)})`
    : sql`select ${blanks.length > 0 ? join(blanks) : empty} from generate_series(1, ${count}::int)`;
}

/** Running numbers that were brought along are not given again. */
async function followGivenNumbers(
  { client, workspace }: Recalculation,
  table: Table,
  fields: readonly Field[],
  all: readonly StoredValues[],
): Promise<void> {
  for (const field of fields) {
    const given = all.flatMap((values) => givenNumber(field.type, values.get(field.id) ?? null) ?? []);
    const greatest = Math.max(0, ...given);
    const sequence = sql`${identifier(homeOf(workspace, table).key)}.${identifier(sequenceName(field))}`;
    if (greatest > 0)
      await client.query(
        // Only where it is behind: set to what it was meanwhile, it would give a number twice.
        sql`select setval(${sequence.sql}, ${greatest}) from ${sequence} s where s.last_value < ${greatest}`,
      );
  }
}

export interface Presets {
  readonly fields: readonly Field[];
  /** Their values over the row `r` that is sent, with what has to be joined to it. */
  readonly values: readonly Sql[];
  readonly joins: string;
  /** Columns of the row that nobody sent, for formulas that read them. */
  readonly blanks: readonly Sql[];
}

/** What new records have in fields that nobody filled. */
export function defaultsOf(workspace: WorkspaceState, table: Table, given: readonly Field[]): Presets {
  const filled = new Set(given.map(({ id }) => id));
  const fields = table.fields.filter(
    (field) => field.default && !filled.has(field.id) && isEntered(field) && field.type.kind !== 'counterpart',
  );
  const { day, zone } = homeOf(workspace, table);
  const today = `'${day}'::date`;
  const formulas = fields.flatMap(({ default: preset }) => (preset?.kind === 'formula' ? [preset.formula] : []));
  const compiled = compileFormulas(formulas, {
    model: workspace.model,
    nameOf: (other: Table) => tableName(workspace, other),
    today,
    zone,
    viewer: 'loom.person()',
    root: 'r',
    aggregates: 'each',
  });
  const values = fields.map((field): Sql => {
    const preset = field.default;
    const type = columnType(field);
    switch (preset?.kind) {
      case 'formula':
        return raw(`(${compiled.values[formulas.indexOf(preset.formula)] ?? 'null'})::${type}`);
      case 'person':
        return raw('loom.person()');
      case 'today':
        return raw(field.type.kind === 'dateTime' ? `date_trunc('second', now())` : today);
      default:
        return raw(`${quoteText(String(toColumn(field, preset?.value ?? null)))}::${type}`);
    }
  });
  const blanks = table.fields
    .filter((field) => isStored(field) && !filled.has(field.id))
    .map((field) => sql`null::${raw(columnType(field))} as ${identifier(field.key)}`);
  return { fields, values, joins: compiled.joins, blanks: formulas.length > 0 ? blanks : [] };
}
