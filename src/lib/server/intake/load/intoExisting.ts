import type { IntoExisting, SheetReceipt } from '$core/intake/intake';
import type { Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import { isEntered, valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { printValue, type EnteredType } from '$core/fieldTypes/registry';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { tableSql } from '../../access/workspaceState';
import type { Client } from '../../database/pool';
import { changedColumns, columnType, fromColumn } from '../../sql/column';
import { titleSql } from '../../query/selection';
import { stagedName } from '../staged/stagedName';
import type { LoadedSheet } from './loadedSheet';
import type { Row } from '../../sql/statement';
import { identifier, join, raw, sql, type Sql } from '../../base/sql';

/** A mapped column with the SQL of its value over the staged row `s`. */
export interface ValueOfColumn {
  /** Null for what is the same on every row. */
  readonly column: number | null;
  readonly field: Field;
  readonly text: string;
  readonly value: string;
}

const chunk = 5_000;
/** So many values that differ are told of each sheet. */
const shownChanges = 200;

const refuseRows = (staged: string, reason: string, where: string): string =>
  `update ${staged} s set _refused = ${quoteText(reason)} where s._refused is null and ${where}`;

/**
 * Finds the record each row is for, by the fields chosen, and refuses rows that would meet none, several, or one that
 * an earlier row is for. `values` are those of the fields, over `s` alone.
 */
export async function findRecords(
  client: Client,
  access: WorkspaceAccess,
  { sheet, table }: LoadedSheet,
  into: IntoExisting,
  values: readonly ValueOfColumn[],
): Promise<void> {
  const staged = stagedName(sheet.staged);
  const name = tableSql(access.workspace, table);
  await client.query(sql`update ${raw(staged)} set _target = null where _target is not null`);
  if (into.record !== undefined) await findByNumber(client, staged, name, into.record);
  const by = values.filter(({ field }) => into.by.includes(field.id));
  const labels = by.map(({ field }) => `“${field.label}”`).join(' and ');
  if (by.length > 0) await findByFields(client, staged, name, by, labels);
  if (into.mode === 'add')
    await client.query(refuseRows(staged, `a record with this ${labels} exists already`, 's._target is not null'));
  if (into.mode === 'update')
    await client.query(
      refuseRows(
        staged,
        by.length > 0 ? `no record has this ${labels}` : 'nothing was chosen to find its record by',
        's._target is null',
      ),
    );
  for (const { field, value } of values)
    if (field.unique && !into.by.includes(field.id))
      await client.query(
        sql`
          update ${raw(staged)} s
          set _refused = ${`“${field.label}” must be unique, and another record has this value`}
          from ${name} t
          where s._refused is null and t.${identifier(field.key)} = ${raw(value)}
            and t._id is distinct from s._target
        `,
      );
  const mapped = new Set(values.map(({ field }) => field.id));
  for (const field of table.fields)
    if (field.required && isEntered(field) && field.default === undefined && !mapped.has(field.id))
      await client.query(refuseRows(staged, `“${field.label}” is required`, 's._target is null'));
}

/** Finds the records of rows by a column that has their numbers. */
async function findByNumber(client: Client, staged: string, name: Sql, column: number): Promise<void> {
  const text = `s.c${column}`;
  await client.query(
    sql`
      update ${raw(staged)} s
      set _target = t._id
      from ${name} t
      where s._refused is null
        and t._id = case when ${raw(text)} ~ ${'^\\d{1,15}$'} then ${raw(text)}::bigint end
    `,
  );
  await client.query(
    refuseRows(staged, 'the record it was for is no longer there', `${text} is not null and s._target is null`),
  );
}

/** Finds the records of rows by values; rows that meet several, or one that an earlier row is for, are refused. */
async function findByFields(
  client: Client,
  staged: string,
  name: Sql,
  by: readonly ValueOfColumn[],
  labels: string,
): Promise<void> {
  const same = by.map(({ field, value }) => sql`t.${identifier(field.key)} = ${raw(value)}`);
  await client.query(
    sql`
      update ${raw(staged)} s
      set _target = case when m.n = 1 then m.id end,
        _refused = case when m.n > 1 then ${`several records have this ${labels}`} end
      from (
        select s._row, count(*) as n, min(t._id) as id
        from ${raw(staged)} s
        join ${name} t on ${join(same, ' and ')}
        where s._refused is null and s._target is null
        group by 1
      ) m
      where m._row = s._row
    `,
  );
  const refuseAgain = (partition: string, where: string, reason: string) =>
    client.query(
      sql`
        update ${raw(staged)} s
        set _refused = ${reason}
        from (
          select _row, row_number() over (partition by ${raw(partition)} order by _row) as n
          from ${raw(staged)} s
          where _refused is null and ${raw(where)}
        ) d
        where d._row = s._row and d.n > 1
      `,
    );
  await refuseAgain('_target', '_target is not null', 'an earlier row is for the same record');
  await refuseAgain(
    by.map(({ value }) => value).join(', '),
    `_target is null and ${by.map(({ value }) => `${value} is not null`).join(' and ')}`,
    `an earlier row has the same ${labels}`,
  );
}

/** A record that stands, as a sheet changes it. */
export interface ChangedRecord {
  readonly id: number;
  readonly before: Record<FieldId, Scalar>;
  readonly after: Record<FieldId, Scalar>;
}

/**
 * Brings the rows of a sheet into a table that stands: typed once, then new records added, changed ones written, all
 * set-based. Gives the first few values that differ; `remember` keeps each changed record's values before and after.
 */
export async function writeInto(
  client: Client,
  access: WorkspaceAccess,
  loaded: LoadedSheet,
  into: IntoExisting,
  values: readonly ValueOfColumn[],
  joins: readonly string[],
  remember: (rows: readonly ChangedRecord[]) => Promise<void>,
): Promise<NonNullable<SheetReceipt['changes']>> {
  const { table } = loaded;
  const name = tableSql(access.workspace, table);
  const typed = raw(typedName(loaded.mapping.sheet));
  await typeRows(client, loaded, values, joins);
  await leaveKept(client, loaded, into, values);
  await client.query(
    sql`
      insert into ${name} (${join([raw('_id'), ...values.map(({ field }) => identifier(field.key))])})
      select ${raw(['_id', ...values.map((_, index) => `v${index}`)].join(', '))}
      from ${typed}
      where not stands
    `,
  );
  const compared = values.map(({ field, column }, index): Compared => {
    const stored = sql`t.${identifier(field.key)}`;
    const given = raw(`u.v${index}`);
    const now = into.blanks === 'keep' ? sql`coalesce(${given}, ${stored})` : given;
    const kept = rowsKept(into, column);
    return {
      field,
      column,
      stored,
      now: kept.length > 0 ? sql`case when u._row = any(${kept}::bigint[]) then ${stored} else ${now} end` : now,
    };
  });
  const differs = compared.map(({ stored, now }) => sql`${stored} is distinct from ${now}`);
  const where = sql`u.stands and (${differs.length > 0 ? join(differs, ' or ') : raw('false')})`;
  const changes: NonNullable<SheetReceipt['changes']>[number][] = [];
  let changed = 0;
  for await (const rows of changedRecords(client, access, loaded, compared, where)) {
    changed += rows.length;
    await remember(rows);
    for (const row of rows) if (changes.length < shownChanges) changes.push(...changesOf(row, compared));
  }
  if (changed === 0) return [];
  await client.query(sql`update ${typed} u set differs = true from ${name} t where t._id = u._id and ${where}`);
  await client.query(
    sql`
      update ${name} t
      set ${join([
        ...compared.map(({ field, now }) => sql`${identifier(field.key)} = ${now}`),
        ...changedColumns(table.fields, quoteIdentifier).map((one) => raw(one)),
        raw('_version = t._version + 1'),
      ])}
      from ${typed} u
      where t._id = u._id and ${where}
    `,
  );
  return changes.slice(0, shownChanges);
}

/** Types the rows of a sheet that come in, once, as `typedName` says. */
async function typeRows(
  client: Client,
  { sheet, offset, mapping }: LoadedSheet,
  values: readonly ValueOfColumn[],
  joins: readonly string[],
): Promise<void> {
  const typed = typedName(mapping.sheet);
  const columns = values.map(
    ({ field, value, text }, index) => `, (${value})::${columnType(field)} as v${index}, ${text} as t${index}`,
  );
  await client.query(sql`drop table if exists ${raw(typed)}`);
  await client.query(
    sql`
      create temporary table ${identifier(`into_${mapping.sheet}`)} on commit drop as
      select s._row, coalesce(s._target, ${raw(String(offset))} + s._row) as _id, s._target is not null as stands,
        false as differs${raw(columns.join(''))}
      from ${raw(stagedName(sheet.staged))} s ${raw(joins.join(' '))}
      where s._refused is null
    `,
  );
  await client.query(sql`analyze ${raw(typed)}`);
}

/** The rows whose value of a column a person does not take. */
export const rowsKept = ({ keep = [] }: Pick<IntoExisting, 'keep'>, column: number | null): number[] =>
  keep.flatMap((one) => (one.column === column ? [one.row] : []));

/** What a person does not take of rows for records that stand is no value of these rows. */
async function leaveKept(
  client: Client,
  { mapping }: LoadedSheet,
  into: IntoExisting,
  values: readonly ValueOfColumn[],
): Promise<void> {
  for (const [index, { column }] of values.entries()) {
    const kept = rowsKept(into, column);
    if (kept.length > 0)
      await client.query(
        sql`
          update ${raw(typedName(mapping.sheet))} set ${raw(`v${index} = null, t${index} = null`)}
          where stands and _row = any(${kept}::bigint[])
        `,
      );
  }
}

/** A field with its value in the record `t` that stands, and the one it is to have. */
interface Compared {
  readonly field: Field;
  readonly column: number | null;
  readonly stored: Sql;
  readonly now: Sql;
}

type ChangedRow = ChangedRecord & { readonly title: string; readonly row: number };

/** The records that a sheet changes, some at a time. */
async function* changedRecords(
  client: Client,
  access: WorkspaceAccess,
  { table, mapping }: LoadedSheet,
  compared: readonly Compared[],
  where: Sql,
): AsyncGenerator<ChangedRow[], void> {
  const columns = compared.flatMap(({ stored, now }, index) => [
    sql`${stored} as ${raw(`b${index}`)}`,
    sql`${now} as ${raw(`a${index}`)}`,
  ]);
  await client.query(
    sql`
      declare differing no scroll cursor for
      select ${join([raw('t._id'), raw('u._row'), raw(`${titleSql(access, table, 't')} as _title`), ...columns])}
      from ${raw(typedName(mapping.sheet))} u
      join ${tableSql(access.workspace, table)} t on t._id = u._id
      where ${where}
      order by t._id
    `,
  );
  for (;;) {
    const { rows } = await client.query<Row>(sql`fetch ${raw(String(chunk))} from differing`);
    if (rows.length === 0) break;
    yield rows.map((row) => changedRow(row, compared));
  }
  await client.query('close differing');
}

function changedRow(row: Row, compared: readonly Compared[]): ChangedRow {
  const values = compared.flatMap(({ field }, index) => {
    const type = valueTypeOf(field);
    const [before, after] = [fromColumn(type, row[`b${index}`]), fromColumn(type, row[`a${index}`])];
    return before === after ? [] : [{ id: field.id, before, after }];
  });
  return {
    id: Number(row._id),
    title: String(row._title ?? row._id),
    row: Number(row._row),
    before: Object.fromEntries(values.map(({ id, before }) => [id, before])),
    after: Object.fromEntries(values.map(({ id, after }) => [id, after])),
  };
}

const changesOf = ({ title, row, before, after }: ChangedRow, compared: readonly Compared[]) =>
  compared.flatMap(({ field, column }) =>
    field.id in after
      ? [
          {
            row,
            ...(column === null ? {} : { column }),
            record: title,
            field: field.label,
            before: shown(field, before[field.id] ?? null),
            after: shown(field, after[field.id] ?? null),
          },
        ]
      : [],
  );

/**
 * The typed rows of a sheet that went into a standing table: `_row`, `_id`, whether the record `stands` and `differs`,
 * and for each column `v` and its text `t`.
 */
export const typedName = (sheet: number): string => `pg_temp.${quoteIdentifier(`into_${sheet}`)}`;

const shown = (field: Field, value: Scalar): string =>
  value === null ? '' : field.type.kind === 'link' ? `record ${value}` : printValue(value, field.type as EnteredType);
