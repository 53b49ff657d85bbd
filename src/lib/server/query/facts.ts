import { fieldOf, isStored, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import type { Pool } from '../database/pool';
import { asideSeen } from './asideSeen';
import { textSql } from '../fieldTypes/registry';
import { identifier, raw, sql } from '../base/sql';

/** What is in a field, counted on all records. */
export interface FieldFacts {
  readonly field: string;
  readonly records: number;
  readonly filled: number;
  /** Null where values are too long or too many to be told apart in passing. */
  readonly distinct: number | null;
  readonly least: string | null;
  readonly greatest: string | null;
  /** The most frequent values, with how often each stands. */
  readonly frequent: readonly { readonly value: string; readonly count: number }[];
  /** Values set aside that wait to be fixed. */
  readonly setAside: number;
}

const ranged: ReadonlySet<string> = new Set(['number', 'date', 'timestamp', 'duration']);
const tellable: ReadonlySet<string> = new Set([
  'text',
  'number',
  'date',
  'boolean',
  'option',
  'timestamp',
  'duration',
  'member',
  'record',
]);

/**
 * The facts of one field, counted in one pass; one field a call, so that the first stand while the others are counted.
 */
export async function factsOf(pool: Pool, access: WorkspaceAccess, table: Table, field: Field): Promise<FieldFacts> {
  const { workspace } = access;
  const name = tableName(workspace, table);
  const { rows: aside } = await pool.query<{ n: number }>(
    sql`
      select count(*) as n
      from loom.open_set_aside
      where workspace = ${workspace.id} and table_id = ${table.id} and field_id = ${field.id}
        and ${asideSeen(access)}
    `,
  );
  const setAside = aside[0]?.n ?? 0;
  if (!isStored(field)) return counterpartFacts(pool, access, table, field, setAside);
  const column = quoteIdentifier(field.key);
  const type = shownType(workspace.model, field);
  const kind = valueTypeOf(field).is;
  const { zone } = homeOf(workspace, table);
  const text = (value: string) => (type.kind === 'link' ? `'#' || ${value}` : textSql(value, type, zone));
  const range = ranged.has(kind)
    ? `, ${text(`min(${column})`)} as least, ${text(`max(${column})`)} as greatest`
    : `, null as least, null as greatest`;
  // Grouped once: counts, distinct values and the most frequent come from the same pass. Long texts are told apart by
  // their beginning only, so they are not counted.
  if (tellable.has(kind) && type.kind !== 'longText') {
    const { rows } = await pool.query<{
      records: number;
      filled: number;
      distinct: number;
      least: string | null;
      greatest: string | null;
      frequent: { value: string; count: number }[] | null;
    }>(
      sql`
        with g as (select ${raw(column)}, count(*) as _n from ${raw(name)} q group by 1),
          top as (
            select ${raw(column)}, _n from g where ${raw(column)} is not null order by _n desc, 1 limit 3
          )
        select coalesce(sum(_n), 0)::bigint as records,
          coalesce(sum(_n) filter (where ${raw(column)} is not null), 0)::bigint as filled,
          count(${raw(column)}) as distinct${raw(range)},
          (
            select jsonb_agg(
              jsonb_build_object(
                'value',
                  left(
                    ${raw(type.kind === 'link' ? linkTitle(access, field, 'top') : text(`top.${column}`))}, 60
                  ),
                  'count', top._n
              )
              order by top._n desc, top.${raw(column)}
            )
            from top
          ) as frequent
        from g
      `,
    );
    const row = rows[0];
    return {
      field: field.id,
      records: row?.records ?? 0,
      filled: row?.filled ?? 0,
      distinct: row?.distinct ?? 0,
      least: row?.least ?? null,
      greatest: row?.greatest ?? null,
      frequent: row?.frequent ?? [],
      setAside,
    };
  }
  const { rows } = await pool.query<{ records: number; filled: number }>(
    sql`select count(*) as records, count(${raw(column)}) as filled from ${raw(name)} q`,
  );
  const { rows: samples } = await pool.query<{ value: string }>(
    sql`
      select left(${raw(text(`t.${column}`))}, 60) as value
      from ${raw(name)} t
      where ${raw(column)} is not null limit 2
    `,
  );
  return {
    field: field.id,
    records: rows[0]?.records ?? 0,
    filled: rows[0]?.filled ?? 0,
    distinct: null,
    least: null,
    greatest: null,
    frequent: samples.map(({ value }) => ({ value, count: 1 })),
    setAside,
  };
}

/** The title of the record that a value of a link points at. */
function linkTitle(access: WorkspaceAccess, link: Field, alias: string): string {
  const { model } = access.workspace;
  const target =
    link.type.kind === 'link'
      ? model.tables.find(({ id }) => link.type.kind === 'link' && id === link.type.to)
      : undefined;
  const title = target?.title ? fieldOf(model, target.title).field : null;
  const key = `${alias}.${quoteIdentifier(link.key)}`;
  if (!target || !title || !isStored(title)) return `'#' || ${key}`;
  return `coalesce((select ${textSql(`y.${quoteIdentifier(title.key)}`, shownType(model, title), homeOf(access.workspace, target).zone)} from ${tableName(access.workspace, target)} y where y._id = ${key}), '#' || ${key})`;
}

/** How many records have somebody on the other side of a link. */
async function counterpartFacts(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  field: Field,
  setAside: number,
): Promise<FieldFacts> {
  if (field.type.kind !== 'counterpart') throw new Error(`${field.key} is stored`);
  const { field: link, table: from } = fieldOf(access.workspace.model, field.type.link);
  const { rows } = await pool.query<{ records: number; filled: number; links: number; most: number }>(
    sql`
      select (select count(*) from ${tableSql(access.workspace, table)} q) as records, count(*) as filled,
        coalesce(sum(n), 0)::bigint as links, coalesce(max(n), 0) as most
      from (
        select count(*) as n
        from ${tableSql(access.workspace, from)} q
        where ${identifier(link.key)} is not null
        group by ${identifier(link.key)}
      ) g
    `,
  );
  const { records = 0, filled = 0, links = 0, most = 0 } = rows[0] ?? {};
  return {
    field: field.id,
    records,
    filled,
    distinct: links,
    least: null,
    greatest: null,
    frequent: most > 0 ? [{ value: 'at most', count: most }] : [],
    setAside,
  };
}
