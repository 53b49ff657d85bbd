import { once } from 'node:events';
import { createWriteStream } from 'node:fs';
import { unlink } from 'node:fs/promises';
import { pipeline } from 'node:stream/promises';
import { to as copyTo } from 'pg-copy-streams';
import { makeToken } from '../../src/lib/server/access/tokens';
import { tableAt, authorize, type Person } from '../../src/lib/server/access/workspaceAccess';
import { openPool, type Pool } from '../../src/lib/server/database/pool';
import { streamOf } from '../../src/lib/server/base/streamOf';
import { csvPieces } from '../../src/lib/server/export/csv';
import { paste } from '../../src/lib/server/entry/paste';
import { searchWorkspace } from '../../src/lib/server/query/search';
import { keepIndexes } from '../../src/lib/server/structure/standingIndexes';
import { alternating, figure, median, quantile, timed, type Figure } from './measure';
import { openedGrid } from './recordsInBrowser';
import { startServer } from './server';
import { apply, benchPerson, makeLevels } from './world';

const port = 4992;
const origin = `http://127.0.0.1:${port}`;
const records = 1_000_000;
const key = 'bench_records';

/** Working with a million records: jumps, search, paste, export, many people at once, and the grid in a browser. */
export async function* recordsBench(pool: Pool, url: string): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  const token = await makeToken(pool, person.email, 'bench');
  let access = await makeLevels(pool, person, key, records);
  // Titles of many different words, as people give them.
  await pool.query(
    `update ${key}.inspections set notes = (array['brood','queen','stores','robbing','drone','swarm','comb','mites'])[1 + _id % 8] || ' ' || substr(md5(_id::text), 1, 6) || ' by ' || (array['anselm','brida','corwen','dunmere','elwick','farrow','greta'])[1 + _id % 7]`,
  );
  await pool.query(`vacuum analyze ${key}.inspections`);
  access = await apply(pool, access, [
    { do: 'addPart', kind: 'view', table: 'inspections', part: { label: 'By day', sort: 'day' } },
  ]);
  const built = await timed(async () => {
    // The plan begins the indexes by itself; it is waited for until they stand.
    for (;;) {
      await keepIndexes(pool, access);
      const { rows } = await pool.query<{ n: number }>(
        `select count(*) as n from pg_indexes where schemaname = $1 and tablename = 'inspections' and starts_with(indexname, '_for_')`,
        [key],
      );
      if (Number(rows[0]?.n) >= 3) return;
      await new Promise((resolve) => setTimeout(resolve, 500));
    }
  });
  yield figure(
    'records',
    'indexes for one order and for searching titles, built beside the work',
    built,
    null,
    'ms',
    null,
  );
  access = await apply(pool, access, [
    {
      do: 'addTable',
      label: 'Cases',
      fields: [
        { label: 'Name', type: 'text' },
        { label: 'State', type: 'option', options: ['new', 'seen', 'going', 'waiting', 'done'] },
        { label: 'Day', type: 'date' },
      ],
    },
  ]);
  await pool.query(
    `insert into ${key}.cases (name, state, day) select 'case ' || i, (array['new', 'seen', 'going', 'waiting', 'done'])[1 + i % 5], current_date + i % 365 - 180 from generate_series(1, 10000) i`,
  );
  const server = await startServer(url, port);
  try {
    yield* jumps(pool, token);
    yield* search(pool, person);
    yield* indexCost(pool);
    yield* exporting(pool, url, person);
    yield* pasting(pool, person);
    yield* manyPeople(pool, token);
    yield* openedGrid(origin, key, person.email, pool);
  } finally {
    server.kill();
    await once(server, 'exit');
  }
}

const api = async (token: string, path: string, init: RequestInit = {}): Promise<unknown> => {
  const answer = await fetch(`${origin}/api/workspaces/${key}${path}`, {
    ...init,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json', ...init.headers },
  });
  if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
  return answer.json();
};

/** Any place of a sorted million: anchors once, then a jump by key, against `offset` written by hand. */
async function* jumps(pool: Pool, token: string): AsyncGenerator<Figure> {
  const started = performance.now();
  const { every, anchors, count } = (await api(token, '/tables/inspections/records/anchors?sort=day')) as {
    every: number;
    anchors: string[];
    count: number;
  };
  yield figure(
    'records',
    'anchors of a sorted million, with an index, through HTTP',
    performance.now() - started,
    null,
    'ms',
    null,
  );
  if (count !== records) throw new Error(`${count} rows`);
  const unsorted = performance.now();
  await api(token, '/tables/inspections/records/anchors?sort=kg');
  yield figure(
    'records',
    'anchors of a sorted million, without an index',
    performance.now() - unsorted,
    null,
    'ms',
    null,
  );
  let at = 1;
  const place = () => (at = (at * 48_271) % 999_900);
  const client = await pool.connect();
  const columns = 'r._id, r._version, r.day, r.frames, r.kg, r.notes, r.hive, h.number';
  const times = await alternating(
    30,
    3,
    async () => {
      const row = place();
      const stretch = Math.floor(row / every);
      const query = new URLSearchParams({
        sort: 'day',
        limit: '100',
        skip: String(row - stretch * every),
        ...(stretch > 0 ? { after: anchors[stretch - 1] ?? '' } : {}),
      });
      const page = (await api(token, `/tables/inspections/records?${query}`)) as { items: unknown[] };
      if (page.items.length !== 100) throw new Error(`${page.items.length} records`);
    },
    () =>
      client.query(
        `select ${columns} from ${key}.inspections r left join ${key}.hives h on h._id = r.hive order by r.day, r._id limit 100 offset ${place()}`,
      ),
  );
  client.release();
  yield figure(
    'records',
    'a jump to any place of a sorted million, through HTTP, against offset bare',
    median(times.ours),
    median(times.theirs),
    'ms',
    0.1,
  );
}

async function* search(pool: Pool, person: Person): AsyncGenerator<Figure> {
  const access = await authorize(pool, person, key, 'see');
  const typed = [
    'bro',
    'anse',
    'queen 1',
    '3fa',
    'dunm',
    'swarm c4',
    'greta',
    'e1b2',
    'robbing',
    'quen 1a2b',
    'brida',
    'c0ffe',
    'elwik',
    'mit',
  ];
  const times: number[] = [];
  for (let round = 0; round < 5; round++)
    for (const text of typed) times.push(await timed(() => searchWorkspace(pool, access, text, 5)));
  const ofText = typed.map((text, index) => ({
    text,
    took: median(times.filter((_, at) => at >= typed.length && at % typed.length === index)),
  }));
  const slowest = ofText.toSorted((a, b) => b.took - a.took).slice(0, 3);
  yield figure(
    'records',
    'search over a million titles, from three letters on, median',
    median(times.slice(typed.length)),
    null,
    'ms',
    null,
  );
  yield figure(
    'records',
    `search over a million titles, from three letters on, p95; slowest ${slowest.map(({ text, took }) => `“${text}” ${took.toFixed(0)} ms`).join(', ')}`,
    quantile(times.slice(typed.length), 0.95),
    null,
    'ms',
    100,
  );
}

/** What the indexes cost those who write. */
async function* indexCost(pool: Pool): AsyncGenerator<Figure> {
  const client = await pool.connect();
  const { rows } = await client.query<{ name: string; def: string }>(
    `select indexname as name, indexdef as def from pg_indexes where schemaname = $1 and tablename = 'inspections' and starts_with(indexname, '_for_') and indexdef like '%lower%'`,
    [key],
  );
  const write = () => client.query(`update ${key}.inspections set notes = notes || '.' where _id % 1000 = 7`);
  const withIndex: number[] = [];
  const without: number[] = [];
  for (let round = 0; round < 4; round++) withIndex.push(await timed(write));
  for (const { name } of rows) await client.query(`drop index ${key}.${name}`);
  for (let round = 0; round < 4; round++) without.push(await timed(write));
  for (const { def } of rows) await client.query(def);
  client.release();
  yield figure(
    'records',
    '1,000 titles changed, with the indexes for searching and without',
    median(withIndex.slice(1)),
    median(without.slice(1)),
    'ms',
    null,
  );
}

async function* exporting(pool: Pool, url: string, person: Person): AsyncGenerator<Figure> {
  const access = await authorize(pool, person, key, 'see');
  const table = tableAt(access, 'inspections');
  const own = openPool(url, 2);
  const ours: number[] = [];
  const theirs: number[] = [];
  let most = 0;
  for (let round = 0; round < 3; round++) {
    globalThis.gc?.();
    const before = process.memoryUsage().rss;
    const watch = setInterval(() => (most = Math.max(most, process.memoryUsage().rss - before)), 50);
    ours.push(
      await timed(async () => {
        const fields = table.fields.filter(({ key: name }) => ['day', 'frames', 'kg', 'notes', 'hive'].includes(name));
        const stream = streamOf(csvPieces(own, access, { table, fields, filter: null, sort: [] }, 'spreadsheet'));
        await pipeline(stream as unknown as NodeJS.ReadableStream, createWriteStream('.loom/bench-export.csv'));
      }),
    );
    clearInterval(watch);
    const client = await own.connect();
    theirs.push(
      await timed(() =>
        pipeline(
          client.query(
            copyTo(
              `copy (select r.day, r.frames, r.kg, r.notes, coalesce(h.number, '#' || h._id) from ${key}.inspections r left join ${key}.hives h on h._id = r.hive order by r._id) to stdout csv header`,
            ),
          ),
          createWriteStream('.loom/bench-copy.csv'),
        ),
      ),
    );
    client.release();
  }
  await own.end();
  await Promise.all([unlink('.loom/bench-export.csv'), unlink('.loom/bench-copy.csv')]);
  yield figure(
    'records',
    'export of a million records as CSV, against COPY … TO',
    median(ours),
    median(theirs),
    'ms',
    2,
  );
  yield figure('records', 'memory it takes at the most', most / 1e6, null, 'MB', 150);
}

async function* pasting(pool: Pool, person: Person): AsyncGenerator<Figure> {
  let access = await authorize(pool, person, key, 'design');
  access = await apply(pool, access, [
    {
      do: 'addTable',
      label: 'Counts',
      fields: [
        { label: 'Note', type: 'text' },
        { label: 'Day', type: 'date' },
        { label: 'Mites', type: 'number', digits: 0 },
        { label: 'Share', type: 'percent' },
        { label: 'State', type: 'option', options: ['weak', 'fair', 'strong'] },
        { label: 'Done', type: 'yesNo' },
        { label: 'Kg', type: 'number', digits: 3 },
        { label: 'Hive', type: 'link', to: 'hives' },
        { label: 'Twice', type: 'formula', formula: 'mites * 2' },
      ],
    },
  ]);
  const fields = ['note', 'day', 'mites', 'share', 'state', 'done', 'kg', 'hive'];
  const cells = (row: number) => [
    `note ${row}`,
    `2026-03-${String(1 + (row % 28)).padStart(2, '0')}`,
    String(row % 90),
    `${row % 100} %`,
    ['weak', 'fair', 'strong'][row % 3] ?? '',
    row % 2 ? 'yes' : 'no',
    String(row / 7).slice(0, 6),
    `H-${1 + ((row * 31) % 50_000)}`,
  ];
  const rows = Array.from({ length: 10_000 }, (_, row) => ({ id: null, cells: cells(row) }));
  const client = await pool.connect();
  const times = await alternating(
    4,
    1,
    () => paste(pool, access, 'counts', { fields, rows, misfits: 'setAside' }, false),
    async () => {
      // The same by hand: one typed insert with the link found by a join, the calculated column, and a row of history
      // each.
      const columns = fields.map((_, index) => rows.map(({ cells: line }) => line[index] ?? ''));
      await client.query('begin');
      await client.query(
        `with made as (insert into ${key}.counts (note, day, mites, share, state, done, kg, hive, twice)
         select a, b::date, c::numeric, rtrim(d, ' %')::numeric / 100, e, f = 'yes', g::numeric, h._id, c::numeric * 2
         from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[]) x(a, b, c, d, e, f, g, hive) left join ${key}.hives h on h.number = x.hive returning _id, note, day, mites, share, state, done, kg, hive)
         select jsonb_agg(to_jsonb(made)) from made`,
        columns,
      );
      await client.query('commit');
    },
  );
  client.release();
  yield figure(
    'records',
    'a paste of 10,000 × 8 with a link, validated, calculated and in the history, against the bare insert',
    median(times.ours),
    median(times.theirs),
    'ms',
    null,
  );
}

/**
 * Fifty people who read and edit through HTTP, against the same statements sent bare by as many connections as the
 * server has.
 */
async function* manyPeople(pool: Pool, token: string): AsyncGenerator<Figure> {
  const people = 50;
  const seconds = 12;
  const run = async (read: (row: number) => Promise<unknown>, write: (id: number, kg: number) => Promise<unknown>) => {
    const times: number[] = [];
    let errors = 0;
    const until = performance.now() + seconds * 1000;
    await Promise.all(
      Array.from({ length: people }, async (_, person) => {
        for (let step = person; performance.now() < until; step++) {
          const id = 1 + ((step * 7919 + person * 104_729) % records);
          try {
            times.push(await timed(() => (step % 5 === 0 ? write(id, step % 100) : read(id))));
          } catch {
            errors++;
          }
          // A person looks at what came before going on.
          await new Promise((resolve) => setTimeout(resolve, 150 + ((step * 37 + person * 11) % 200)));
        }
      }),
    );
    return { times, errors };
  };
  const ours = await run(
    (id) =>
      api(
        token,
        `/tables/inspections/records?limit=100&filter=${encodeURIComponent(`hive.number = 'H-${1 + (id % 50_000)}'`)}`,
      ),
    (id, kg) =>
      api(token, '/tables/inspections/records', {
        method: 'PATCH',
        body: JSON.stringify({ records: [{ id, values: { kg } }] }),
      }),
  );
  const bare = await run(
    (id) =>
      pool.query(
        `select r._id, r._version, r.day, r.frames, r.kg, r.notes, r.hive, h.number from ${key}.inspections r join ${key}.hives h on h._id = r.hive where h.number = $1 order by r._id limit 100`,
        [`H-${1 + (id % 50_000)}`],
      ),
    (id, kg) => pool.query(`update ${key}.inspections set kg = $2, _version = _version + 1 where _id = $1`, [id, kg]),
  );
  for (const [name, share] of [
    ['p50', 0.5],
    ['p95', 0.95],
    ['p99', 0.99],
  ] as const)
    yield figure(
      'records',
      `50 people read and edit through HTTP, ${name}, against the statements bare`,
      quantile(ours.times, share),
      quantile(bare.times, share),
      'ms',
      null,
    );
  yield figure('records', `errors among ${ours.times.length} calls of theirs`, ours.errors, null, 'errors', 0);
}
