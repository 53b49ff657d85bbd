import pLimit from 'p-limit';
import { authorize } from '../access/workspaceAccess';
import { sql } from '../base/sql';
import { log } from '../base/log';
import { Refusal } from '../base/refusal';
import type { Pool } from '../database/pool';
import type { ChangeListener } from '../live/events';
import { outboundUrl, send, signed, type Sent } from '../http/outbound';
import { Untellable, webhookBody } from './webhookBody';

/**
 * In seconds: how long after each failed try the next one is. About a day in all; then the webhook stops, and nothing
 * of it is lost until somebody lets it go on.
 */
const waits = [2, 10, 60, 300, 1_800, 7_200, 21_600, 43_200] as const;
/** In seconds: whoever sends has so long, which is more than a receiver has; then another process may. */
const lease = 60;
/** In milliseconds: how often it is looked whether there is something to send, besides when something happens. */
const lookedEvery = 5_000;
/** In milliseconds: so long a process that ends waits for what it has sent to be answered. */
const leaving = 2_000;
/** Webhooks that a process sends for at once. */
const atOnce = 8;

/** A delivery that this process sends, with its webhook as it is in that moment. */
interface Delivery {
  readonly id: number;
  readonly batch: number;
  readonly body: string | null;
  readonly tries: number;
  readonly webhook: number;
  readonly workspace: number;
  readonly tableId: string;
  readonly viewId: string | null;
  readonly url: string;
  readonly secret: string;
  readonly person: number;
  readonly email: string;
  readonly name: string;
}

/** What sends, until it is stopped: then what is on its way is waited for, and nothing more is begun. */
export interface Delivering {
  readonly stop: () => Promise<void>;
}

/** Sends what webhooks are to send, for as long as the process runs. Any number of processes may do so at once. */
export function beginDelivering(pool: Pool, listener: ChangeListener): Delivering {
  let stopped = false;
  let soon: NodeJS.Timeout | null = null;
  /** Workspaces that have webhooks, as it was last looked. */
  let watched: ReadonlySet<number> = new Set();
  const going = new Map<number, { again: boolean; done: Promise<void> }>();
  const limit = pLimit(atOnce);
  const deliver = async (webhook: number, run: { again: boolean }) => {
    try {
      do {
        run.again = false;
        await limit(() => deliverAll(pool, webhook, () => stopped));
      } while (run.again && !stopped);
    } catch (error) {
      log.incident(error, { webhook });
    } finally {
      going.delete(webhook);
    }
  };
  const begin = (webhook: number) => {
    const known = going.get(webhook);
    if (known) return void (known.again = true);
    const run = { again: false, done: Promise.resolve() };
    going.set(webhook, run);
    run.done = deliver(webhook, run);
  };
  const look = async () => {
    if (stopped) return;
    watched = await watchedIn(pool);
    const webhooks = watched.size === 0 ? [] : await withWork(pool);
    if (!stopped) webhooks.forEach(begin);
  };
  const lookNow = () => void look().catch((error: unknown) => log.incident(error));
  // What happened is told once every transaction that was begun before has ended: a moment later. Where no webhook is
  // nothing is looked at, unless there may be a new one.
  listener.hearAll(({ workspace, batch }) => {
    if (batch !== null && !watched.has(workspace)) return;
    soon ??= setTimeout(() => {
      soon = null;
      lookNow();
    }, 150);
    soon.unref();
  });
  void asOfThisServer(pool)
    .then(lookNow)
    .catch((error: unknown) => log.incident(error));
  const timer = setInterval(lookNow, lookedEvery);
  timer.unref();
  return {
    stop: async () => {
      stopped = true;
      clearInterval(timer);
      if (soon) clearTimeout(soon);
      const all = Promise.all([...going.values()].map(({ done }) => done));
      await Promise.race([all, new Promise((resolve) => setTimeout(resolve, leaving).unref())]);
    },
  };
}

const watchedIn = async (pool: Pool): Promise<ReadonlySet<number>> => {
  const { rows } = await pool.query<{ id: number }>(sql`select distinct workspace as id from loom.webhooks`);
  return new Set(rows.map(({ id }) => id));
};

/** The number that the next transaction gets. */
const nextTransaction = sql`pg_snapshot_xmax(pg_current_snapshot())::text::bigint`;

/**
 * A database that was put into another server holds numbers of transactions that are yet to come here: they would be
 * waited for, and told of once more when they came.
 */
async function asOfThisServer(pool: Pool): Promise<void> {
  await pool.query(sql`
    update loom.batches b set transaction = 0 from loom.workspaces w
    where b.workspace = w.id and b.transaction > (select ${nextTransaction})
  `);
  await pool.query(sql`update loom.webhooks set seen = ${nextTransaction} where seen > ${nextTransaction}`);
}

/**
 * Every transaction of this database with a lower number has ended, and is there for whoever looks from now on. Those of
 * other databases, in which anything may go on for long, do not count. What PostgreSQL says of running ones has 32 bits.
 */
async function allEndedBefore(pool: Pool): Promise<number> {
  const { rows } = await pool.query<{ at: number }>(sql`
    with s as (select ${nextTransaction} as next)
    select least(s.next, (
      select min(s.next - ((s.next - a.backend_xid::text::bigint) & 4294967295)) from pg_stat_activity a
      where a.datname = current_database() and a.backend_xid is not null
    ))::float8 as at from s
  `);
  return rows[0]?.at ?? 0;
}

/**
 * Notes a delivery for each batch that a webhook has to tell of, and gives the webhooks that have something to send.
 * Batches are told in the order of their transactions, once no earlier one can still end: none is passed over, and
 * those of one record come as they were made, as each waits for the lock of the one before.
 */
async function withWork(pool: Pool): Promise<number[]> {
  const at = await allEndedBefore(pool);
  await pool.query(sql`
    with w as (
      select w.id, w.workspace, w.table_id, w.seen from loom.webhooks w
      where w.seen < ${at} and exists (
        select from loom.batches b
        where b.workspace = w.workspace and b.transaction >= w.seen and b.transaction < ${at}
      )
      order by w.id for update of w skip locked
    ),
    d as (
      insert into loom.deliveries (webhook, batch)
      select w.id, b.id from w join loom.batches b
        on b.workspace = w.workspace and b.transaction >= w.seen and b.transaction < ${at}
      where exists (select from loom.history h where h.batch = b.id and h.table_id = w.table_id)
      order by w.id, b.transaction, b.id
    )
    update loom.webhooks set seen = ${at} from w where loom.webhooks.id = w.id
  `);
  const { rows } = await pool.query<{ id: number }>(sql`
    select w.id from loom.webhooks w
    cross join lateral (
      select d.next_at from loom.deliveries d where d.webhook = w.id and d.state = 'waiting' order by d.id limit 1
    ) head
    where w.state = 'on' and head.next_at <= now()
  `);
  return rows.map(({ id }) => id);
}

/** Sends one delivery after the other, until there is none, or one has to wait. */
async function deliverAll(pool: Pool, webhook: number, isOver: () => boolean): Promise<void> {
  while (!isOver()) {
    const delivery = await claimed(pool, webhook);
    if (!delivery) return;
    if (!(await written(pool, delivery, await tell(pool, delivery)))) return;
  }
}

/** The first delivery that waits, for as long as the lease; null where it has to wait, or another process has it. */
async function claimed(pool: Pool, webhook: number): Promise<Delivery | null> {
  const { rows } = await pool.query<Delivery>(sql`
    update loom.deliveries d set tries = d.tries + 1, next_at = now() + make_interval(secs => ${lease})
    from loom.webhooks w join loom.people p on p.id = w.person
    where w.id = ${webhook} and w.state = 'on' and d.id = (
      select head.id from (
        select h.id, h.next_at from loom.deliveries h
        where h.webhook = ${webhook} and h.state = 'waiting' order by h.id limit 1
      ) head where head.next_at <= now()
    ) and d.next_at <= now() and d.state = 'waiting'
    returning d.id, d.batch, d.body, d.tries, d.webhook,
      w.workspace, w.table_id as "tableId", w.view_id as "viewId", w.url, w.secret, w.person, p.email, p.name
  `);
  return rows[0] ?? null;
}

/** What became of a delivery: sent, nothing of it to be told, or not to be told any more. */
type Told =
  | { readonly kind: 'sent'; readonly sent: Sent; readonly body: string }
  | { readonly kind: 'nothing' }
  | { readonly kind: 'over'; readonly why: string };

async function tell(pool: Pool, delivery: Delivery): Promise<Told> {
  const { person: id, email, name, workspace, url, secret } = delivery;
  try {
    const access = await authorize(pool, { id, email, name }, String(workspace), 'takeOut');
    const made = delivery.body ?? JSON.stringify(await webhookBody(pool, access, delivery, delivery.batch));
    if (made === 'null') return { kind: 'nothing' };
    const sent = await send(outboundUrl(url), made, signed(secret, `delivery_${delivery.id}`, made));
    return { kind: 'sent', sent, body: made };
  } catch (error) {
    if (error instanceof Untellable) return { kind: 'over', why: error.message };
    if (error instanceof Refusal && [403, 404].includes(error.status))
      return { kind: 'over', why: `${name}, who made it, may not take data out of this workspace any more.` };
    if (error instanceof Refusal && error.status === 422) return { kind: 'over', why: error.message };
    throw error;
  }
}

/**
 * Writes down what became of a delivery; whether the next one may go. What was sent is kept for where it was sent to:
 * nobody gets it who names another address meanwhile.
 */
async function written(pool: Pool, { id, tries, webhook, person, url }: Delivery, told: Told): Promise<boolean> {
  if (told.kind === 'nothing') {
    await pool.query(sql`
      update loom.deliveries set state = 'passed over', answer = 'Nothing of it is to be told.' where id = ${id}
    `);
    return true;
  }
  const { status, answer } = told.kind === 'sent' ? told.sent : { status: null, answer: told.why };
  const arrived = status !== null && status >= 200 && status < 300;
  const wait = told.kind === 'over' ? undefined : waits[tries - 1];
  const state = arrived ? 'delivered' : wait === undefined ? 'failed' : 'waiting';
  await pool.query(sql`
    with d as (
      update loom.deliveries set state = ${state}, status = ${status}, answer = ${answer},
        body = (
          select ${told.kind === 'sent' ? told.body : null}::text from loom.webhooks w
          where w.id = ${webhook} and w.person = ${person} and w.url = ${url}
        ),
        sent_at = now(),
        next_at = now() + make_interval(secs => ${wait ?? 0})
      where id = ${id}
    )
    update loom.webhooks set state = 'stopped' where id = ${webhook} and ${state === 'failed'}
  `);
  return arrived;
}

/** Deliveries that arrived, or were passed over, are kept for so long. */
export const purgeDeliveries = (pool: Pool): Promise<unknown> =>
  pool.query(
    sql`delete from loom.deliveries where at < now() - interval '30 days' and state in ('delivered', 'passed over')`,
  );
