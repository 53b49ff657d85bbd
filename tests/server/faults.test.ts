import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { makeToken } from '$server/access/tokens';
import { authorize, type WorkspaceAccess } from '$server/access/workspaceAccess';
import { openPool, type Pool } from '$server/database/pool';
import { untilGone } from '$server/database/reading';
import { workspaceLock } from '$server/database/locks';
import { problemResponse } from '$server/http/problem';
import { onceOnly } from '$server/http/onceOnly';
import { listenerName } from '$server/database/processId';
import { endJobs } from '$server/intake/inTurn';
import { beginIntake, readIntake } from '$server/intake/intakes';
import { startLoad } from '$server/intake/load/loading';
import { ChangeListener } from '$server/live/events';
import { Refusal } from '$server/base/refusal';
import { recordBatch } from '$server/records/recordBatch';
import { writeRecords } from '$server/entry/write';
import { deleteRecords, patchRecords, postRecords } from '$server/api/recordWrites';
import { callerBy, called as calling } from '../safety/calling';
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

/** A call as it comes under a key. */
const called = (name: string, body = '{}') => ({
  person: home.person,
  key: name,
  name: 'POST /somewhere',
  body,
  inOneTransaction: false,
});

describe('a call whose write is one transaction', () => {
  /** As its route answers it, under a key. */
  const send = async (key: string, number: string, call = calling, endpoint = postRecords) => {
    const body = { records: [{ values: { number } }] };
    const answer = await call(pool, home.person, endpoint, { ws: home.key, t: 'hives' }, {}, body, {
      'idempotency-key': key,
    });
    return { status: answer.status, said: JSON.parse(answer.text) as Record<string, unknown> };
  };
  /** The same in modules of their own, which know as little of the others as another process does. */
  const sendElsewhere = async (key: string, number: string) => {
    vi.resetModules();
    const { called: call } = await import('../safety/calling');
    const { postRecords: endpoint } = await import('$server/api/recordWrites');
    return send(key, number, call, endpoint);
  };
  const standing = async (number: string) =>
    (await pool.query(`select 1 from ${home.key}.hives where number = $1`, [number])).rowCount;

  test('has its answer with what it wrote: the same again gets the very same, and writes nothing', async () => {
    const first = await send('one', 'T-1');
    expect(first).toMatchObject({ status: 200, said: { records: [{ values: { number: 'T-1' } }] } });
    expect(await send('one', 'T-1')).toEqual(first);
    expect(await standing('T-1')).toBe(1);
    const { rows } = await pool.query(`select answer from loom.idempotency where key = 'one'`);
    expect(rows).toEqual([{ answer: first.said }]);
  });

  test('with another body, or as another call, is refused', async () => {
    await send('two', 'T-2');
    expect(await send('two', 'T-3')).toMatchObject({
      status: 422,
      said: { detail: expect.stringContaining('another body') },
    });
    const deleted = await calling(
      pool,
      home.person,
      deleteRecords,
      { ws: home.key, t: 'hives' },
      {},
      { ids: [1] },
      {
        'idempotency-key': 'two',
      },
    );
    expect([deleted.status, deleted.text]).toEqual([422, expect.stringContaining('another call')]);
    expect(await standing('T-3')).toBe(0);
  });

  test('with another body that brings a new word for an open list leaves the list as it is', async () => {
    const open = { label: 'Mood', type: 'option', options: [{ label: 'calm' }], open: true } as const;
    await home.change({ do: 'addField', table: 'hives', field: open });
    const moods = async () => {
      const { model } = (await home.access()).workspace;
      const type = model.tables[0]?.fields.find(({ key }) => key === 'mood')?.type;
      return type?.kind === 'option' ? type.options.map(({ label }) => label) : null;
    };
    const make = (mood: string) =>
      calling(
        pool,
        home.person,
        postRecords,
        { ws: home.key, t: 'hives' },
        {},
        { records: [{ values: { mood } }] },
        {
          'idempotency-key': 'moods',
        },
      );
    expect((await make('wild')).status).toBe(200);
    expect((await make('never')).status).toBe(422);
    expect((await make('wild')).status).toBe(200);
    expect(await moods()).toEqual(['calm', 'wild']);
  });

  test('leaves its key free where it was refused, or taken back with its transaction', async () => {
    const none = await calling(
      pool,
      home.person,
      postRecords,
      { ws: home.key, t: 'hives' },
      {},
      { records: [{ values: { no: 1 } }] },
      {
        'idempotency-key': 'three',
      },
    );
    expect(none.status).toBe(422);
    expect((await send('three', 'T-4')).status).toBe(200);
  });

  test('under one key in two processes is done once, whichever comes first', async () => {
    const words = "O'Hara \\ 'x'; drop table loom.idempotency; --";
    const answers = await Promise.all([1, 2, 3].map(() => sendElsewhere(`four ${words}`, words)));
    expect(answers.filter(({ status }) => status === 200).length).toBeGreaterThan(0);
    for (const { status, said } of answers) if (status !== 200) expect(said).toMatchObject({ going: true });
    expect(await standing(words)).toBe(1);
    expect((await send(`four ${words}`, words)).said).toMatchObject({ records: [{ values: { number: words } }] });
  });

  test('takes no more than five round trips with one level of calculation, sign-in and key included', async () => {
    const own = await makePlace(pool, home.person, 'Trips');
    await own.change({ do: 'addTable', label: 'Apiaries', fields: [text('Name')] });
    await own.change({ do: 'addTable', label: 'Hives', fields: [text('Number'), { label: 'Kg', type: 'number' }] });
    await own.change({ do: 'addField', table: 'hives', field: { label: 'Apiary', type: 'link', to: 'apiaries' } });
    await own.change({
      do: 'addField',
      table: 'apiaries',
      field: { label: 'Kg', type: 'formula', formula: 'sum(hives.kg)' },
    });
    await own.insert('apiaries', { name: 'Low Meadow' });
    await own.insert('hives', { number: 'H-1', kg: 1, apiary: 1 });
    const secret = await makeToken(pool, home.person.email, 'trips');
    const from = callerBy(pool, { is: 'token', secret }, own.key);
    const edit = (kg: number) => {
      const body = { records: [{ id: 1, values: { kg } }] };
      const key = { 'idempotency-key': `trip ${kg}` };
      return calling(pool, from, patchRecords, { ws: own.key, t: 'hives' }, {}, body, key);
    };
    await edit(2);
    const asked = vi.spyOn(pg.Client.prototype, 'query');
    const { status } = await edit(3);
    const trips = asked.mock.calls.length;
    asked.mockRestore();
    expect(status).toBe(200);
    expect(await own.values('apiaries', 'kg')).toEqual([3]);
    expect(trips).toBeLessThanOrEqual(5);
  });
});

describe('a call under an Idempotency-Key', () => {
  const key = (): string => `key ${++serial}`;
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
    await expect(onceOnly(pool, { ...called(name), name: 'DELETE /somewhere' }, work)).rejects.toMatchObject({
      status: 422,
    });
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
    const access = { ...(await home.access()), call: called(name) };
    const { batch } = await writeRecords(pool, access, 'hives', { insert: [{ values: { number: 'H-1' } }] });
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
  const access = await authorize(narrow, home.person, home.key, 'design');
  const begun = await Promise.all(
    Array.from({ length: 12 }, async (_, n) => {
      const path = join(folder, String(n));
      writeFileSync(
        path,
        `Number,Kg\n${Array.from({ length: 300 }, (__, row) => `F-${n}-${row},${row}`).join('\n')}\n`,
      );
      return (await beginIntake(narrow, access, [{ name: `file ${n}.csv`, path }])).id;
    }),
  );
  for (let tries = 0; tries < 600; tries++) {
    const states = await Promise.all(begun.map(async (id) => (await readIntake(narrow, access, id)).state));
    expect(states).not.toContain('failed');
    if (states.every((state) => state === 'ready')) break;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  const read = await Promise.all(
    begun.map(async (id) => (await readIntake(narrow, access, id)).sheets.map(({ rows }) => rows)),
  );
  expect(read).toEqual(Array.from({ length: 12 }, () => [300]));
  await endJobs(narrow);
  await narrow.end();
});

test('who waits for a workspace that is held neither stops another workspace nor waits without end in a line without end', async () => {
  const narrow = openPool(url, 6);
  const other = await makePlace(pool, await makePerson(pool, 'Tom'), 'Next door');
  await other.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
  const hives = async () => Number((await pool.query(`select count(*) as n from ${home.key}.hives`)).rows[0].n);
  const write = (access: WorkspaceAccess, number: string) =>
    writeRecords(narrow, access, 'hives', { insert: [{ values: { number } }] });
  const [mine, theirs] = [await home.access(), await other.access()];
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
  [
    'a lock that was waited for too long',
    Object.assign(new Error('canceling statement due to lock timeout'), { code: '55P03' }),
  ],
  ['a pool without a free connection', new Error('timeout exceeded when trying to connect')],
])('%s is answered with 503 and when to come again', async (_, error) => {
  const answer = problemResponse(error);
  expect([answer.status, answer.headers.get('retry-after')]).toEqual([503, '5']);
  expect(((await answer.json()) as { fix: string }).fix).toContain('Try again');
});

test('a batch that touches 540 tables is written, and told of', async () => {
  const listener = new ChangeListener(url);
  await listener.start();
  const access = await home.access();
  const heard = new Promise<unknown>((resolve) =>
    listener.subscribe(access.workspace.id, (event) => event.batch !== null && resolve(event)),
  );
  const tables = Array.from({ length: 540 }, (_, n) => `t_${String(n).padStart(20, '0')}`);
  const client = await pool.connect();
  try {
    await recordBatch({ client, access }, { kind: 'edit', title: 'very many' }, [], tables);
  } finally {
    client.release();
  }
  // No names stand for all tables.
  expect(await heard).toMatchObject({ tables: [] });
  await listener.stop();
});

describe('what is cut off', () => {
  test('behind the commit of a load: the intake says so as soon as its records stand', async () => {
    const access = await authorize(pool, home.person, home.key, 'design');
    const path = join(mkdtempSync(join(tmpdir(), 'loom-test-')), 'load');
    writeFileSync(path, 'Wagon,Colour,Built\nlong one,green,2019-04-02\nshort one,red,2021-07-09\n');
    const { id } = await beginIntake(pool, access, [{ name: 'wagons.csv', path }]);
    const now = async () => (await readIntake(pool, access, id)).state;
    await expect.poll(now).toBe('ready');
    // Whoever says that it is loaded takes a second for it: a server would be killed just then.
    await pool.query(
      `create function slowly() returns trigger language plpgsql as $$begin perform pg_sleep(1); return new; end$$`,
    );
    await pool.query(
      `create trigger slowly before update on loom.intakes for each row when (new.state = 'loaded') execute function slowly()`,
    );
    await startLoad(pool, access, id);
    const stands = new Set<string>();
    for (let over = false; !over; await new Promise((resolve) => setTimeout(resolve, 20))) {
      const { rows } = await pool.query<{ state: string; stands: boolean }>(
        `select state, exists (select 1 from loom.batches where kind = 'load' and title like '%wagons%') as stands from loom.intakes where id = $1`,
        [id],
      );
      stands.add(`${rows[0]?.state} ${rows[0]?.stands}`);
      over = rows[0]?.state !== 'loading';
    }
    await pool.query('drop trigger slowly on loom.intakes');
    expect(stands).toEqual(new Set(['loading false', 'loaded true']));
  });

  test('with the database under it: the same key again is answered from what was written, in the same process, too', async () => {
    const name = 'cut off in its commit';
    const access = { ...(await home.access()), call: called(name) };
    const call = called(name);
    const write = () => writeRecords(pool, access, 'hives', { insert: [{ values: { number: 'H-cut' } }] });
    let batch = 0;
    const lost = async () => {
      ({ batch } = await write());
      throw Object.assign(new Error('Connection terminated unexpectedly'), { code: 'ECONNRESET' });
    };
    await expect(onceOnly(pool, call, lost)).rejects.toThrow('Connection terminated');
    expect(await onceOnly(pool, call, write)).toEqual({ batch });
    // Even a write that does not know of the first, as its commit came later, is none.
    await pool.query('delete from loom.idempotency where key = $1', [name]);
    expect(await onceOnly(pool, call, write)).toEqual({ batch });
    expect((await pool.query(`select 1 from ${home.key}.hives where number = 'H-cut'`)).rowCount).toBe(1);
  });

  test.each(['a pool', 'a pool for one asker'])(
    'under whoever holds a connection of %s between two statements: they are told, and the process lives',
    async (kind) => {
      const client = await (kind === 'a pool' ? pool : untilGone(pool, new AbortController().signal, pool)).connect();
      const { rows } = await client.query<{ pid: number }>('select pg_backend_pid() as pid');
      await pool.query('select pg_terminate_backend($1)', [rows[0]?.pid]);
      await new Promise((resolve) => setTimeout(resolve, 100));
      await expect(client.query('select 1')).rejects.toThrow();
      client.release(true);
    },
  );

  test('nothing: the same call twice at once is done once, and the other is told to ask again', async () => {
    let begun = 0;
    const slow = async () => {
      begun++;
      await new Promise((resolve) => setTimeout(resolve, 200));
      return { begun };
    };
    const call = called('twice at once');
    const told = await Promise.allSettled([
      onceOnly(pool, call, slow),
      onceOnly(pool, call, slow),
      onceOnly(pool, call, slow),
    ]);
    expect(told.map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'rejected']);
    expect(told[1]).toMatchObject({ reason: { status: 409, details: { going: true } } });
    expect([begun, await onceOnly(pool, call, slow)]).toEqual([1, { begun: 1 }]);
  });
});
