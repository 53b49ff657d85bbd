import type { RequestEvent } from '@sveltejs/kit';
import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import { getEvents } from '$server/api/events';
import { listRecords } from '$server/api/recordQueries';
import { patchRecords } from '$server/api/recordWrites';
import { openPool, type Pool } from '$server/database/pool';
import { respond, type Endpoint } from '$server/http/endpoint';
import { startServer, type Running } from '$server/start';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

/** The server as it is started: ten connections for all that is written, eight for what is read, one that listens. */
let running: Running;
let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let place: Place;
let ida: Person;
const people: Person[] = [];
const records = 60;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('realsize'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Real size');
  await place.change(
    { do: 'addTable', label: 'Apiaries', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [text('Number'), { label: 'Weight', type: 'number' }, { label: 'Apiary', type: 'link', to: 'apiaries' }],
    },
    {
      do: 'addField',
      table: 'apiaries',
      field: { label: 'Total', type: 'formula', formula: 'sum(hives.weight)' },
    },
  );
  await place.insert('apiaries', { name: 'Low Meadow' }, { name: 'Fell Gate' });
  await place.insert(
    'hives',
    ...Array.from({ length: records }, (_, n) => ({ number: `H-${n}`, weight: 0, apiary: (n % 2) + 1 })),
  );
  for (let n = 0; n < 12; n++) {
    const person = await makePerson(pool, `Editor ${n}`);
    await join(pool, await place.access(), person, 'editor');
    people.push(person);
  }
  running = await startServer(url);
});
afterAll(async () => {
  await running.sending.stop();
  await running.listener.stop();
  await Promise.all([running.pool.end(), running.queue.end(), running.reads.end(), running.downloads.end()]);
  await drop();
});

/** A call as its route makes it, over the pools that the server has. */
function call(endpoint: Endpoint, person: Person, body?: unknown, of: Record<string, string> = {}): Promise<Response> {
  const params = { ws: place.key, t: 'hives', ...of };
  const address = endpoint.path.replace(/\{(\w+)\}/g, (_, name: 'ws') => params[name]);
  const url = new URL(`http://loom.example${address}`);
  const request = new Request(url, {
    method: endpoint.method,
    ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } }),
  });
  const event = {
    locals: { ...running, caller: () => Promise.resolve({ person }) },
    params,
    url,
    request,
    setHeaders: () => undefined,
  };
  return respond(endpoint)(event as unknown as RequestEvent);
}

/** What one open page hears, until it is closed. */
async function page(person: Person) {
  const response = await call(getEvents, person);
  expect(response.status).toBe(200);
  const reader = response.body!.getReader();
  const batches = new Set<number>();
  const reading = (async () => {
    for (let rest = ''; ;) {
      const { done, value } = await reader.read();
      if (done) return;
      const lines = (rest + new TextDecoder().decode(value as Uint8Array)).split('\n\n');
      rest = lines.pop() ?? '';
      for (const line of lines) {
        const batch = /^data: (\{.*"batch":\d+.*\})$/m.exec(line)?.[1];
        if (batch) batches.add((JSON.parse(batch) as { batch: number }).batch);
      }
    }
  })();
  return { batches, close: () => reader.cancel().then(() => reading) };
}

test('twelve people with three pages each write and read at once over ten and eight connections: all is answered, and each page hears of each write', async () => {
  const pages = await Promise.all(people.flatMap((person) => [page(person), page(person), page(person)]));
  const answers = await Promise.all(
    Array.from({ length: records }, async (_, n) => {
      const person = people[n % people.length]!;
      const write = { records: [{ id: n + 1, values: { weight: n + 1 } }] };
      const [written, read] = await Promise.all([call(patchRecords, person, write), call(listRecords, person)]);
      return [written.status, read.status, ((await written.json()) as { batch: number }).batch] as const;
    }),
  );
  expect(new Set(answers.flatMap(([write, read]) => [write, read]))).toEqual(new Set([200]));
  const written = new Set(answers.map(([, , batch]) => batch));
  expect(written.size).toBe(records);
  await expect
    .poll(() => pages.filter(({ batches }) => [...written].every((batch) => batches.has(batch))).length)
    .toBe(pages.length);
  await Promise.all(pages.map((one) => one.close()));
  // What was calculated by sixty writes at once is the sum of them all.
  // 1 + 3 + … + 59 and 2 + 4 + … + 60.
  expect(await place.values('apiaries', 'total')).toEqual([900, 930]);
}, 60_000);

test('nothing of it is left behind: no connection in use, and a page closed counts no more', async () => {
  const free = openPool(url, 1);
  const { rows } = await free.query<{ busy: number }>(
    `select count(*)::int as busy from pg_stat_activity where datname = current_database() and state <> 'idle' and pid <> pg_backend_pid()`,
  );
  await free.end();
  expect(rows[0]?.busy).toBe(0);
  expect([running.pool.waitingCount, running.reads.waitingCount]).toEqual([0, 0]);
  const again = await Promise.all(Array.from({ length: 40 }, () => page(people[0]!)));
  expect((await call(getEvents, people[0]!)).status).toBe(429);
  await Promise.all(again.map((one) => one.close()));
});
