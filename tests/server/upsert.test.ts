import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { called, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('upsert'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Bees');
  await place.change({
    do: 'addTable',
    label: 'Jars',
    fields: [
      text('Code', { unique: true }),
      text('Shop'),
      { label: 'Day', type: 'date' },
      { label: 'Grams', type: 'number' },
    ],
  } as never);
  await place.change({ do: 'addRule', table: 'jars', message: 'Twice.', unique: ['shop', 'day'] } as never);
});
afterAll(() => drop());

async function put(by: string, records: object[], headers: Record<string, string> = {}) {
  const { endpoint, params } = endpointAt('PUT', `/api/workspaces/${place.key}/tables/jars/records`);
  const body = { records: records.map((values) => ({ values })) };
  const { status, text: said } = await called(pool, ida, endpoint, params, { by }, body, headers);
  return { status, answer: JSON.parse(said) as Record<string, unknown> };
}
const grams = () => place.values('jars', 'grams');

test('records are made or changed by a unique field, all in one step that is undone as one', async () => {
  const first = await put('code', [
    { code: 'A', grams: 1 },
    { code: 'B', grams: 2 },
  ]);
  expect(first).toMatchObject({ status: 200, answer: { made: 2, found: 0 } });
  const second = await put('code', [
    { code: 'B', grams: 20 },
    { code: 'C', grams: 30 },
    { code: 'A', grams: 1 },
  ]);
  expect(second).toMatchObject({ status: 200, answer: { made: 1, found: 2 } });
  expect(await grams()).toEqual([1, 20, 30]);
  await place.undo(Number(second.answer.batch));
  expect(await grams()).toEqual([1, 2]);
});

test('and by several fields that a rule makes unique together, numbers and days as they are written anywhere', async () => {
  const sent = [{ shop: 'Mill', day: '2026-05-01', grams: 5 }];
  expect((await put('shop,day', sent)).answer).toMatchObject({ made: 1, found: 0 });
  expect((await put('day, shop', [{ ...sent[0], grams: '6' }])).answer).toMatchObject({ made: 0, found: 1 });
  expect((await grams()).at(-1)).toBe(6);
});

test.each<[string, string, object[], RegExp]>([
  ['a field that is not there', 'kode', [{ code: 'A' }], /no field/],
  ['a field that is not unique', 'shop', [{ shop: 'Mill' }], /not unique/],
  ['a record without its key', 'code', [{ code: 'Z' }, { grams: 1 }], /Code says which record it is, and is blank/],
  ['the same record twice', 'code', [{ code: 'Z' }, { code: 'Z' }], /the same record as number 1/],
  ['one record of several that does not fit', 'code', [{ code: 'Z' }, { code: 'Y', grams: 'many' }], /Grams/],
])('%s is refused, and nothing is written', async (_, by, records, why) => {
  const before = await grams();
  const { status, answer } = await put(by, records);
  expect([status, answer.detail]).toEqual([422, expect.stringMatching(why)]);
  expect(await grams()).toEqual(before);
});

test('many at once of the same make each record once', async () => {
  const all = await Promise.all(
    Array.from({ length: 8 }, (_, turn) => put('code', [{ code: 'same', grams: turn }, { code: `own ${turn}` }])),
  );
  expect(all.map(({ status }) => status)).toEqual(Array.from({ length: 8 }, () => 200));
  const codes = await place.values('jars', 'code');
  expect(codes.filter((code) => code === 'same')).toHaveLength(1);
  expect(codes.filter((code) => String(code).startsWith('own'))).toHaveLength(8);
});

test('the same key again is answered alike, and writes once', async () => {
  const send = () => put('code', [{ code: 'keyed', grams: 1 }], { 'idempotency-key': 'k1' });
  const [first, second] = [await send(), await send()];
  expect(second.answer).toEqual(first.answer);
});

test('who prefers it is answered without the records', async () => {
  const { answer } = await put('code', [{ code: 'short', grams: 3 }], { prefer: 'return=minimal' });
  expect(answer).toEqual({ batch: expect.any(Number), records: [], made: 1, found: 0 });
  expect((await grams()).at(-1)).toBe(3);
});
