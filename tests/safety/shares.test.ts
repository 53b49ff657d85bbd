import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { openPool, type Pool } from '$server/database/pool';
import { untilGone } from '$server/database/reading';
import { withWorkspace } from '$server/access/lock';
import type { Person } from '$server/access/workspaceAccess';
import { getExport, listRecords } from '$server/api/recordQueries';
import { streamOf } from '$server/base/streamOf';
import { refusalOf } from '$server/http/problem';
import { download, sharing } from '$server/http/shares';
import { databaseUrl, freshDatabase, makePerson } from '../server/database';
import { makePlace, text, type Place } from '../server/place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('shares'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Shares');
  await place.change({ do: 'addTable', label: 'Things', fields: [text('Name')] });
  await pool.query(
    `insert into "${place.key}".things (name) select repeat('x', 300) || i from generate_series(1, 60000) i`,
  );
});
afterAll(() => drop());

const running = async (mark: string) =>
  (
    await pool.query(
      "select 1 from pg_stat_activity where state = 'active' and query like $1 and pid <> pg_backend_pid()",
      [`%${mark}%`],
    )
  ).rowCount;
const until = async (what: () => Promise<boolean>) => {
  for (let tries = 0; tries < 100 && !(await what()); tries++) await new Promise((resolve) => setTimeout(resolve, 50));
};

describe('who goes before they are answered', () => {
  test('leaves nothing running, and nobody else’s statement is hit', async () => {
    // Both connections are taken by what is to be cancelled.
    const reads = openPool(databaseUrl('shares'), 2, { statement_timeout: 20_000 });
    const leaving = new AbortController();
    const mine = untilGone(reads, leaving.signal, pool);
    const asked = Promise.allSettled([
      mine.query("select pg_sleep(30) as slept, 'mark one'"),
      mine.query("select pg_sleep(30) as slept, 'mark one'"),
    ]);
    await until(async () => (await running('mark one')) === 2);
    const started = performance.now();
    leaving.abort();
    expect((await asked).map(({ status }) => status)).toEqual(['rejected', 'rejected']);
    await until(async () => (await running('mark one')) === 0);
    expect(performance.now() - started).toBeLessThan(3000);
    // The connections are free for others at once, and what they ask is not cancelled.
    const others = await Promise.all(
      Array.from({ length: 9 }, (_, n) => reads.query<{ n: number }>('select pg_sleep(0.05), $1::int as n', [n])),
    );
    expect(others.map(({ rows }) => rows[0]?.n)).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8]);
    await expect(mine.query('select 1')).rejects.toThrow('gone');
    await reads.end();
  });

  test('a statement that has had its time is refused with a reason', async () => {
    const reads = openPool(databaseUrl('shares'), 1, { statement_timeout: 200 });
    const refused = await reads.query('select pg_sleep(5)').catch((error: unknown) => refusalOf(error));
    expect(refused).toMatchObject({ status: 422, problem: { message: expect.stringContaining('takes longer') } });
    await reads.end();
  });
});

describe('shares', () => {
  test('one person has so many at once; the others do not wait for them', async () => {
    const share = sharing({ most: 2, waiting: 3 });
    let [mine, most] = [0, 0];
    let free = () => {};
    const held = new Promise<void>((resolve) => (free = resolve));
    const work = async () => {
      most = Math.max(most, ++mine);
      await held;
      mine--;
    };
    const all = Array.from({ length: 5 }, () => share(1, work));
    await new Promise((resolve) => setTimeout(resolve, 20));
    await expect(share(1, work)).rejects.toThrow('wait for an answer');
    expect(await share(2, () => Promise.resolve('at once'))).toBe('at once');
    free();
    await Promise.all(all);
    expect(most).toBe(2);
  });

  test('who has had long ones has one at a time, until they have waited as well; who has quick ones, and others, do not notice', async () => {
    const share = sharing({ most: 3, waiting: 50, budget: { most: 200, back: 0.5 } });
    let [going, most] = [0, 0];
    const take = (ms: number) => async () => {
      most = Math.max(most, ++going);
      await new Promise((resolve) => setTimeout(resolve, ms));
      going--;
    };
    const all = (count: number, ms: number) => Promise.all(Array.from({ length: count }, () => share(1, take(ms))));
    await all(30, 1);
    expect(most).toBe(3);
    // The first three begin at once; their 300 ms are more than the budget.
    await all(3, 100);
    most = 0;
    await all(4, 20);
    expect(most).toBe(1);
    const began = performance.now();
    await share(2, take(1));
    expect(performance.now() - began).toBeLessThan(50);
    await new Promise((resolve) => setTimeout(resolve, 900));
    most = 0;
    await all(4, 20);
    expect(most).toBe(3);
  });

  test('an export that nobody reads gives its connection free, and its place in the share', async () => {
    const exports = openPool(databaseUrl('shares'), 2);
    const share = sharing({ most: 2, waiting: 10 });
    const make = () =>
      Promise.resolve(
        new Response(
          streamOf(
            (async function* () {
              const client = await exports.connect();
              try {
                for (;;) {
                  await client.query('select 1');
                  yield new Uint8Array(100_000);
                }
              } finally {
                client.release();
              }
            })(),
          ),
        ),
      );
    const unread = [await download(share, 1, make, 150), await download(share, 1, make, 150)];
    await Promise.all(unread.map(({ body }) => body?.getReader().read()));
    expect(exports.idleCount).toBe(0);
    // The third waits for its share, and gets it once the others are given up.
    const third = await download(share, 1, make, 150);
    const reader = third.body?.getReader();
    expect((await reader?.read())?.value).toHaveLength(100_000);
    await reader?.cancel();
    await until(() => Promise.resolve(exports.idleCount === exports.totalCount));
    expect(exports.idleCount).toBe(exports.totalCount);
    await exports.end();
  });

  test('an export is whole through all of it', async () => {
    const { called } = await import('./calling');
    const answer = await called(pool, ida, getExport, { ws: place.key, t: 'things' }, { format: 'csv' });
    expect(answer.text.trim().split('\r\n')).toHaveLength(60_001);
  });

  test('an editor is not held up by a reader who fills what is for reading', async () => {
    const reads = openPool(databaseUrl('shares'), 2, { statement_timeout: 20_000 });
    const filled = Array.from({ length: 6 }, () => reads.query('select pg_sleep(1)'));
    const started = performance.now();
    await withWorkspace(pool, await place.access(), 'shared', (client) => client.query('select 1'));
    await place.insert('things', { name: 'new' });
    expect(performance.now() - started).toBeLessThan(900);
    await Promise.all(filled);
    await reads.end();
  });
});

describe('a filter that would take for ever', () => {
  test('is refused with a reason before it is begun; one that is bearable is not', async () => {
    const wide = await makePlace(pool, ida, 'Wide');
    await wide.change({ do: 'addTable', label: 'Nodes', fields: [text('Name'), { label: 'Size', type: 'number' }] });
    await wide.change({
      do: 'addField',
      table: 'nodes',
      field: { label: 'Parent', type: 'link', to: 'nodes', counterpart: { label: 'Children' } },
    });
    await pool.query(
      `insert into "${wide.key}".nodes (name, size, parent) select 'n' || i, i, case when i > 4 then i % 4 + 1 end from generate_series(1, 80000) i`,
    );
    await pool.query(`analyze "${wide.key}".nodes`);
    const { called } = await import('./calling');
    const list = (filter: string) =>
      called(pool, ida, listRecords, { ws: wide.key, t: 'nodes' }, { filter, limit: '5' });
    for (const filter of ["parent.parent.name = 'n1'", 'sum(children.size) > 5', 'size > 5 and exists(children)'])
      expect((await list(filter)).status, filter).toBe(200);
    const down = 'count(parent.children.parent.children.size) > 3';
    const started = performance.now();
    const refused = await list(Array.from({ length: 3 }, () => down).join(' or '));
    expect([refused.status, refused.text]).toEqual([422, expect.stringContaining('about 80,000 records')]);
    expect(performance.now() - started).toBeLessThan(3000);
  });
});
