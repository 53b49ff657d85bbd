import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { takeSeat, type Seat } from '$server/access/seat';
import { openPool, type Pool } from '$server/database/pool';
import { workspaceLock } from '$server/database/locks';
import { problemResponse } from '$server/http/problem';
import { onceOnly } from '$server/http/onceOnly';
import { listenerName } from '$server/http/processId';
import { endJobs } from '$server/intake/inTurn';
import { beginIntake, readIntake } from '$server/intake/intakes';
import { ChangeListener } from '$server/live/events';
import { Refusal } from '$server/refusal';
import { recordBatch } from '$server/tables/applyEdits';
import { writeRecords } from '$server/tables/write';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let home: Place;
let serial = 0;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('faults'));
  home = await makePlace(pool, await makePerson(pool, 'Ida'), 'Faults');
  await home.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
});
afterAll(() => drop());

describe('a call under an Idempotency-Key', () => {
  const key = (): string => `key ${++serial}`;
  const called = (name: string, body = '{}') => ({ person: home.person, key: name, name: 'POST /somewhere', body });
  const counting = () => {
    let times = 0;
    return async () => ({ times: ++times });
  };
  const cutOff = (name: string, process: string) =>
    pool
      .query(`update loom.idempotency set answer = null, process = $2 where key = $1 returning key`, [name, process])
      .then(({ rowCount }) => expect(rowCount).toBe(1));

  test('is done once; the same again gets the same answer, another body or call is refused', async () => {
    const [name, work] = [key(), counting()];
    expect(await onceOnly(pool, called(name), work)).toEqual({ times: 1 });
    expect(await onceOnly(pool, called(name), work)).toEqual({ times: 1 });
    await expect(onceOnly(pool, called(name, '{"other": 1}'), work)).rejects.toMatchObject({ status: 422 });
    await expect(onceOnly(pool, { ...called(name), name: 'DELETE /somewhere' }, work)).rejects.toMatchObject({ status: 422 });
    expect(await work()).toEqual({ times: 2 });
  });

  test('that was refused leaves its key free', async () => {
    const name = key();
    const refused = () => Promise.reject(new Refusal(422, { message: 'no' }));
    await expect(onceOnly(pool, called(name), refused)).rejects.toMatchObject({ status: 422 });
    expect(await onceOnly(pool, called(name), counting())).toEqual({ times: 1 });
  });

  test('that ended with its process before anything was written is done again', async () => {
    const [name, work] = [key(), counting()];
    await onceOnly(pool, called(name), work);
    await cutOff(name, 'a process that is gone');
    expect(await onceOnly(pool, called(name), work)).toEqual({ times: 2 });
  });

  test('that ended with its process behind its writing is answered from what it wrote, and not done again', async () => {
    const [name, work] = [key(), counting()];
    const seat = { ...(await home.seat()), call: name };
    const { batch } = await writeRecords(pool, seat, 'hives', { insert: [{ values: { number: 'H-1' } }] });
    await onceOnly(pool, called(name), work);
    await cutOff(name, 'a process that is gone');
    expect(await onceOnly(pool, called(name), work)).toEqual({ batch });
    expect(await work()).toEqual({ times: 2 });
  });

  test('that another process which lives is working on is still going on', async () => {
    const [name, work] = [key(), counting()];
    await onceOnly(pool, called(name), work);
    const other = openPool(url, 1);
    const client = await other.connect();
    await client.query(`set application_name = '${listenerName('the other one')}'`);
    await cutOff(name, 'the other one');
    await expect(onceOnly(pool, called(name), work)).rejects.toMatchObject({ status: 409, details: { going: true } });
    client.release(true);
    await other.end();
  });
});

test('twelve files that come at once are all read, over a pool that would not hold two connections for each', async () => {
  const narrow = openPool(url, 6);
  const folder = mkdtempSync(join(tmpdir(), 'loom-test-'));
  const seat = await takeSeat(narrow, home.person, home.key, 'administrator');
  const begun = await Promise.all(
    Array.from({ length: 12 }, async (_, n) => {
      const path = join(folder, String(n));
      writeFileSync(path, `Number,Kg\n${Array.from({ length: 300 }, (__, row) => `F-${n}-${row},${row}`).join('\n')}\n`);
      return (await beginIntake(narrow, seat, [{ name: `file ${n}.csv`, path }])).id;
    }),
  );
  for (let tries = 0; tries < 600; tries++) {
    const states = await Promise.all(begun.map(async (id) => (await readIntake(narrow, seat, id)).state));
    expect(states).not.toContain('failed');
    if (states.every((state) => state === 'ready')) break;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  const read = await Promise.all(begun.map(async (id) => (await readIntake(narrow, seat, id)).sheets.map(({ rows }) => rows)));
  expect(read).toEqual(Array.from({ length: 12 }, () => [300]));
  await endJobs(narrow);
  await narrow.end();
});

test('who waits for a workspace that is held neither stops another workspace nor waits without end in a line without end', async () => {
  const narrow = openPool(url, 6);
  const other = await makePlace(pool, await makePerson(pool, 'Tom'), 'Next door');
  await other.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
  const hives = async () => Number((await pool.query(`select count(*) as n from ${home.key}.hives`)).rows[0].n);
  const write = (seat: Seat, number: string) => writeRecords(narrow, seat, 'hives', { insert: [{ values: { number } }] });
  const [mine, theirs] = [await home.seat(), await other.seat()];
  const holder = await pool.connect();
  await holder.query('select pg_advisory_lock($1, $2)', [workspaceLock, mine.workspace.id]);
  const before = await hives();
  const waiting = Array.from({ length: 230 }, (_, n) =>
    write(mine, `W-${n}`).then(
      () => 'written',
      (error: unknown) => problemResponse(error).status,
    ),
  );
  const began = performance.now();
  await write(theirs, 'N-1');
  expect(performance.now() - began).toBeLessThan(5_000);
  await holder.query('select pg_advisory_unlock($1, $2)', [workspaceLock, mine.workspace.id]);
  holder.release();
  const ended = await Promise.all(waiting);
  const written = ended.filter((one) => one === 'written').length;
  expect(new Set(ended)).toEqual(new Set(['written', 503]));
  expect(written).toBeGreaterThanOrEqual(200);
  expect(await hives()).toBe(before + written);
  await narrow.end();
});

test.each([
  ['a lock that was waited for too long', Object.assign(new Error('canceling statement due to lock timeout'), { code: '55P03' })],
  ['a pool without a free connection', new Error('timeout exceeded when trying to connect')],
])('%s is answered with 503 and when to come again', async (_, error) => {
  const answer = problemResponse(error);
  expect([answer.status, answer.headers.get('retry-after')]).toEqual([503, '5']);
  expect(((await answer.json()) as { fix: string }).fix).toContain('Try again');
});

test('a batch that touches 540 tables is written, and told of', async () => {
  const listener = new ChangeListener(url);
  await listener.start();
  const seat = await home.seat();
  const heard = new Promise<unknown>((resolve) => listener.subscribe(seat.workspace.id, (event) => event.batch !== null && resolve(event)));
  const tables = Array.from({ length: 540 }, (_, n) => `t_${String(n).padStart(20, '0')}`);
  const client = await pool.connect();
  try {
    await recordBatch({ client, seat, whole: true }, { kind: 'edit', title: 'very many' }, [], tables, []);
  } finally {
    client.release();
  }
  // No names stand for all tables.
  expect(await heard).toMatchObject({ tables: [] });
  await listener.stop();
});
