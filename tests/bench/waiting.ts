import { openPool, type Pool } from '../../src/lib/server/database/pool';
import { timed } from './measure';

/** Indexes that a change brings are made beside it: what is measured begins when they are. */
export async function indexesBuilt(pool: Pool): Promise<void> {
  // Between two of them nothing is built for a moment.
  for (let quiet = 0; quiet < 3; quiet++) {
    await new Promise((resolve) => setTimeout(resolve, 1_000));
    const { rowCount } = await pool.query(
      `select from pg_stat_activity where datname = current_database() and state = 'active' and (query ilike '%create index concurrently%' or query ilike 'analyze%') and pid <> pg_backend_pid()`,
    );
    if (rowCount !== 0) quiet = -1;
  }
}

/** How long a reader waits at most while something is done, in milliseconds: it asks for one record again and again. */
export async function whileReading(
  url: string,
  table: string,
  work: () => Promise<unknown>,
): Promise<{ all: number; wait: number }> {
  const reader = openPool(url, 1);
  let done = false;
  let wait = 0;
  const reading = (async () => {
    while (!done) {
      const took = await timed(() =>
        reader
          .query(`select * from ${table} where _id = ${1 + Math.floor(Math.random() * 1000)}`)
          .catch(() => undefined),
      );
      wait = Math.max(wait, took);
      await new Promise((resolve) => setTimeout(resolve, 5));
    }
  })();
  const all = await timed(work);
  done = true;
  await reading;
  await reader.end();
  return { all, wait };
}
