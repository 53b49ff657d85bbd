import { compileFormulas } from '$core/formula/compiler';
import { quoteIdentifier } from '$core/base/sql';
import { fieldOf } from '$core/model/model';
import type { Expression } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import type { CameOf, ChosenRecords, CopiesName } from '$core/types/recordChange';
import { viewerOf, type WorkspaceAccess } from '../../access/workspaceAccess';
import { homeOf, tableName } from '../../access/workspaceState';
import { identifier, join, raw, sql, type Sql } from '../../base/sql';
import type { Client } from '../../database/pool';

/** What a change works on the records of a set with: all of them at once, in a transaction that stands alone. */
export interface SetWork {
  readonly client: Client;
  readonly access: WorkspaceAccess;
  /** The batch that its history is kept with; it is written at the end of the transaction. */
  readonly batch: number;
  /** Its place among the changes of the batch. */
  readonly step: number;
  /** Fields that the same changes made: what they are filled with goes with them when the batch is undone. */
  readonly fresh?: ReadonlySet<FieldId>;
}

/** From so many records on, what a formula gathers is gathered once for all instead of record by record. */
export const manyRecords = 1_000;

/** The table in which a transaction keeps which record came of which: `_source`, `_target`, and why none did, `_refused`. */
export const copiesTable = (name: CopiesName): Sql => sql`pg_temp.${identifier(`_copies_${name}`)}`;

/** What stands behind `from`: pairs of `source` and `target`. */
export const pairsSql = (cameOf: CameOf): Sql =>
  typeof cameOf === 'string'
    ? sql`(select _source as source, _target as target from ${copiesTable(cameOf)} where _refused is null)`
    : sql`(
        select * from unnest(${cameOf.map(([from]) => from)}::bigint[], ${cameOf.map(([, to]) => to)}::bigint[])
          u(source, target)
      )`;

/**
 * What stands for a table behind `from` where somebody reads it, who may see some of its records only. What they write,
 * be it a condition, a formula or a text that finds records, reads no others.
 */
export const seenName = (access: WorkspaceAccess, table: Table): string =>
  access.cuts?.of.get(table.id) ?? tableName(access.workspace, table);

/**
 * Formulas over records of a table that stands as `r`, with what its person sees of all that they lead to. Each part of
 * a statement has its own joins, named for it.
 */
export function compiledOver(
  access: WorkspaceAccess,
  table: Table,
  formulas: readonly Expression[],
  many: boolean,
  part: 'values' | 'where' | 'by' = 'values',
) {
  const { day, zone } = homeOf(access.workspace, table);
  const { values, joins } = compileFormulas(formulas, {
    model: access.workspace.model,
    nameOf: (other) => seenName(access, other),
    today: `'${day}'::date`,
    zone,
    viewer: viewerOf(access),
    root: 'r',
    aggregates: many ? 'grouped' : 'each',
    part: `_${part}_`,
  });
  return { values, joins };
}

/** The condition on `r` that a record is chosen, with the joins that it needs. Only what the person sees is chosen. */
export function chosenSql(
  access: WorkspaceAccess,
  table: Table,
  { where, only, under }: ChosenRecords,
  many: boolean,
): { readonly where: Sql; readonly joins: string } {
  const compiled = where ? compiledOver(access, table, [where], many, 'where') : null;
  const cut = access.cuts?.of.get(table.id);
  const all = [
    ...(compiled ? [raw(compiled.values[0] ?? 'true')] : []),
    ...(only ? [sql`r._id = any(${only}::bigint[])`] : []),
    ...(cut ? [sql`exists (select from ${raw(cut)} s where s._id = r._id)`] : []),
    ...(under
      ? [
          sql`r.${identifier(fieldOf(access.workspace.model, under.link).field.key)} in (
            select _source from ${copiesTable(under.copies)} where _refused is null
          )`,
        ]
      : []),
  ];
  return { where: all.length > 0 ? join(all, ' and ') : raw('true'), joins: compiled?.joins ?? '' };
}

/** How many records are chosen. */
export async function countChosen(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  chosen: ChosenRecords,
): Promise<number> {
  const { where, joins } = chosenSql(access, table, chosen, true);
  const { rows } = await client.query<{ n: number }>(
    sql`select count(*) as n from ${raw(tableName(access.workspace, table))} r ${raw(joins)} where ${where}`,
  );
  return rows[0]?.n ?? 0;
}

/** A column of a record that stands as this. */
export const columnOf = (alias: string, key: string): string => `${alias}.${quoteIdentifier(key)}`;
