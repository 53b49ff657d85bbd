import type { Client, Pool } from '../database/pool';

/** How many records a table holds, as PostgreSQL last knew: enough to say how long something takes, or how coarse it may be. */
export async function estimatedRecords(connection: Pool | Client, table: string): Promise<number> {
  const { rows } = await connection.query<{ n: number }>('select greatest(reltuples, 0)::bigint as n from pg_class where oid = $1::regclass', [table]);
  return rows[0]?.n ?? 0;
}
