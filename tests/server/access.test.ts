import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { callerOf, purgeExpired, signIn, signOut } from '$server/access/signIn';
import { makeToken } from '$server/access/tokens';
import { errorCode, inTransaction } from '$server/database/transaction';
import type { Pool } from '$server/database/pool';
import { ChangeListener } from '$server/live/events';
import type { ChangeEvent } from '$server/database/changeEvents';
import { Refusal } from '$server/base/refusal';
import { streamOf } from '$server/base/streamOf';
import { csvPieces } from '$server/export/csv';
import { patchRecords } from '$server/api/recordWrites';
import { ledgerOf, makeWorkspace } from '$server/workspaces/workspaces';
import { authorize, tableAt, type Person } from '$server/access/workspaceAccess';
import { writeRecords } from '$server/entry/write';
import { changeNow, linkField, plainField, plainTable } from './changes';
import { called, callerBy } from '../safety/calling';
import { freshDatabase, makePerson, makeAccess } from './database';
import { makePlace, text } from './place';

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let ida: Person;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('access'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

const refusal = (work: Promise<unknown>) =>
  work.then(
    () => null,
    (error: unknown) => (error instanceof Refusal ? error : Promise.reject(error as Error)),
  );

describe('signing in', () => {
  let place = 0;
  /** From a place of its own each time, unless one is said. */
  const enter = (email: string, password: string, from: { place?: string; device?: string } = {}) =>
    signIn(pool, email, password, { place: `192.0.2.${place++}`, ...from });
  const statuses = async (work: readonly Promise<unknown>[]) =>
    (await Promise.all(work.map(refusal))).map((refused) => refused?.status ?? 200).sort((one, other) => one - other);

  test('a session is known by its secret until it is ended or over; only its hash is kept', async () => {
    const { session } = await enter(' IDA@alderfold.example ', 'test');
    expect(await callerOf(pool, { is: 'session', secret: session })).toMatchObject({ person: { name: 'Ida' } });
    expect((await pool.query('select 1 from loom.sessions where hash = $1', [Buffer.from(session)])).rowCount).toBe(0);
    expect(await callerOf(pool, { is: 'session', secret: `${session}x` })).toBeNull();
    await signOut(pool, session);
    expect(await callerOf(pool, { is: 'session', secret: session })).toBeNull();
    const late = await enter('ida@alderfold.example', 'test');
    await pool.query("update loom.sessions set expires_at = now() - interval '1 second'");
    expect(await callerOf(pool, { is: 'session', secret: late.session })).toBeNull();
    await purgeExpired(pool);
    expect((await pool.query('select 1 from loom.sessions')).rowCount).toBe(0);
  });

  test('what was wrong is not told', async () => {
    const wrong = await refusal(enter('ida@alderfold.example', 'guess'));
    const nobody = await refusal(enter('nobody@alderfold.example', 'guess'));
    expect([wrong?.status, wrong?.message]).toEqual([nobody?.status, nobody?.message]);
    expect((await enter('ida@alderfold.example', 'test')).session).not.toBe('');
  });

  test('many tries at once are counted one by one', async () => {
    const tries = Array.from({ length: 120 }, () => enter('guessed@alderfold.example', 'guess'));
    const found = await statuses(tries);
    expect(found.filter((status) => status === 401)).toHaveLength(5);
    expect(found.filter((status) => status === 429)).toHaveLength(115);
  });

  test('one place tries no more than so many accounts', async () => {
    const found = await statuses(
      Array.from({ length: 200 }, (_, n) => enter(`${n}@elsewhere.example`, 'guess', { place: '198.51.100.7' })),
    );
    expect(found.filter((status) => status === 401)).toHaveLength(60);
    // Whoever goes on is answered once a second, so that nobody else is held up by them.
    const began = performance.now();
    expect((await refusal(enter('one.more@elsewhere.example', 'guess', { place: '198.51.100.7' })))?.status).toBe(429);
    expect(performance.now() - began).toBeGreaterThan(900);
  });

  test('a stranger’s wrong tries do not shut out the right person on their own device; the longer they go on, the longer they wait', async () => {
    const { device } = await enter('ida@alderfold.example', 'test');
    for (let tries = 0; tries < 8; tries++) await refusal(enter('ida@alderfold.example', 'guess'));
    const shut = await refusal(enter('ida@alderfold.example', 'test'));
    expect([shut?.status, shut?.details.retryAfter]).toEqual([429, expect.any(Number)]);
    const again = await enter('ida@alderfold.example', 'test', { device });
    expect(again.device).toBe(device);
    // Another account is not known on that device, and wrong passwords count there as well.
    for (let tries = 0; tries < 5; tries++)
      expect((await refusal(enter('ida@alderfold.example', 'guess', { device })))?.status).toBe(401);
    expect((await refusal(enter('ida@alderfold.example', 'test', { device })))?.status).toBe(429);
    const waits: unknown[] = [];
    for (let round = 0; round < 4; round++) {
      await pool.query('update loom.attempts set expire = 0 where key like $1', ['account 60:%']);
      for (let tries = 0; tries < 6; tries++)
        waits.push((await refusal(enter('ida@alderfold.example', 'guess')))?.details.retryAfter);
    }
    expect(Math.max(...waits.map((wait) => Number(wait ?? 0)))).toBeGreaterThan(600);
  });

  test('a token stands for its person', async () => {
    const token = await makeToken(pool, 'ida@alderfold.example', 'test');
    expect(await callerOf(pool, { is: 'token', secret: token })).toMatchObject({
      person: { email: 'ida@alderfold.example' },
    });
    expect(await callerOf(pool, { is: 'token', secret: 'nothing' })).toBeNull();
    expect((await refusal(makeToken(pool, 'nobody@alderfold.example', 'test')))?.status).toBe(404);
  });
});

describe('workspaces', () => {
  test.each<[Parameters<typeof makeWorkspace>[2], number, string]>([
    [{ label: '  ' }, 422, 'label is empty'],
    [{ label: 'A', key: 'public' }, 422, 'kept for the database'],
    [{ label: 'A', key: 'Not a key' }, 422, 'is no key'],
    [{ label: 'A', zone: 'Middle/Nowhere' }, 422, 'no time zone'],
    [{ label: 'A', key: 'loom_staging' }, 422, 'kept for the database'],
  ])('%j is refused', async (wish, status, message) => {
    const refused = await refusal(makeWorkspace(pool, ida, wish));
    expect([refused?.status, refused?.message]).toEqual([status, expect.stringContaining(message)]);
  });

  test('the same label twice gets two keys; the same key at once goes to one; Home shows what is theirs', async () => {
    expect((await makeWorkspace(pool, ida, { label: 'Fell gate' })).key).toBe('fell_gate');
    expect((await makeWorkspace(pool, ida, { label: 'Fell gate' })).key).toBe('fell_gate_2');
    const both = await Promise.allSettled(
      [1, 2, 3].map(() => makeWorkspace(pool, ida, { label: 'Race', key: 'race' })),
    );
    expect(both.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
    expect((await ledgerOf(pool, ida)).map(({ key }) => key).sort()).toEqual(['fell_gate', 'fell_gate_2', 'race']);
    expect(await ledgerOf(pool, await makePerson(pool, 'Stranger'))).toEqual([]);
  });
});

describe('transactions', () => {
  test('a deadlock is tried again until both are through; anything else is not', async () => {
    await pool.query('create table pair (id int primary key, n int); insert into pair values (1, 0), (2, 0)');
    const add = (first: number, second: number) =>
      inTransaction(pool, 'select 1', async (client) => {
        await client.query('update pair set n = n + 1 where id = $1', [first]);
        await new Promise((resolve) => setTimeout(resolve, 20));
        await client.query('update pair set n = n + 1 where id = $1', [second]);
      });
    await Promise.all([add(1, 2), add(2, 1), add(1, 2)]);
    expect((await pool.query('select n from pair order by id')).rows).toEqual([{ n: 3 }, { n: 3 }]);
    let tries = 0;
    const failed = inTransaction(pool, 'select 1', async (client) => {
      tries++;
      await client.query('select 1 / 0');
    });
    await expect(failed).rejects.toThrow('division by zero');
    expect(tries).toBe(1);
    expect(errorCode(await failed.catch((error: unknown) => error))).toBe('22012');
  });
});

test('who listens hears of an edit, of the tables it touched, and of no other workspace', async () => {
  const access = await makeAccess(pool, ida, 'Heard');
  const other = await makeAccess(pool, ida, 'Unheard');
  await changeNow(pool, access, [
    { do: 'addTable', table: plainTable('hives', [plainField('number', { kind: 'text' })]), at: 0 },
  ]);
  const listener = new ChangeListener(url);
  await listener.start();
  const heard: ChangeEvent[] = [];
  const elsewhere: ChangeEvent[] = [];
  const first = new Promise<void>((resolve) =>
    listener.subscribe(access.workspace.id, (event) => (heard.push(event), resolve())),
  );
  listener.subscribe(other.workspace.id, (event) => elsewhere.push(event));
  const now = await authorize(pool, ida, 'heard', 'write');
  const { batch } = await writeRecords(pool, now, 'hives', { insert: [{ values: { number: 'H-1' } }] });
  await first;
  expect(heard).toEqual([{ workspace: access.workspace.id, batch, tables: [tableAt(now, 'hives').id] }]);
  expect(elsewhere).toEqual([]);
  await listener.stop();
});

test('an export streams every record in the order asked, links by title, formulas of spreadsheets defused', async () => {
  const access = await makeAccess(pool, ida, 'Exported');
  const apiaries = plainTable('apiaries', [plainField('name', { kind: 'text' })]);
  const hives = plainTable('hives', [
    plainField('number', { kind: 'text' }),
    plainField('weight', { kind: 'number', digits: 1 }),
    plainField('alive', { kind: 'yesNo' }),
  ]);
  await changeNow(pool, access, [
    { do: 'addTable', table: apiaries, at: 0 },
    { do: 'addTable', table: hives, at: 1 },
    linkField(hives, apiaries, 'apiary', 'hives'),
  ]);
  const now = await authorize(pool, ida, 'exported', 'write');
  await writeRecords(pool, now, 'apiaries', { insert: [{ values: { name: 'Low "Meadow", west' } }] });
  const rows = Array.from({ length: 4500 }, (_, i) => ({
    values: { number: i === 7 ? '=1+1' : `H-${i}`, weight: i / 10, alive: i % 2 === 0, apiary: i % 3 === 0 ? 1 : null },
  }));
  await writeRecords(pool, now, 'hives', { insert: rows });
  const table = tableAt(now, 'hives');
  const text = await new Response(
    streamOf(
      csvPieces(
        pool,
        now,
        { table, fields: table.fields, filter: null, sort: [{ field: table.fields[1]!.id, descending: true }] },
        'spreadsheet',
      ),
    ),
  ).text();
  const lines = text.trim().split('\r\n');
  expect(lines).toHaveLength(4501);
  expect(lines[0]).toBe('number,weight,alive,apiary');
  expect(lines[1]).toBe('H-4499,449.9,no,');
  expect(lines.at(-1)).toBe('H-0,0,yes,"Low ""Meadow"", west"');
  expect(lines.some((line) => line.startsWith("'=1+1,0.7"))).toBe(true);
  expect(new Set(lines).size).toBe(4501);
});

describe('whoever writes is recalled, and', () => {
  const setUp = async (label: string) => {
    const place = await makePlace(pool, ida, label);
    await place.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
    await place.insert('hives', { number: 'H-1' });
    const writer = await makePerson(pool, `Jo ${label}`);
    await pool.query(
      `insert into loom.members (workspace, person, role) select id, $1, 'editor' from loom.workspaces
      where key = $2`,
      [writer.id, place.key],
    );
    const secret = await makeToken(pool, writer.email, 'writes');
    const from = callerBy(pool, { is: 'token', secret }, place.key);
    let serial = 0;
    const write = async (values: object = { number: `H-${++serial}` }) => {
      const body = { records: [{ id: 1, values }] };
      return (await called(pool, from, patchRecords, { ws: place.key, t: 'hives' }, {}, body)).status;
    };
    // Twice, so that the second time goes by the first.
    expect([await write(), await write()]).toEqual([200, 200]);
    const done = (statement: string) => pool.query(statement, [writer.id]);
    return { place, writer, write, done };
  };

  const moves: [string, string, number][] = [
    ['is a reader now', `update loom.members set role = 'reader' where person = $1`, 403],
    ['is out of the workspace', `delete from loom.members where person = $1`, 404],
    ['has no token any more', `delete from loom.tokens where person = $1`, 401],
  ];
  test.each(moves)('whoever %s writes nothing', async (label, statement, status) => {
    const { place, write, done } = await setUp(label);
    const before = await place.values('hives', 'number');
    await done(statement);
    expect(await write()).toBe(status);
    expect(await place.values('hives', 'number')).toEqual(before);
  });

  test('a workspace that is deleted takes nothing', async () => {
    const { place, write } = await setUp('gone');
    await pool.query('update loom.workspaces set deleted_at = now() where key = $1', [place.key]);
    expect(await write()).toBe(404);
  });

  test('what a call begins goes on when whoever called signs out', async () => {
    const { place, writer, done } = await setUp('leaving');
    const secret = await makeToken(pool, writer.email, 'goes on');
    const credential = { is: 'token', secret } as const;
    const caller = await callerOf(pool, credential, place.key);
    const access = await authorize(pool, writer, place.key, 'write', caller?.membership);
    await done('delete from loom.tokens where person = $1');
    const begun = writeRecords(pool, access, 'hives', { update: [{ id: 1, values: { number: 'H-9' } }] });
    await expect(begun).resolves.toMatchObject({ records: [{ values: { number: 'H-9' } }] });
  });

  test('more rights and a new structure are found at once', async () => {
    const { place, write, done } = await setUp('more');
    await done(`update loom.members set role = 'reader' where person = $1`);
    expect(await write()).toBe(403);
    await done(`update loom.members set role = 'editor' where person = $1`);
    expect(await write()).toBe(200);
    expect(await write({ mood: 'calm' })).toBe(422);
    await place.change({ do: 'addField', table: 'hives', field: text('Mood') });
    expect(await write({ mood: 'calm' })).toBe(200);
    expect(await place.values('hives', 'mood')).toEqual(['calm']);
  });
});
