import { gunzipSync, gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { answered, called, endpointAt } from '../safety/calling';
import { freshDatabase, join, makePerson } from './database';
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

describe('lines', () => {
  const path = () => `/api/workspaces/${place.key}/tables/jars/records/lines`;
  async function send(method: string, body: BodyInit, headers: Record<string, string> = {}, by = 'code') {
    const { endpoint, params } = endpointAt(method, path());
    const request = new Request(`http://loom.example${path()}?${method === 'PUT' ? `by=${by}` : ''}`, {
      method,
      body,
      headers: { 'content-type': 'application/x-ndjson', ...headers },
    });
    const answer = await answered(pool, ida, endpoint, params, request);
    const text = await answer.text();
    return {
      status: answer.status,
      lines: text
        .trimEnd()
        .split('\n')
        .map((one) => JSON.parse(one) as never),
    };
  }
  const lineOf = (values: object) => `${JSON.stringify({ values })}\n`;
  const many = (n: number, from = 0) =>
    Array.from({ length: n }, (_, at) => lineOf({ code: `L-${from + at}`, grams: at })).join('');

  test('come in by thousands, gzipped or not, are answered part by part, and are found again', async () => {
    const before = (await place.values('jars', 'grams')).length;
    const first = await send('POST', many(12_000));
    expect(first.lines).toMatchObject([
      { from: 1, to: 10_000, made: 10_000, found: 0 },
      { from: 10_001, to: 12_000, made: 2_000, found: 0 },
      { done: true, records: 12_000, made: 12_000, found: 0, refused: 0 },
    ]);
    const zipped = gzipSync(many(6_000, 9_000));
    const second = await send('PUT', zipped, { 'content-encoding': 'gzip' });
    expect(second.lines.at(-1)).toEqual({ done: true, records: 6_000, made: 3_000, found: 3_000, refused: 0 });
    // What is taken out as lines comes in again, and nothing is different by it.
    const { endpoint, params } = endpointAt('GET', `/api/workspaces/${place.key}/tables/jars/export`);
    const asked = new Request(
      `http://loom.example/x?format=ndjson&fields=code,grams&filter=position('L-' in code) = 1`,
      {
        headers: { 'accept-encoding': 'gzip' },
      },
    );
    const out = await answered(pool, ida, endpoint, params, asked);
    expect(out.status, out.status === 200 ? '' : await out.text()).toBe(200);
    expect(out.headers.get('content-encoding')).toBe('gzip');
    const taken = gunzipSync(new Uint8Array(await out.arrayBuffer())).toString();
    expect(taken.split('\n')).toHaveLength(15_001);
    expect(JSON.parse(taken.split('\n')[0] ?? '')).toMatchObject({ version: 1, values: { code: 'L-0', grams: 0 } });
    const again = await send('PUT', taken);
    expect(again.lines.at(-1)).toEqual({ done: true, records: 15_000, made: 0, found: 15_000, refused: 0 });
    expect(await place.values('jars', 'grams')).toHaveLength(15_000 + before);
  }, 120_000);

  test('that are wrong are said with their number, their part is left, and the others stand', async () => {
    const bad = `${lineOf({ code: 'M-1', grams: 'heavy' })}\n${lineOf({ code: 'M-2', grams: 1 })}`;
    const refused = await send('POST', `\n${bad}`);
    expect(refused.lines).toMatchObject([
      { from: 2, to: 4, errors: [{ line: 2, at: '/values/grams' }], more: 0 },
      { done: true, records: 2, made: 0, refused: 2 },
    ]);
    for (const [line, words] of [
      ['{"values":', 'Line 1 is no JSON.'],
      ['[1]', 'Line 1 is no record.'],
      ['{"values":{"code":"\\u0000"}}', 'Line 1 holds a NUL, or half of a character, which no text has.'],
      [Buffer.from([0x22, 0xff, 0x22]), 'Line 1 is no UTF-8.'],
    ] as const)
      expect((await send('POST', line)).lines[0]).toMatchObject({ refused: words, errors: [{ line: 1 }] });
    const twice = await send('PUT', lineOf({ code: 'M-3' }) + lineOf({ code: 'M-3' }));
    expect(twice.lines[0]).toMatchObject({ errors: [{ line: 2, at: '' }] });
    expect((await send('POST', '')).lines).toEqual([{ done: true, records: 0, made: 0, found: 0, refused: 0 }]);
    // A part that is refused stops no other.
    const [good, wrong] = [many(10_000, 50_000), lineOf({ code: 'L-50000' })];
    expect((await send('POST', good + wrong + lineOf({ code: 'L-60001' }))).lines).toMatchObject([
      { from: 1, to: 10_000, made: 10_000 },
      { from: 10_001, to: 10_002, errors: [{ line: 10_001, at: '/values/code' }] },
      { done: true, made: 10_000, refused: 2 },
    ]);
  }, 120_000);

  test('that are too long, packed otherwise, or not what they say, end the call with what was written before', async () => {
    const long = lineOf({ code: 'x'.repeat(1024 * 1024) });
    expect((await send('POST', long)).lines.at(-1)).toMatchObject({ done: true, ended: 'Line 1 is longer than 1 MB.' });
    const no = await send('POST', 'no gzip at all', { 'content-encoding': 'gzip' });
    expect(no.lines).toMatchObject([{ done: true, records: 0, ended: 'The body is no gzip.' }]);
    const cut = gzipSync(many(11_000, 80_000));
    const broken = await send('POST', cut.subarray(0, cut.length - 40), { 'content-encoding': 'gzip' });
    expect(broken.lines.at(-1)).toMatchObject({ done: true, made: 10_000, ended: 'The body is no gzip.' });
    expect((await send('POST', '{}', { 'content-encoding': 'br' })).lines[0]).toMatchObject({ done: true });
  }, 120_000);

  test('end with the rights of whoever sends them', async () => {
    const guest = await makePerson(pool, 'Guest');
    await join(pool, await place.access(), guest, 'editor');
    const { endpoint, params } = endpointAt('POST', path());
    let goOn: () => void = () => undefined;
    const gone = new Promise<void>((resolve) => (goOn = resolve));
    let parts = 0;
    const body = new ReadableStream<Uint8Array>({
      async pull(controller) {
        if (parts === 1) await gone;
        controller.enqueue(new TextEncoder().encode(many(10_000, 200_000 + 10_000 * parts)));
        if (++parts === 2) controller.close();
      },
    });
    const request = new Request(`http://loom.example${path()}`, {
      method: 'POST',
      body,
      headers: { 'content-type': 'application/x-ndjson' },
      duplex: 'half',
    } as RequestInit);
    const reader = (await answered(pool, guest, endpoint, params, request)).body!.getReader();
    const next = async () => JSON.parse(new TextDecoder().decode((await reader.read()).value)) as object;
    expect(await next()).toMatchObject({ made: 10_000 });
    await pool.query('delete from loom.members where person = $1', [guest.id]);
    goOn();
    expect(await next()).toMatchObject({ done: true, made: 10_000, ended: 'There is no such workspace here.' });
  }, 60_000);
});

test('a record is changed on the condition that it is as it was read; what is read again is not sent again', async () => {
  const [made] = await place.insert('jars', { code: 'E-1', grams: 1 });
  const path = `/api/workspaces/${place.key}/tables/jars/records/${made?.id}`;
  const ask = async (method: string, headers: Record<string, string>, body?: object) => {
    const { endpoint, params } = endpointAt(method, path);
    const sent = body ? { body: JSON.stringify(body) } : {};
    const answer = await answered(
      pool,
      ida,
      endpoint,
      params,
      new Request(`http://x${path}`, { method, headers, ...sent }),
    );
    return { status: answer.status, etag: answer.headers.get('etag') ?? '', text: await answer.text() };
  };
  const read = await ask('GET', {});
  expect(await ask('GET', { 'if-none-match': `"other", W/${read.etag}` })).toEqual({ ...read, status: 304, text: '' });
  const change = (grams: number, tag: string) => ask('PATCH', { 'if-match': tag }, { values: { grams } });
  expect((await change(2, read.etag)).status).toBe(200);
  const late = await change(3, read.etag);
  expect([late.status, JSON.parse(late.text)]).toMatchObject([412, { version: 2, fields: [{ theirs: 2, yours: 3 }] }]);
  const now = await ask('GET', { 'if-none-match': read.etag });
  expect([now.status, now.etag === read.etag]).toEqual([200, false]);
  expect((await change(3, now.etag)).status).toBe(200);
  expect((await change(4, '*')).status).toBe(200);
  expect((await change(5, '"nonsense"')).status).toBe(412);
});
