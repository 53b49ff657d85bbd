import { once } from 'node:events';
import { makeToken } from '../../src/lib/server/access/tokens';
import { encodeCursor } from '../../src/lib/core/query/query';
import type { Pool } from '../../src/lib/server/database/pool';
import { alternating, figure, median, quantile, type Figure } from './measure';
import { startServer } from './server';
import { benchPerson, makeLevels } from './world';

const port = 4991;

/**
 * 100 records from the middle of 1,000,000, sorted by a column that is not unique: through HTTP, and the query bare.
 */
export async function page(pool: Pool, url: string): Promise<Figure[]> {
  const person = await benchPerson(pool);
  const token = await makeToken(pool, person.email, 'bench');
  await makeLevels(pool, person, 'bench_page', 1_000_000);
  const server = await startServer(url, port);
  const address = `http://127.0.0.1:${port}`;
  const client = await pool.connect();
  const { rows } = await client.query<{ id: number; day: string }>(
    'select _id as id, day from bench_page.inspections order by day, _id offset 500000 limit 1',
  );
  const { id, day } = rows[0] ?? { id: 0, day: '' };
  const after = encodeURIComponent(encodeCursor({ id, values: [day] }));
  const columns = 'r._id, r._version, r.day, r.frames, r.kg, r.notes, r.hive, h.number';
  const from = 'from bench_page.inspections r left join bench_page.hives h on h._id = r.hive';
  const figures: Figure[] = [];
  const measure = async (name: string, rounds: number, warm: number) => {
    const times = await alternating(
      rounds,
      warm,
      async () => {
        const answer = await fetch(
          `${address}/api/workspaces/bench_page/tables/inspections/records?sort=day&limit=100&after=${after}`,
          {
            headers: { authorization: `Bearer ${token}` },
          },
        );
        const { items: records } = (await answer.json()) as { items: unknown[] };
        if (records.length !== 100) throw new Error(`a page of ${records.length} records`);
      },
      () =>
        client.query({
          name: 'bare',
          text: `select ${columns} ${from} where (r.day, r._id) > ($1, $2) order by r.day, r._id limit 100`,
          values: [day, id],
        }),
    );
    figures.push(
      figure('page', `${name}, median`, median(times.ours), median(times.theirs), 'ms', null),
      figure('page', `${name}, p95`, quantile(times.ours, 0.95), quantile(times.theirs, 0.95), 'ms', null),
    );
  };
  await measure('without an index', 5, 1);
  await client.query('create index on bench_page.inspections (day, _id)');
  await client.query('analyze bench_page.inspections');
  await measure('with an index on (sort, _id)', 200, 20);
  client.release();
  server.kill();
  await once(server, 'exit');
  return figures;
}
