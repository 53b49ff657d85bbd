import pg from 'pg';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import { beginDays } from '$server/records/day';
import { analystsOf, deleteAnalyst, makeAnalyst, watchAnalysts } from '$server/analysts/analysts';
import { migrateCatalogue } from '$server/database/migrate';
import { openPool, type Pool } from '$server/database/pool';
import { changeWorkspace } from '$server/workspaces/workspaces';
import { endpoints } from '$server/api/openapi';
import { called, endpointAt } from '../safety/calling';
import { databaseUrl, freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

/** What an analyst does with a client of their own, who has an address and a password and nothing else. */
let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;
const made: { id: number; address: string; login: string }[] = [];

async function ask(method: string, path: string, body?: object) {
  const { endpoint, params } = endpointAt(method, `/api/workspaces/bees${path}`);
  const { status, text: said } = await called(pool, ida, endpoint, params, {}, body);
  return { status, said, answer: JSON.parse(said) as { id: string } };
}
async function analyst(role: string, names = 'labels') {
  const { status, said, answer } = await ask('POST', '/analysts', { label: `An ${role}`, role, names });
  expect(status, said).toBe(200);
  made.push(answer as never);
  return answer as unknown as { id: number; address: string; login: string };
}
async function connected({ address }: { address: string }): Promise<pg.Client> {
  const client = new pg.Client({ connectionString: address });
  client.on('error', () => undefined);
  await client.connect();
  return client;
}
const rows = async (client: pg.Client, statement: string) =>
  (await client.query<Record<string, unknown>>(statement)).rows;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('analysts'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Bees');
  await place.change(
    { do: 'addTable', label: 'Apiaries', fields: [text('Name'), { label: 'Steward', type: 'member' }] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number', { help: 'As painted on it.' }),
        { label: 'Apiary', type: 'link', to: 'apiaries', counterpart: { label: 'Hives' } },
        { label: 'Wood', type: 'option', options: ['Larch', 'Pine'] },
        { label: 'Weight', type: 'number' },
        { label: 'Price', type: 'money', currency: 'EUR' },
        { label: 'Day', type: 'date' },
        { label: 'Hidden', type: 'text' },
        { label: 'Near', type: 'link', to: 'apiaries', many: true },
        { label: 'Double', type: 'formula', formula: 'weight * 2' },
      ],
    },
  );
  await place.insert('apiaries', { name: 'North', steward: ida.id }, { name: 'South' });
  await place.insert(
    'hives',
    {
      number: 'H-1',
      apiary: 1,
      wood: 'Larch',
      weight: 10.5,
      price: 99.5,
      day: '2026-05-01',
      hidden: 'planted',
      near: [1, 2],
    },
    { number: 'H-2', apiary: 2, wood: 'Pine', weight: 20, day: '2020-01-01', hidden: 'planted' },
  );
});
afterAll(async () => {
  for (const { id } of made) await ask('DELETE', `/analysts/${id}`);
  await drop();
});

test('the workspace stands there as tables, with words beside numbers and what each means', async () => {
  const client = await connected(await analyst('administrator'));
  expect(
    await rows(
      client,
      `select "Number", "Apiary", "Apiary id", "Wood", "Weight", "Price", "Day", "Near", "Near ids", "Double" from "Hives" order by 1`,
    ),
  ).toEqual([
    {
      Number: 'H-1',
      Apiary: 'North',
      'Apiary id': 1,
      Wood: 'Larch',
      Weight: '10.5',
      Price: '99.5',
      Day: expect.anything(),
      Near: ['North', 'South'],
      'Near ids': ['1', '2'],
      Double: '21',
    },
    expect.objectContaining({ Number: 'H-2', Apiary: 'South', Wood: 'Pine', Price: null, Near: [] }),
  ]);
  // It is reckoned with, not only read.
  expect(await rows(client, `select sum("Double")::float as s, max("Day")::text as d from "Hives"`)).toEqual([
    { s: 61, d: '2026-05-01' },
  ]);
  expect(await rows(client, `select "Name", "Steward", "Hives count"::int as n from "Apiaries" order by 1`)).toEqual([
    { Name: 'North', Steward: 'Ida', n: 1 },
    { Name: 'South', Steward: null, n: 1 },
  ]);
  expect(
    await rows(
      client,
      `select a.attname as name, col_description(a.attrelid, a.attnum) as words from pg_attribute a
       where a.attrelid = '"Hives"'::regclass and a.attname in ('Number', 'Double', 'Apiary id') order by 1`,
    ),
  ).toEqual([
    { name: 'Apiary id', words: 'Apiary (id)' },
    { name: 'Double', words: 'Double = weight * 2' },
    { name: 'Number', words: 'Number. As painted on it.' },
  ]);
  await client.end();
  const byKey = await connected(await analyst('reader', 'keys'));
  expect(await rows(byKey, `select _id::int, number, apiary, apiary_id::int from hives order by 1`)).toEqual([
    { _id: 1, number: 'H-1', apiary: 'North', apiary_id: 1 },
    { _id: 2, number: 'H-2', apiary: 'South', apiary_id: 2 },
  ]);
  await byKey.end();
});

test('it only reads, and nothing but that', async () => {
  const one = await analyst('reader');
  const client = await connected(one);
  for (const statement of [
    `update "Hives" set "Number" = 'x'`,
    `delete from "Hives"`,
    `insert into "Apiaries" ("Name") values ('x')`,
    `select * from bees.hives`,
    `select * from loom.people`,
    `select loom.person_name(1)`,
    `create table x (a int)`,
    `create temporary table x (a int)`,
    `create schema x`,
    `drop view "Hives"`,
    `create or replace view "Hives" as select 1 as x`,
    `select pg_read_file('/etc/passwd')`,
    `copy "Hives" to program 'cat'`,
    `set role loom`,
    `select pg_advisory_lock(7001, 1)`,
    `select pg_try_advisory_xact_lock_shared(7001, 1)`,
    `select * from loom.channel`,
    `select loom.tell('', '{}')`,
    `alter role current_user superuser`,
    `set statement_timeout = 0; set default_transaction_read_only = off; delete from bees.hives`,
  ])
    await expect(client.query(statement), statement).rejects.toThrow(/permission denied|cannot|must be|read-only/);
  await client.end();
  expect(await place.values('hives', 'number')).toEqual(['H-1', 'H-2']);
  await expect(pool.query('select 1')).resolves.toBeTruthy();
});

test('nobody hears what goes on elsewhere, or speaks of it; and no change waits for who reads', async () => {
  const client = await connected(await analyst('reader'));
  const heard: unknown[] = [];
  client.on('notification', (news) => heard.push(news));
  const { rows: channels } = await pool.query<{ name: string }>('select name from loom.channel');
  expect(channels[0]?.name).toMatch(/^loom_[0-9a-f]{32}$/);
  await client.query('listen loom; listen loom_here; listen "loom_"');
  await client.query(`select pg_notify('loom', 'no news at all')`);
  await place.write('hives', { update: [{ id: 1, values: { weight: 10.5 } }] });
  await place.write('hives', { update: [{ id: 1, values: { weight: 10.25 } }] });
  await place.write('hives', { update: [{ id: 1, values: { weight: 10.5 } }] });
  await client.query('select 1');
  expect(heard).toMatchObject([{ payload: 'no news at all' }]);
  await client.query('begin; set statement_timeout = 0; select count(*) from "Hives"');
  const began = performance.now();
  const batch = await place.change({ do: 'addField', table: 'hives', field: text('Later') });
  expect(performance.now() - began).toBeLessThan(5_000);
  await place.undo(batch);
  await expect(client.query('select 1')).rejects.toThrow();
});

test('a table with more fields than a view has columns is cut there, and stands in nobody’s way', async () => {
  const one = await analyst('reader');
  const fields = Array.from({ length: 900 }, (_, at) => ({ label: `Paid ${at}`, type: 'money', currency: null }));
  await place.change({ do: 'addTable', label: 'Wide “one”; drop', fields: [text('A'), ...fields] } as never);
  const client = await connected(one);
  const { fields: columns } = await client.query('select * from "Wide “one”; drop" limit 0');
  expect(columns).toHaveLength(1_600);
  await client.end();
  await place.change({ do: 'removeTable', table: 'wide_one_drop' } as never);
}, 120_000);

describe('cut to the role', () => {
  let client: pg.Client;
  let role: string;
  beforeAll(async () => {
    const { answer, said, status } = await ask('POST', '/roles', {
      label: 'Old and light',
      workspace: ['takeOut'],
      others: {},
      tables: { hives: { see: 'weight < 15 and day < today()', fields: { hidden: 'hidden', weight: 'hidden' } } },
    });
    expect(status, said).toBe(200);
    role = answer.id;
    client = await connected(await analyst(role));
  });
  afterAll(() => client.end());

  test('tables, records and fields that it does not see are not there, and no expression sees them', async () => {
    await place.write('hives', { update: [{ id: 1, values: { day: '2026-01-01' } }] });
    expect(await rows(client, `select "Number" from "Hives"`)).toEqual([{ Number: 'H-1' }]);
    await expect(client.query('select * from "Apiaries"')).rejects.toThrow('does not exist');
    await expect(client.query('select "Hidden" from "Hives"')).rejects.toThrow('does not exist');
    expect(JSON.stringify(await rows(client, 'select * from "Hives"'))).not.toMatch(/planted|North|South/);
    // A function with a fault of its own is not run on what is cut away.
    await client.query(`select 1 / (case when "Number" = 'H-2' then 0 else 1 end) from "Hives"`);
  });

  test('conditions ask for the day of today; whoever looks is nobody', async () => {
    await place.write('hives', { update: [{ id: 1, values: { day: '2099-12-31' } }] });
    expect(await rows(client, `select "Number" from "Hives"`)).toEqual([]);
    await pool.query(`update loom.workspaces set day = '2099-12-31'`);
    await beginDays(pool, new Date('2100-01-01T12:00:00Z'));
    expect(await rows(client, `select "Number" from "Hives"`)).toEqual([{ Number: 'H-1' }]);
    await pool.query(`update loom.workspaces set day = current_date - 1`);
    await beginDays(pool);
    await place.write('hives', { update: [{ id: 1, values: { day: '2026-01-01' } }] });
  });

  test('what changes in the role or the structure changes there at once; and nothing stands in its way', async () => {
    await ask('PATCH', `/roles/${role}`, { tables: { hives: { see: true, fields: {} }, apiaries: { see: true } } });
    expect(await rows(client, `select "Number", "Hidden", "Apiary" from "Hives" order by 1`)).toMatchObject([
      { Hidden: 'planted', Apiary: 'North' },
      { Hidden: 'planted', Apiary: 'South' },
    ]);
    const batch = await place.change(
      { do: 'removeField', table: 'hives', field: 'double' },
      { do: 'changeField', table: 'hives', field: 'weight', set: { type: 'text' } } as never,
      { do: 'addField', table: 'hives', field: text('Colour') },
      { do: 'changeTable', table: 'hives', set: { label: 'Beehives' } } as never,
    );
    expect(await rows(client, `select "Number", "Weight", "Colour" from "Beehives" order by 1`)).toMatchObject([
      { Weight: '10.5', Colour: null },
      {},
    ]);
    await place.undo(batch);
    expect(await rows(client, `select "Double"::float as d from "Hives" order by 1`)).toEqual([{ d: 21 }, { d: 40 }]);
    await ask('PATCH', `/roles/${role}`, { tables: {} });
    await expect(client.query('select * from "Hives"')).rejects.toThrow('does not exist');
    expect((await ask('DELETE', `/roles/${role}`)).status).toBe(409);
  });
});

test('nobody reads what is in the bin, nor by what was taken away; whoever is connected is put out', async () => {
  const one = await analyst('administrator');
  const settings = endpoints.find(({ method, path }) => method === 'PATCH' && path === '/api/workspaces/{ws}');
  const set = (body: object) => called(pool, ida, settings as never, { ws: 'bees' }, {}, body);
  let client = await connected(one);
  expect((await ask('GET', '/analysts')).said).toContain('"connected":1');
  await set({ deleted: true });
  await expect(client.query('select * from "Hives"')).rejects.toThrow();
  await expect(connected(one)).rejects.toThrow('not permitted to log in');
  await set({ deleted: false });
  client = await connected(one);
  expect(await rows(client, 'select count(*)::int as n from "Hives"')).toEqual([{ n: 2 }]);
  const id = made.findIndex((each) => each.id === one.id);
  made.splice(id, 1);
  expect((await ask('DELETE', `/analysts/${one.id}`)).status).toBe(200);
  await expect(client.query('select 1')).rejects.toThrow();
  await expect(connected(one)).rejects.toThrow('does not exist');
  expect((await pool.query(`select from pg_namespace where nspname = $1`, [one.login])).rowCount).toBe(0);
  const trail = await ask('GET', '/audit');
  expect(trail.said).toContain('took the way into the database from');
});

describe('where the server is no superuser of the database', () => {
  let admin: pg.Client;
  let plain: Pool;
  beforeAll(async () => {
    admin = new pg.Client({ connectionString: databaseUrl('postgres') });
    await admin.connect();
    await admin.query('drop database if exists analysts_plain with (force)');
    await admin.query('drop role if exists loom_test_plain');
    await admin.query('create role loom_test_plain login createrole');
    await admin.query('create database analysts_plain owner loom_test_plain');
    const url = new URL(databaseUrl('analysts_plain'));
    url.username = 'loom_test_plain';
    plain = openPool(url.href, 6);
    await migrateCatalogue(plain);
  });
  afterAll(async () => {
    await plain.end();
    await admin.query('drop database if exists analysts_plain with (force)');
    await admin.query('drop role if exists loom_test_plain');
    await admin.end();
  });

  test('a way in is made, cut, taken away; one that is not there any more hinders nothing', async () => {
    const by = await makePerson(plain, 'Plain');
    const here = await makePlace(plain, by, 'Wasps');
    await here.change({ do: 'addTable', label: 'Nests', fields: [text('Number')] });
    await here.insert('nests', { number: 'N-1' });
    const make = async () => makeAnalyst(plain, await here.access(), { label: 'x', role: 'reader', names: 'keys' });
    const [one, two] = [await make(), await make()];
    const client = await connected(one);
    expect(await rows(client, 'select number from nests')).toEqual([{ number: 'N-1' }]);
    await client.query('begin; select 1 from nests');
    const batch = await here.change({ do: 'addField', table: 'nests', field: text('Later') });
    await here.undo(batch);
    await watchAnalysts(plain);
    await deleteAnalyst(plain, await here.access(), one.id);
    await expect(client.query('select 1')).rejects.toThrow();
    // As after a dump was restored into another server, which has none of these roles.
    await plain.query(`drop schema "${two.login}" cascade`);
    await plain.query(`drop role "${two.login}"`);
    await here.change({ do: 'addField', table: 'nests', field: text('Other') });
    await changeWorkspace(plain, by, 'wasps', { deleted: true });
    await changeWorkspace(plain, by, 'wasps', { deleted: false });
    expect(await analystsOf(plain, await here.access())).toMatchObject([{ id: two.id, connected: 0 }]);
    await deleteAnalyst(plain, await here.access(), two.id);
    await admin.query('alter role loom_test_plain nocreaterole');
    await expect(make()).rejects.toThrow('lets this server make no roles');
  });
});
