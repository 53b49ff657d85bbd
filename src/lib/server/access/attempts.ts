import { createHash } from 'node:crypto';
import { RateLimiterPostgres, RateLimiterRes } from 'rate-limiter-flexible';
import type { Pool } from '../database/pool';
import { Refusal, refuse } from '../base/refusal';

/**
 * Who tries a password: for which account, from which place, and whether from a device that has signed in to it before.
 */
export interface Attempt {
  readonly account: string;
  readonly place: string;
  readonly knownDevice: string | null;
}

/**
 * How many passwords may be tried within how many seconds. For one account the longer one goes on trying, the longer
 * one waits; a device that was signed in before has tries of its own, so that no stranger shuts out the right person.
 */
const ofAccount = [
  { points: 5, duration: 60 },
  { points: 20, duration: 3_600 },
  { points: 50, duration: 86_400 },
] as const;
/** From one place for any accounts: an office may share one, so right passwords do not count. */
const ofPlace = {
  points: 60,
  duration: 900,
  // Once they are used up, a process knows that by itself, and asks the database no more.
  inMemoryBlockOnConsumed: 61,
} as const;

const limitersOf = new WeakMap<
  Pool,
  { readonly account: readonly RateLimiterPostgres[]; readonly place: RateLimiterPostgres }
>();

function limiters(pool: Pool) {
  const known = limitersOf.get(pool);
  if (known) return known;
  const limiter = (
    keyPrefix: string,
    limit: { readonly points: number; readonly duration: number; readonly inMemoryBlockOnConsumed?: number },
  ) =>
    new RateLimiterPostgres({
      storeClient: pool,
      storeType: 'pool',
      schemaName: 'loom',
      tableName: 'attempts',
      tableCreated: true,
      clearExpiredByTimeout: false,
      keyPrefix,
      ...limit,
    });
  const made = {
    account: ofAccount.map((limit) => limiter(`account ${limit.duration}`, limit)),
    place: limiter('place', ofPlace),
  };
  limitersOf.set(pool, made);
  return made;
}

/** An account as it is counted: any address is as long as any other, and none stands in the table. */
const nameOf = ({ account, knownDevice }: Attempt): string =>
  createHash('sha256')
    .update(`${account}\n${knownDevice ?? ''}`)
    .digest('base64url');

/**
 * Counts a try before the password is looked at, so that trying many at once is no way past it; refuses it where there
 * were too many. Counted in the database, for all processes.
 */
export const countAttempt = (pool: Pool, attempt: Attempt): Promise<void> =>
  counted(async () => {
    for (const limiter of limiters(pool).account) await limiter.consume(nameOf(attempt));
  });

/**
 * In milliseconds: how long a place that has tried too often waits for each further refusal. Whoever tries without end
 * then keeps the server busy once a second for each of their connections, and not as fast as it can answer.
 */
const refusedAfter = 1_000;

/** Counts a try by the place it comes from, which is known before anything is looked up. */
export const countPlace = (pool: Pool, place: string): Promise<void> =>
  counted(() => limiters(pool).place.consume(place)).catch(async (refusal: unknown) => {
    if (refusal instanceof Refusal) await new Promise((resolve) => setTimeout(resolve, refusedAfter));
    throw refusal;
  });

async function counted(count: () => Promise<unknown>): Promise<void> {
  try {
    await count();
  } catch (reached) {
    if (!(reached instanceof RateLimiterRes)) throw reached;
    throw tooMany(Math.max(1, Math.ceil(reached.msBeforeNext / 1000)));
  }
}

/** No longer counts a try that had the right password. */
export async function attemptWasRight(pool: Pool, attempt: Attempt): Promise<void> {
  const { account, place } = limiters(pool);
  await Promise.all([
    ...account.map((limiter) => limiter.delete(nameOf(attempt))),
    ...(attempt.knownDevice === null ? [place.reward(attempt.place)] : []),
  ]);
}

function tooMany(seconds: number): Refusal {
  const minutes = Math.ceil(seconds / 60);
  const when =
    seconds < 60 ? 'in a minute' : minutes < 90 ? `in ${minutes} minutes` : `in ${Math.ceil(minutes / 60)} hours`;
  return Object.assign(refuse(429, 'Too many passwords were tried.', `Try again ${when}.`), {
    details: { retryAfter: seconds },
  });
}
