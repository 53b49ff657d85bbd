import { RateLimiterMemory, RateLimiterRes } from 'rate-limiter-flexible';
import { sql } from '../base/sql';
import { log } from '../base/log';
import { refuse } from '../base/refusal';
import type { Pool } from '../database/pool';

/** Calls that a token may make in a minute, to each process. */
const perMinute = Number(process.env.LOOM_TOKEN_CALLS ?? 3_000);
const limiter = new RateLimiterMemory({ points: perMinute, duration: 60 });

/** What is left to a token, as its program is told (draft-ietf-httpapi-ratelimit-headers). */
type Left = Readonly<Record<'ratelimit-limit' | 'ratelimit-remaining' | 'ratelimit-reset', string>>;

const leftOf = ({ remainingPoints, msBeforeNext }: RateLimiterRes): Left => ({
  'ratelimit-limit': String(perMinute),
  'ratelimit-remaining': String(remainingPoints),
  'ratelimit-reset': String(Math.ceil(msBeforeNext / 1000)),
});

/** Counts a call of a token and says what is left to it; refuses the call where there were too many. */
export async function countCall(token: number, say: (left: Left) => void): Promise<void> {
  try {
    say(leftOf(await limiter.consume(token)));
  } catch (reached) {
    if (!(reached instanceof RateLimiterRes)) throw reached;
    say(leftOf(reached));
    const seconds = Math.max(1, Math.ceil(reached.msBeforeNext / 1000));
    throw Object.assign(
      refuse(
        429,
        `This token has made ${perMinute.toLocaleString('en')} calls within a minute, which is all it may.`,
        'Wait, or send many records with one call.',
      ),
      { details: { retryAfter: seconds } },
    );
  }
}

interface Called {
  readonly token: number;
  readonly at: string;
  readonly method: string;
  readonly path: string;
  readonly status: number;
}

/** So much of an address is kept, and so often what was called is written down, in milliseconds. */
const mostPath = 300;
const writtenEvery = 1_000;
/** What waits to be written: of more than this the rest is not kept, so that a busy program holds up nobody. */
const mostWaiting = 20_000;

let waiting: Called[] = [];
let timer: NodeJS.Timeout | null = null;

/** Writes down that a program called; nobody waits for it. */
export function noteCall(pool: Pool, called: Omit<Called, 'at'>): void {
  if (waiting.length >= mostWaiting) return;
  waiting.push({ ...called, path: called.path.slice(0, mostPath), at: new Date().toISOString() });
  timer ??= setTimeout(() => {
    const lines = waiting;
    [waiting, timer] = [[], null];
    void write(pool, lines).catch((error: unknown) => log.incident(error));
  }, writtenEvery).unref();
}

/** Tokens that were revoked meanwhile have no list any more. */
async function write(pool: Pool, lines: readonly Called[]): Promise<void> {
  await pool.query(sql`
    insert into loom.token_calls (token, at, method, path, status)
    select c.token, c.at, c.method, c.path, c.status
    from jsonb_to_recordset(${JSON.stringify(lines)}::jsonb)
      as c (token int, at timestamptz, method text, path text, status int)
    join loom.tokens t on t.id = c.token
  `);
}
