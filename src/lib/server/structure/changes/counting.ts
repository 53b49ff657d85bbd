import { compileFormulas, noViewer } from '$core/formula/compiler';
import { hierarchyPaths } from '$core/flow/hierarchy';
import type { Duration, Effect } from '$core/changes/effect';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../../access/workspaceState';
import type { Client, Pool } from '../../database/pool';
import { estimatedRecords } from '../../query/estimate';
import { titleSql } from '../../query/selection';
import { textSql } from '../../fieldTypes/registry';
import { empty, raw, sql } from '../../base/sql';

/** What is said of a change beside its words. */
export type Counted = Partial<Omit<Effect, 'change'>>;

/** What the counting of one change works with. */
export interface Counting {
  readonly client: Client;
  readonly access: WorkspaceAccess;
  readonly before: Model;
  readonly after: Model;
  /** The table as it is stored now; tables that the same plan makes hold nothing yet. */
  readonly table: Table;
}

export const countOf = async (client: Client, statement: string): Promise<number> =>
  (await client.query<{ n: number }>(statement)).rows[0]?.n ?? 0;

export const filled = ({ client, access, table }: Counting, field: Field) =>
  field.type.kind === 'counterpart'
    ? Promise.resolve(0)
    : countOf(
        client,
        `
      select count(${quoteIdentifier(field.key)}) as n from ${tableName(access.workspace, table)}
    `,
      );

/**
 * Looks at what may not be there yet, as the same plan makes it; then there is nothing to show, and the transaction
 * goes on.
 */
export async function attempt<T>(client: Client, look: () => Promise<T>, otherwise: T): Promise<T> {
  await client.query('savepoint looked');
  try {
    return await look();
  } catch {
    await client.query('rollback to savepoint looked');
    return otherwise;
  } finally {
    await client.query('release savepoint looked');
  }
}

export async function durationOf({ client, access, table }: Counting): Promise<Duration> {
  const records = await estimatedRecords(client, tableName(access.workspace, table));
  return records > 200_000 ? 'long' : records > 5000 ? 'seconds' : 'instant';
}

/**
 * The first records of a table, or those named, with what a formula gives for them; only over what is stored already,
 * so not over a hierarchy.
 */
export async function formulaSamples(
  client: Client | Pool,
  access: WorkspaceAccess,
  model: Model,
  table: Table,
  field: Field,
  most: number,
  ids?: readonly number[],
): Promise<Effect['samples']> {
  if (field.type.kind !== 'formula' || hierarchyPaths(model, field).length > 0) return [];
  const { day, zone } = homeOf(access.workspace, table);
  const { joins, values } = compileFormulas([field.type.formula], {
    model,
    nameOf: (other) => tableName(access.workspace, other),
    today: `'${day}'::date`,
    zone,
    viewer: noViewer,
    root: 'r',
    aggregates: 'each',
  });
  const shown = textSql(values[0] ?? 'null', shownType(model, field), zone);
  const { rows } = await client.query<{ record: string; after: string | null }>(
    sql`
      select ${raw(titleSql(access, table, 'r'))} as record, ${raw(shown)} as after
      from (
        select * from ${tableSql(access.workspace, table)}
        ${ids ? sql`where _id = any(${ids})` : empty}
        order by _id limit ${most}
      ) r ${raw(joins)}
      order by r._id
    `,
  );
  return rows.map(({ record, after }) => ({ record, before: '', after: after ?? '' }));
}
