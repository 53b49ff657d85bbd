import { createHash } from 'node:crypto';
import { givenIn } from '$core/routines/scope';
import type { Table } from '$core/types/model';
import type { Routine } from '$core/types/routine';
import { keptIn, keptSql, type Kept } from '../../access/keptRoutines';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { homeOf } from '../../access/workspaceState';
import { sql } from '../../base/sql';
import { prepared } from '../../sql/statement';
import type { Client, Pool } from '../../database/pool';

/** After so many failures in a row a routine is paused. */
export const mostFailures = 10;

const hashes = new WeakMap<Routine, string>();

/**
 * Tells what a routine does: one that was tried is known again by it, whatever it, and all that it names, is called. The
 * identities of inputs and results are new with each saving, so they count by their places.
 */
export function routineHash(routine: Routine): string {
  const known = hashes.get(routine);
  if (known !== undefined) return known;
  const { when, where, steps, failing } = routine;
  const text = [...givenIn(routine)].reduce(
    (written, id, at) => written.replaceAll(`"${id}"`, `"given ${at}"`),
    JSON.stringify([when, where, steps, failing]),
  );
  const hash = createHash('sha256').update(text).digest('hex');
  hashes.set(routine, hash);
  return hash;
}

/** What is kept of routines, by their identities; see `keptSql`. */
export async function keptOf(connection: Client | Pool, ids: readonly string[]): Promise<ReadonlyMap<string, Kept>> {
  return keptIn((await prepared(connection, keptSql(sql`r.id = any(${ids}::text[])`), '')).rows);
}

/**
 * Says who keeps a routine from now on, as they made it or changed it; it begins anew. What the clock sets off begins
 * with the next hour of its own that comes.
 */
export async function keepRoutine(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  { id, when }: Pick<Routine, 'id' | 'when'>,
): Promise<void> {
  const hour = 'hour' in when ? when.hour : 0;
  await client.query(sql`
    insert into loom.routines (id, workspace, keeper, done_through)
    select ${id}, w.id, ${access.person.id},
      n.now::date - case when extract(hour from n.now) < ${hour}::int then 1 else 0 end
    from loom.workspaces w cross join lateral (select now() at time zone w.zone as now) n
    where w.id = ${homeOf(access.workspace, table).id} and ${access.person.id}::int > 0
    on conflict (id) do update
      set keeper = excluded.keeper, failures = 0, paused_at = null, problem = null, done_through = excluded.done_through
  `);
}

/** Counts a failure of a routine; at the tenth in a row it is paused. */
export const countFailure = (connection: Client | Pool, id: string, problem: string): Promise<unknown> =>
  connection.query(sql`
    update loom.routines set failures = failures + 1, problem = ${problem.slice(0, 1000)},
      paused_at = case when failures + 1 >= ${mostFailures} then coalesce(paused_at, now()) else paused_at end
    where id = ${id}
  `);

/** Whether a routine runs as it stands: it was tried so, and is not paused. */
export const isReady = (routine: Routine, kept: Kept | undefined): kept is Kept =>
  kept !== undefined && !kept.paused && kept.tried.includes(routineHash(routine));
