import pg from 'pg';
import { refuse } from '../base/refusal';
import type { Client, Pool } from './pool';
import { sql } from '../base/sql';

const behind = new WeakMap<Pool, Pool>();

/** The pool whose connections a pool for one asker gives out; any other pool is its own. */
export const poolBehind = (pool: Pool): Pool => behind.get(pool) ?? pool;

/** The driver knows which process of the database serves a connection. */
type Served = Client & { readonly processID?: number };

/**
 * A pool for somebody who may go before they are answered: once they do, what runs for them is cancelled in the
 * database, and nothing more is begun. A connection on which something was cancelled is closed, so that a cancel that
 * comes late meets nobody else's statement. Cancelling goes by `others`, as `pool` itself may be full of what is to be
 * cancelled.
 */
export function untilGone(pool: Pool, signal: AbortSignal, others: Pool): Pool {
  const running = new Set<Served>();
  const cancelled = new Map<Served, Promise<unknown>>();
  signal.addEventListener(
    'abort',
    () => {
      for (const client of running)
        if (client.processID !== undefined)
          cancelled.set(
            client,
            others.query(sql`select pg_cancel_backend(${client.processID})`).catch(() => undefined),
          );
    },
    { once: true },
  );
  async function connect(): Promise<Client> {
    if (signal.aborted) throw refuse(503, 'Whoever asked is gone.');
    const client: Served = await pool.connect();
    const release = client.release.bind(client);
    running.add(client);
    client.release = (broken) => {
      running.delete(client);
      const cancelling = cancelled.get(client);
      if (cancelling) void cancelling.then(() => release(true));
      else release(broken);
    };
    return client;
  }
  async function query(...asked: unknown[]): Promise<unknown> {
    const client = await connect();
    let broken = false;
    try {
      return await (client.query as (...all: unknown[]) => Promise<unknown>).apply(client, asked);
    } catch (error) {
      broken = !(error instanceof pg.DatabaseError);
      throw error;
    } finally {
      client.release(broken);
    }
  }
  const own = Object.create(pool, { connect: { value: connect }, query: { value: query } }) as Pool;
  behind.set(own, poolBehind(pool));
  return own;
}
