import { availableParallelism } from 'node:os';
import { beginSending, purgeOutgoing, queueConnections, type Sending } from './sending/outgoing';
import { allStructureDefects } from './health/repairStructure';
import { watchAnalysts } from './analysts/analysts';
import { migrateCatalogue } from './database/migrate';
import { openPool, type Pool } from './database/pool';
import { log } from './base/log';
import { purgeExpired } from './access/signIn';
import { ChangeListener } from './live/events';
import { beginDelivering, purgeDeliveries, type Delivering } from './webhooks/delivering';
import { beginDays } from './records/day';
import { keepAllIndexes } from './structure/standingIndexes';
import { addComments } from './structure/comments';
import { addSystemColumns } from './structure/systemColumns';

export interface Running {
  readonly pool: Pool;
  /** For what only reads, so that nobody who reads stops those who write; each statement has its time. */
  readonly reads: Pool;
  /** For what is sent while it is read, which takes as long as its receiver. */
  readonly downloads: Pool;
  readonly listener: ChangeListener;
  readonly webhooks: Delivering;
  /** What sends the messages and calls of routines, and the connections that it does so over. */
  readonly sending: Sending;
  readonly queue: Pool;
}

/**
 * How many further processors one statement that reads may take: none where there are few, so that whoever sorts a
 * million records leaves one to those who write.
 */
const parallel = Math.min(2, Math.floor(availableParallelism() / 4));
const readSettings = { statement_timeout: 60_000, max_parallel_workers_per_gather: parallel };

/** What every request needs, made once a process: connections, the newest catalogue, the listener, the calendar. */
export async function startServer(url: string | undefined): Promise<Running> {
  if (!url) throw new Error('DATABASE_URL is not set; ./loom demo sets it');
  const pool = openPool(url);
  await migrateCatalogue(pool);
  await addSystemColumns(pool);
  await addComments(pool);
  void reportDefects(pool);
  const listener = new ChangeListener(url);
  await listener.start();
  await beginDays(pool);
  const webhooks = beginDelivering(pool, listener);
  const queue = openPool(url, queueConnections);
  const sending = await beginSending(pool, queue);
  const calendar = setInterval(() => void beginDays(pool).catch((error: unknown) => log.incident(error)), 60_000);
  calendar.unref();
  setInterval(() => void watchAnalysts(pool).catch((error: unknown) => log.incident(error)), 10_000).unref();
  const indexes = setInterval(() => void keepAllIndexes(pool).catch((error: unknown) => log.incident(error)), 600_000);
  indexes.unref();
  const purge = () =>
    void Promise.all([purgeExpired(pool), purgeDeliveries(pool), purgeOutgoing(pool)]).catch((error: unknown) =>
      log.incident(error),
    );
  purge();
  setInterval(purge, 3_600_000).unref();
  return {
    webhooks,
    sending,
    queue,
    pool,
    reads: openPool(url, 8, readSettings),
    downloads: openPool(url, 4, { max_parallel_workers_per_gather: parallel }),
    listener,
  };
}

/** Says in the log where a structure is not what its tables are. Nobody waits for it, and it stops nobody. */
async function reportDefects(pool: Pool): Promise<void> {
  try {
    for (const { workspace, defects } of await allStructureDefects(pool))
      log.warn('the structure differs from the tables that stand; ./loom repair says and fixes it', {
        workspace,
        defects,
      });
  } catch (error) {
    log.incident(error);
  }
}
