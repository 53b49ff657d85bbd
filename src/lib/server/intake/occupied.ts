import { and, eq, inArray } from 'drizzle-orm';
import { intakes, type IntakeState } from '../database/catalogue';
import { intakeLock } from '../database/locks';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { errorCode } from '../database/transaction';
import { log } from '../base/log';
import { Refusal } from '../base/refusal';
import { sql } from '../base/sql';

const canceled = '57014';
/** What PostgreSQL says when there is no room left: on the disk, or within what was allowed. */
const noRoom: ReadonlySet<string | undefined> = new Set(['53100', '53400']);

/** In milliseconds: whoever says that work has ended lets go of its lock right after. */
const patience = 2_000;

/** A connection that holds the intake's lock, or null when somebody works on it already. */
async function occupy(jobs: Pool, id: number): Promise<Client | null> {
  const until = Date.now() + patience;
  const client = await jobs.connect();
  try {
    for (;;) {
      const { rows } = await client.query<{ held: boolean }>(
        sql`select pg_try_advisory_lock(${intakeLock}, ${id}) as held`,
      );
      if (rows[0]?.held) return client;
      if (Date.now() > until) break;
      await new Promise((resolve) => setTimeout(resolve, 40));
    }
  } catch (error) {
    // A connection that broke is not kept.
    client.release(true);
    throw error;
  }
  client.release();
  return null;
}

/**
 * Works on an intake under its lock; what goes wrong becomes the intake's state, for people. The lock is held until
 * after the state says how the work ended, so whoever finds the lock free knows that it was cut off.
 */
export async function working(
  jobs: Pool,
  id: number,
  failed: IntakeState,
  work: (client: Client) => Promise<Partial<typeof intakes.$inferInsert>>,
): Promise<void> {
  const client = await occupy(jobs, id);
  // Whoever holds it says how it ends.
  if (!client) return;
  let outcome: Partial<typeof intakes.$inferInsert>;
  try {
    outcome = await work(client);
  } catch (error) {
    outcome = outcomeOf(error, id, failed);
  }
  await catalogueOn(jobs)
    .update(intakes)
    .set({ ...outcome, progress: null, cancelAsked: 0 })
    // What the work itself wrote down with all that it did stands, even where the answer to that was lost.
    .where(and(eq(intakes.id, id), inArray(intakes.state, ['reading', 'loading'])))
    .catch((error: unknown) => log.incident(error, { intake: id }));
  const unlocked = await client.query(sql`select pg_advisory_unlock(${intakeLock}, ${id})`).catch(() => null);
  client.release(unlocked === null);
}

/** What went wrong, for people. */
function outcomeOf(error: unknown, id: number, failed: IntakeState): Partial<typeof intakes.$inferInsert> {
  if (error instanceof Refusal)
    return { state: failed, problem: [error.problem.message, error.problem.fix].filter(Boolean).join(' ') };
  if (errorCode(error) === canceled)
    return { state: failed === 'failed' ? 'cancelled' : failed, problem: 'Cancelled; nothing of it was kept.' };
  const incident = log.incident(error, { intake: id });
  if (noRoom.has(errorCode(error)))
    return {
      state: failed,
      problem: 'There is no room left on the disk of the database; nothing of it was kept. Make room, then try again.',
    };
  return {
    state: 'failed',
    problem: `The work was cut off, and nothing of it was kept (${incident}). Bring the files in again.`,
  };
}
