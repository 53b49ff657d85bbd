import type { Client, Pool } from '../database/pool';
import { sql } from '../base/sql';

/**
 * How many records tables hold, as PostgreSQL last knew: enough to say how long something takes, or how coarse it may
 * be.
 */
export async function estimatesOf(connection: Pool | Client, tables: readonly string[]): Promise<number[]> {
  const { rows } = await connection.query<{ n: number }>(
    sql`
      select greatest(c.reltuples, 0)::bigint as n
      from unnest(${tables}::text[])
      with ordinality t(name, place)
      join pg_class c on c.oid = t.name::regclass
      order by place
    `,
  );
  return rows.map(({ n }) => n);
}

/** The same of one table. */
export const estimatedRecords = async (connection: Pool | Client, table: string): Promise<number> =>
  (await estimatesOf(connection, [table]))[0] ?? 0;
