import type pg from 'pg';
import type { Client, Pool } from '../database/pool';
import { inTransaction, isLostRace } from '../database/transaction';
import { refreshSeat, type Seat } from './seat';

/** First key of the advisory locks on workspaces; the second is the workspace's id. */
const workspaceLock = 7001;

/** Thrown inside a shared transaction when its consequences reach so many records that it must stand alone. */
export class NeedsWhole extends Error {}

/**
 * Runs `work` in a transaction that holds the workspace's advisory lock: shared for writing records, exclusive
 * (`whole`) for changing the structure, for loads and for edits with consequences for very many records. The model's
 * version is read in a statement after the lock is held, so `work` gets a seat that cannot move on under it.
 *
 * Lock order everywhere: workspace (advisory) → records of a child table → records of the tables above it, each table's
 * by `_id`. What cannot keep to it is retried when PostgreSQL finds the deadlock.
 */
export async function withWorkspace<T>(
  pool: Pool,
  seat: Seat,
  lock: 'shared' | 'whole',
  work: (client: Client, seat: Seat, whole: boolean) => Promise<T>,
): Promise<T> {
  const { id } = seat.workspace;
  const run = (mode: 'shared' | 'whole') =>
    inTransaction(
      pool,
      `select pg_advisory_xact_lock${mode === 'shared' ? '_shared' : ''}(${workspaceLock}, ${id}); select version, day from loom.workspaces where id = ${id}`,
      async (client, begun) => {
        const now = (begun.at(-1) as pg.QueryResult<{ version: number; day: string }> | undefined)?.rows[0];
        const current = now?.version === seat.workspace.version && now.day === seat.workspace.day ? seat : await refreshSeat(client, seat);
        return work(client, current, mode === 'whole');
      },
    );
  try {
    return await run(lock);
  } catch (error) {
    // An edit that loses race after race gets its turn alone.
    if (lock === 'shared' && (error instanceof NeedsWhole || isLostRace(error))) return run('whole');
    throw error;
  }
}
