import type { IntoExisting, SheetReceipt } from '$core/intake/intake';
import type { Scalar } from '$core/formula/expression';
import { isEntered, valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/sql';
import { printValue, type EnteredType } from '$core/fieldTypes/registry';
import { tableName, type WorkspaceAccess } from '../../access/workspaceAccess';
import type { Client } from '../../database/pool';
import { changedColumns, columnType, fromColumn } from '../../sql/column';
import { titleSql } from '../../query/selection';
import { stagedName } from '../staged/stage';
import type { LoadedSheet } from './loadedSheet';
import { identifier, raw, sql } from '../../base/sql';

/** A mapped column with the SQL of its value over the staged row `s`. */
export interface ValueOfColumn {
  /** Null for what is the same on every row. */
  readonly column: number | null;
  readonly field: Field;
  readonly text: string;
  readonly value: string;
}

const chunk = 5_000;
const shownChanges = 20;

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
  const name = tableName(access.workspace, table);
  await client.query(sql`update ${raw(staged)} set _target = null where _target is not null`);
  if (into.record !== undefined) {
    const number = `case when s.c${into.record} ~ '^\\d{1,15}$' then s.c${into.record}::bigint end`;
    await client.query(
      sql`
        update ${raw(staged)} s
        set _target = t._id
        from ${raw(name)} t
        where s._refused is null and t._id = ${raw(number)}
      `,
    );
    await client.query(
      refuseRows(
        staged,
        'the record it was for is no longer there',
        `s.c${into.record} is not null and s._target is null`,
      ),
    );
  }
  const by = values.filter(({ field }) => into.by.includes(field.id));
  const open = 's._refused is null and s._target is null';
  const labels = by.map(({ field }) => `“${field.label}”`).join(' and ');
  if (by.length > 0) {
    const same = by.map(({ field, value }) => `t.${quoteIdentifier(field.key)} = ${value}`).join(' and ');
    await client.query(
      sql`
        update ${raw(staged)} s
        set _target = case when m.n = 1 then m.id end,
          _refused = case when m.n > 1 then ${raw(quoteText(`several records have this ${labels}`))} end
        from (
          select s._row, count(*) as n, min(t._id) as id
          from ${raw(staged)} s
          join ${raw(name)} t on ${raw(same)}
          where ${raw(open)}
          group by 1
        ) m
        where m._row = s._row
      `,
    );
    const again = (partition: string, where: string, reason: string) =>
      client.query(
        sql`
          update ${raw(staged)} s
          set _refused = ${raw(quoteText(reason))}
          from (
            select _row, row_number() over (partition by ${raw(partition)} order by _row) as n
            from ${raw(staged)} s
            where _refused is null and ${raw(where)}
          ) d
          where d._row = s._row and d.n > 1
        `,
      );
    await again('_target', '_target is not null', 'an earlier row is for the same record');
    await again(
      by.map(({ value }) => value).join(', '),
      `_target is null and ${by.map(({ value }) => `${value} is not null`).join(' and ')}`,
      `an earlier row has the same ${labels}`,
    );
  }
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
          set _refused = ${raw(quoteText(`“${field.label}” must be unique, and another record has this value`))}
          from ${raw(name)} t
          where s._refused is null and t.${identifier(field.key)} = ${raw(value)}
            and t._id is distinct from s._target
        `,
      );
  const mapped = new Set(values.map(({ field }) => field.id));
  for (const field of table.fields)
    if (field.required && isEntered(field) && field.default === undefined && !mapped.has(field.id))
      await client.query(refuseRows(staged, `“${field.label}” is required`, 's._target is null'));
}

/**
 * Brings the rows of a sheet into a table that stands: typed once, then new records added, changed ones written, all
 * set-based. Gives the first few values that differ; `remember` keeps each changed record's values before and after.
 */
export async function writeInto(
  client: Client,
  access: WorkspaceAccess,
  { sheet, table, offset, mapping }: LoadedSheet,
  into: IntoExisting,
  values: readonly ValueOfColumn[],
  joins: readonly string[],
  remember: (
    rows: readonly {
      readonly id: number;
      readonly before: Record<string, Scalar>;
      readonly after: Record<string, Scalar>;
    }[],
  ) => Promise<void>,
): Promise<NonNullable<SheetReceipt['changes']>> {
  const name = tableName(access.workspace, table);
  const typed = typedName(mapping.sheet);
  await client.query(sql`drop table if exists ${raw(typed)}`);
  await client.query(
    sql`
      create temporary table ${identifier(`into_${mapping.sheet}`)} on commit drop as select s._row,
        coalesce(s._target, ${raw(String(offset))} + s._row) as _id, s._target is not null as stands,
        false as differs${raw(
          values
            .map(
              ({ field, value, text }, index) =>
                `, (${value})::${columnType(field)} as v${index}, ${text} as t${index}`,
            )
            .join(''),
        )}
      from ${raw(stagedName(sheet.staged))} s ${raw(joins.join(' '))}
      where s._refused is null
    `,
  );
  await client.query(sql`analyze ${raw(typed)}`);
  const columns = values.map(({ field }) => quoteIdentifier(field.key));
  await client.query(
    sql`
      insert into ${raw(name)} (${raw(['_id', ...columns].join(', '))})
      select ${raw(['_id', ...values.map((_, index) => `v${index}`)].join(', '))}
      from ${raw(typed)}
      where not stands
    `,
  );
  const after = columns.map((column, index) =>
    into.blanks === 'keep' ? `coalesce(u.v${index}, t.${column})` : `u.v${index}`,
  );
  const differs =
    columns.map((column, index) => `t.${column} is distinct from ${after[index] ?? 'null'}`).join(' or ') || 'false';
  const changes: NonNullable<SheetReceipt['changes']>[number][] = [];
  let changed = 0;
  await client.query(
    sql`
      declare differing no scroll cursor for
      select t._id,
        ${raw(titleSql(access, table, 't'))} as _title${raw(columns.map((column, index) => `, t.${column} as b${index}, ${after[index] ?? 'null'} as a${index}`).join(''))}
      from ${raw(typed)} u
      join ${raw(name)} t on t._id = u._id
      where u.stands and (${raw(differs)})
      order by t._id
    `,
  );
  for (;;) {
    const { rows } = await client.query<Record<string, unknown>>(sql`fetch ${raw(String(chunk))} from differing`);
    if (rows.length === 0) break;
    changed += rows.length;
    await remember(
      rows.map((row) => {
        const before: Record<string, Scalar> = {};
        const now: Record<string, Scalar> = {};
        values.forEach(({ field }, index) => {
          const type = valueTypeOf(field);
          const [b, a] = [fromColumn(type, row[`b${index}`]), fromColumn(type, row[`a${index}`])];
          if (b === a) return;
          before[field.id] = b;
          now[field.id] = a;
          if (changes.length < shownChanges)
            changes.push({
              record: String(row._title ?? row._id),
              field: field.label,
              before: shown(field, b),
              after: shown(field, a),
            });
        });
        return { id: Number(row._id), before, after: now };
      }),
    );
  }
  await client.query('close differing');
  const where = `t._id = u._id and u.stands and (${differs})`;
  if (changed > 0) {
    await client.query(sql`update ${raw(typed)} u set differs = true from ${raw(name)} t where ${raw(where)}`);
    await client.query(
      sql`
        update ${raw(name)} t
        set ${raw([...columns.map((column, index) => `${column} = ${after[index] ?? 'null'}`), ...changedColumns(table.fields, quoteIdentifier), '_version = t._version + 1'].join(', '))}
        from ${raw(typed)} u
        where ${raw(where)}
      `,
    );
  }
  return changes;
}

/**
 * The typed rows of a sheet that went into a standing table: `_row`, `_id`, whether the record `stands` and `differs`,
 * and for each column `v` and its text `t`.
 */
export const typedName = (sheet: number): string => `pg_temp.${quoteIdentifier(`into_${sheet}`)}`;

const shown = (field: Field, value: Scalar): string =>
  value === null ? '' : field.type.kind === 'link' ? `record ${value}` : printValue(value, field.type as EnteredType);
