import { afterAll, beforeAll, expect, test } from 'vitest';
import { type Person, authorize } from '$server/access/workspaceAccess';
import { endpoints } from '$server/api/openapi';
import type { Pool } from '$server/database/pool';
import { eventStream, ChangeListener } from '$server/live/events';
import { refuse } from '$server/base/refusal';
import { freshDatabase, join, makePerson } from '../server/database';
import { makePlace, text, type Place } from '../server/place';
import { called } from './calling';

/**
 * One workspace with internal fields: standing, renamed, calculated, deleted. A reader asks every call, and nothing of
 * them is told.
 */
let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let pell: Person;
let bees: Place;
const marks = /zQ(?:rent|old|calc|bin)/i;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('internal'));
  [ida, pell] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Pell')];
  bees = await makePlace(pool, ida, 'Bees');
  await join(pool, await bees.access(), pell, 'reader');
  await bees.change({
    do: 'addTable',
    label: 'Hives',
    fields: [
      text('Number'),
      { label: 'zQrent', key: 'zqrent', type: 'number', internal: true },
      text('zQold', { key: 'zqold', internal: true }),
      text('zQbin', { key: 'zqbin', internal: true }),
      { label: 'Kg', type: 'number' },
    ],
  });
  await bees.change({
    do: 'addField',
    table: 'hives',
    field: { label: 'zQcalc', key: 'zqcalc', type: 'formula', formula: 'zqrent * 2', internal: true },
  });
  await bees.change({
    do: 'addField',
    table: 'hives',
    field: { label: 'Twice', type: 'formula', formula: 'zqrent + kg' },
  });
  await bees.change({ do: 'addRule', table: 'hives', message: 'Dear.', condition: 'zqrent < 1000' });
  await bees.change({
    do: 'addPart',
    kind: 'view',
    table: 'hives',
    part: { label: 'Dear ones', filter: 'zqrent > 5', sort: '-zqrent' },
  } as never);
  await bees.insert('hives', { number: 'H-1', zqrent: 7, zqold: 'zQold words', zqbin: 'zQbin words', kg: 1 });
  await bees.write('hives', { update: [{ id: 1, values: { zqrent: 8, zqold: 'zQold other' } }] });
  await bees.change({ do: 'changeField', table: 'hives', field: 'zqold', set: { label: 'zQold name' } });
  await bees.change({ do: 'removeField', table: 'hives', field: 'zqbin' });
});
afterAll(() => drop());

test('a reader is told nothing of them by any call', async () => {
  const access = await authorize(pool, ida, bees.key, 'see');
  const { rows } = await pool.query<{ id: number }>('select id from loom.batches where workspace = $1 order by id', [
    access.workspace.id,
  ]);
  let successes = 0;
  for (const endpoint of endpoints.filter(({ method, reads }) => method === 'GET' || reads)) {
    const taken = Object.keys((endpoint.query?.describe().keys ?? {}) as object);
    const possible: Record<string, string>[] = [
      { view: 'Dear ones' },
      { sort: 'zqrent' },
      { filter: 'zqrent > 1' },
      { group: 'zqold' },
      { format: 'json' },
      { format: 'xlsx' },
      { format: 'sql' },
      { format: 'datapackage' },
      { q: 'zQ' },
    ];
    const batches = endpoint.path.includes('{batch}') ? rows.map(({ id }) => String(id)) : ['1'];
    const fields = endpoint.path.includes('{f}') ? ['twice', 'zqrent', 'number'] : ['none'];
    for (const batch of batches)
      for (const f of fields)
        for (const query of [{}, ...possible.filter((one) => Object.keys(one).some((key) => taken.includes(key)))]) {
          const body = endpoint.body
            ? {
                typed: '',
                limit: 20,
                record: null,
                draft: {},
                values: {},
                table: 'hives',
                formula: 'zqrent + 1',
                records: [1],
              }
            : undefined;
          const answer = await called(
            pool,
            pell,
            endpoint,
            { ws: bees.key, t: 'hives', f, id: '1', batch },
            query as Record<string, string>,
            body,
          );
          // A refusal names what was asked with; what stands there it does not.
          const told = answer.status < 400 ? answer.text : answer.text.replaceAll(/“zq\w+”|zqrent [>+] 1/gi, '');
          expect(
            told.match(marks)?.[0],
            `${endpoint.method} ${endpoint.path} ${JSON.stringify(query)} ${told.slice(0, 400)}`,
          ).toBeUndefined();
          expect(answer.status, `${endpoint.path} ${JSON.stringify(query)} ${answer.text}`).not.toBe(500);
          if (answer.status === 200) successes++;
        }
  }
  expect(successes).toBeGreaterThan(40);
});

test('a stream tells a reader where others are without an internal field, and ends with the right to it', async () => {
  const listener = new ChangeListener('');
  let access = await authorize(pool, pell, bees.key, 'see');
  let gone = false;
  const stream = eventStream(listener, access, () =>
    gone ? Promise.reject(refuse(404, 'There is no such workspace here.')) : Promise.resolve(access),
  );
  const reader = stream.body!.getReader();
  const next = async () => {
    const { done, value } = await reader.read();
    return done ? null : new TextDecoder().decode(value as Uint8Array);
  };
  expect(await next()).toContain('retry');
  expect(await next()).toContain('[]');
  const hives = (await authorize(pool, ida, bees.key, 'see')).workspace.model.tables[0]!.id;
  const at = { workspace: access.workspace.id, tab: 'one', person: ida.id, name: 'Ida', table: hives, record: 1 };
  listener.presence.hear({ ...at, field: 'zqrent' });
  const first = await next();
  expect(first).toContain('"field":null');
  expect(first).not.toMatch(marks);
  listener.presence.hear({ ...at, field: 'kg' });
  expect(await next()).toContain('"field":"kg"');
  // Another person's page under the same name is another page; a thousand invented ones are not kept.
  for (let page = 0; page < 1000; page++)
    listener.presence.hear({ ...at, person: pell.id, name: 'Pell', tab: `tab ${page}`, field: null });
  listener.presence.hear({ ...at, person: pell.id, name: 'Pell', tab: 'one', field: null });
  expect(listener.presence.in(access.workspace.id).filter(({ name }) => name === 'Ida')).toMatchObject([
    { field: 'kg' },
  ]);
  expect(listener.presence.in(access.workspace.id)).toHaveLength(21);
  access = await authorize(pool, pell, bees.key, 'see');
  gone = true;
  await new Promise((resolve) => setTimeout(resolve, 1100));
  listener.presence.hear({ ...at, field: 'number' });
  let last: string | null = '';
  for (let tries = 0; tries < 4 && last !== null; tries++) {
    last = await next();
    expect(last ?? '').not.toContain('"field":"number"');
  }
  expect(last).toBeNull();
  await listener.stop();
});

test('who does not read a stream is let go, and nobody has more of them than pages', async () => {
  const listener = new ChangeListener('');
  const access = await authorize(pool, pell, bees.key, 'see');
  const open = () => eventStream(listener, access, () => Promise.resolve(access));
  const unread = open();
  // What PostgreSQL would tell it.
  const { emitter } = listener as unknown as { emitter: { emit: (name: string, event: object) => void } };
  for (let news = 0; news < 3000; news++) {
    emitter.emit('change', { workspace: access.workspace.id, batch: news, tables: [] });
    listener.presence.hear({
      workspace: access.workspace.id,
      tab: 'one',
      person: 1,
      name: 'Ida',
      table: null,
      record: news,
      field: null,
    });
    if (news % 10 === 0) await Promise.resolve();
    await new Promise((resolve) => setImmediate(resolve));
  }
  const told: string[] = [];
  const reader = unread.body!.getReader();
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    told.push(new TextDecoder().decode(value as Uint8Array));
  }
  expect(told.length).toBeLessThan(300);
  // Of three thousand moves within a moment hardly one is told: each says where all are.
  expect(told.filter((piece) => piece.startsWith('event: here')).length).toBeLessThan(20);
  const many = Array.from({ length: 40 }, open);
  expect(() => open()).toThrow('40 pages');
  await Promise.all(many.map(({ body }) => body!.cancel()));
  await open().body!.cancel();
  await listener.stop();
});
