import type { Client } from '../database/pool';
import { sql } from '../base/sql';

/** Where the numberings of schemas stand; what is rolled back does not bring them back by itself. */
export async function numberingsOf(client: Client, schemas: readonly string[]): Promise<() => Promise<void>> {
  const { rows } = await client.query<{ name: string; last: string | null }>(sql`
    select format('%I.%I', schemaname, sequencename) as name, last_value as last
    from pg_sequences
    where schemaname = any(${schemas})
  `);
  return async () => {
    // Only while nobody else takes numbers: whoever calls holds these workspaces alone.
    await client.query(sql`
      select setval(u.name::regclass, coalesce(u.last, 1), u.last is not null)
      from unnest(${rows.map(({ name }) => name)}::text[], ${rows.map(({ last }) => last)}::bigint[]) u(name, last)
      join pg_sequences s on format('%I.%I', s.schemaname, s.sequencename) = u.name
      where s.last_value is distinct from u.last
    `);
  };
}
