import pLimit, { type LimitFunction } from 'p-limit';
import { and, eq, inArray } from 'drizzle-orm';
import { intakes, type IntakeProgress } from '../database/catalogue';
import { catalogueOn, openPool, type Pool } from '../database/pool';
import { log } from '../base/log';

/**
 * So many intakes are read or loaded at once in a process; the others wait for their turn and hold no connection
 * meanwhile.
 */
const atOnce = 2;
/** One that holds the intake's lock, and one for the transaction, for each at once. */
const connections = atOnce * 2;
/** In milliseconds: how often those that wait say so, and after how long of silence nobody waits any more. */
const saidEvery = 2_000;
const waitsFor = 10_000;
const waitingPhase = 'waiting for its turn';

interface Line {
  readonly limit: LimitFunction;
  /** What waits for its turn, and what has it. */
  readonly here: Set<number>;
  readonly jobs: Pool;
}

// A pool has one line for as long as it is there.
const lines = new WeakMap<Pool, Line>();

function lineOf(pool: Pool): Line {
  const known = lines.get(pool);
  if (known) return known;
  const line = {
    limit: pLimit(atOnce),
    here: new Set<number>(),
    jobs: openPool(pool.options.connectionString ?? '', connections),
  };
  lines.set(pool, line);
  return line;
}

/**
 * Does long work on an intake in its turn, with connections of its own, so that any number of files that come at once
 * wait for each other instead of for ever. What it throws is written down: nobody waits for it.
 */
export async function inTurn(pool: Pool, id: number, work: (jobs: Pool) => Promise<void>): Promise<void> {
  const line = lineOf(pool);
  line.here.add(id);
  const say = () => sayWaiting(pool, id);
  const timer = line.limit.activeCount >= atOnce ? setInterval(() => void say(), saidEvery) : null;
  if (timer) await say();
  try {
    await line.limit(async () => {
      if (timer) clearInterval(timer);
      await work(line.jobs);
    });
  } catch (error) {
    log.incident(error, { intake: id });
  } finally {
    if (timer) clearInterval(timer);
    line.here.delete(id);
  }
}

/** Says that an intake waits, for other processes to see that nothing was cut off. */
async function sayWaiting(pool: Pool, id: number): Promise<void> {
  await catalogueOn(pool)
    .update(intakes)
    .set({ progress: awaited(waitingPhase) })
    .where(and(eq(intakes.id, id), inArray(intakes.state, ['reading', 'loading'])))
    .catch((error: unknown) => log.incident(error));
}

/** The progress of work that is about to be taken up: no other process takes it for cut off before that. */
export const awaited = (phase: string): IntakeProgress => ({ phase, done: 0, of: null, at: Date.now() });

/** Whether an intake whose lock nobody holds is in hand all the same, in this process or another one. */
export const inHand = (pool: Pool, id: number, progress: IntakeProgress | null): boolean =>
  (lines.get(pool)?.here.has(id) ?? false) || Date.now() - (progress?.at ?? 0) < waitsFor;

/** Ends the connections that are kept for long work. */
export async function endJobs(pool: Pool): Promise<void> {
  await lines.get(pool)?.jobs.end();
  lines.delete(pool);
}
