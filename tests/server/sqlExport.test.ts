import { execFileSync, spawnSync } from 'node:child_process';
import { readdirSync } from 'node:fs';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { called, endpointAt } from '../safety/calling';
import { databaseUrl, freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

/** What is taken out is read by PostgreSQL's own programs, in a database that knows nothing of this one. */
let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;
const versions = () => readdirSync('/usr/lib/postgresql').sort((a, b) => Number(a) - Number(b));
const program = (name: string) => `/usr/lib/postgresql/${versions().at(-1)}/bin/${name}`;

beforeAll(async () => {
  ({ pool, drop, url } = await freshDatabase('sqlexport'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Bees');
  await place.change(
    {
      do: 'addTable',
      label: 'Apiaries',
      description: 'Where hives stand.',
      fields: [text('Name', { unique: true }), { label: 'Parent', type: 'link', to: 'apiaries' }],
    } as never,
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        { label: 'Number', type: 'runningNumber', pattern: 'H-{0000}' },
        text('Memo', { help: 'It’s “a\\b”.' }),
        { label: 'Apiary', type: 'link', to: 'apiaries', counterpart: { label: 'Hives' } },
        { label: 'Near', type: 'link', to: 'apiaries', many: true },
        { label: 'Wood', type: 'option', options: ['Larch', 'Pine'] },
        { label: 'Marks', type: 'options', options: ['a', 'b'] },
        { label: 'Weight', type: 'number', required: true },
        { label: 'Price', type: 'money', currency: null },
        { label: 'Seen', type: 'dateTime' },
        { label: 'Day', type: 'date' },
        { label: 'Spot', type: 'place' },
        { label: 'Sold', type: 'yesNo' },
        { label: 'Painter', type: 'member' },
        { label: 'Took', type: 'duration' },
        { label: 'Double', type: 'formula', formula: 'weight * 2' },
      ],
    } as never,
    { do: 'addRule', table: 'hives', message: 'Not below nothing.', condition: 'weight >= 0' } as never,
    { do: 'addRule', table: 'hives', message: 'Once a day.', unique: ['apiary', 'day'] } as never,
  );
  await place.insert('apiaries', { name: 'North' }, { name: "So'uth\t\\N\n2", parent: 1 });
  await place.write('apiaries', { update: [{ id: 1, values: { parent: 2 } }] });
  await place.insert(
    'hives',
    {
      memo: 'a\tb\\nc\nd "e" \\.',
      apiary: 1,
      near: [2, 1],
      wood: 'Larch',
      marks: ['b', 'a'],
      weight: '10.250',
      price: { amount: '3.20', currency: 'EUR' },
      seen: '2026-05-01T10:00:00Z',
      day: '2026-05-01',
      spot: '54.5, -3.2',
      sold: true,
      painter: ida.id,
      took: 'PT1H30M',
    },
    { memo: '\\.', apiary: 2, weight: 0, day: '2026-05-01' },
    { weight: 7 },
  );
  await place.write('hives', { remove: [2] });
});
afterAll(() => drop());

const query = (by: Person, asked: Record<string, string>) => {
  const { endpoint, params } = endpointAt('GET', '/api/workspaces/bees/export');
  return called(pool, by, endpoint, params, asked);
};

/** Runs a script as `psql -v ON_ERROR_STOP=1` does, in a database of its own that is looked at and goes. */
async function restored<T>(script: string, look: (client: pg.Client) => Promise<T>): Promise<T> {
  const admin = new pg.Client({ connectionString: databaseUrl('postgres') });
  await admin.connect();
  await admin.query('drop database if exists sqlexport_restored with (force)');
  await admin.query('create database sqlexport_restored template template0');
  const client = new pg.Client({ connectionString: databaseUrl('sqlexport_restored') });
  try {
    const run = spawnSync(program('psql'), ['-X', '-q', '-v', 'ON_ERROR_STOP=1', databaseUrl('sqlexport_restored')], {
      input: script,
      encoding: 'utf8',
    });
    expect([run.status, run.stderr]).toEqual([0, '']);
    await client.connect();
    return await look(client);
  } finally {
    await client.end().catch(() => undefined);
    await admin.query('drop database if exists sqlexport_restored with (force)');
    await admin.end();
  }
}
const rowsOf = async (client: Pick<pg.Client, 'query'>, statement: string) =>
  (await client.query<Record<string, unknown>>(statement)).rows;

describe('the workspace as SQL', () => {
  test('with its records restores into an empty database, to the last sign, and goes on from there', async () => {
    const { status, text: script } = await query(ida, { format: 'sql', data: 'true' });
    expect(status).toBe(200);
    const pairs = (await place.access()).workspace.model.tables.find((table) => table.pairs)?.key ?? '';
    await restored(script, async (client) => {
      for (const [table, columns] of [
        ['apiaries', '_id::int, _version, name, parent::int'],
        [
          'hives',
          '_id::int, _version, number, memo, apiary::int, wood, marks, weight::text, seen, day::text, spot::text, sold, painter::int, took::text, "double"::text',
        ],
        [pairs, '*'],
      ] as const)
        expect(await rowsOf(client, `select ${columns} from bees.${table} order by 1`)).toEqual(
          await rowsOf(pool, `select ${columns} from bees.${table} order by 1`),
        );
      expect(await rowsOf(client, 'select price::text, price_currency from bees.hives order by _id limit 1')).toEqual([
        { price: '3.2', price_currency: 'EUR' },
      ]);
      const [made] = await rowsOf(client, 'insert into bees.hives (weight) values (1) returning _id::int, number');
      expect(made).toEqual({ _id: 4, number: 'H-0004' });
      for (const wrong of [
        'insert into bees.hives (weight) values (-1)',
        'insert into bees.hives (weight) values (null)',
        'insert into bees.hives (weight, apiary) values (1, 99)',
        `insert into bees.apiaries (name) values ('North')`,
        `insert into bees.hives (weight, apiary, day) values (1, 1, '2026-05-01')`,
      ])
        await expect(client.query(wrong), wrong).rejects.toThrow();
      expect(
        await rowsOf(
          client,
          `select obj_description('bees.apiaries'::regclass) as a, col_description('bees.hives'::regclass, attnum) as h
           from pg_attribute where attrelid = 'bees.hives'::regclass and attname = 'memo'`,
        ),
      ).toEqual([{ a: 'Apiaries: Where hives stand.', h: 'Memo. It’s “a\\b”.' }]);
    });
  });

  test('by a role that sees some of it restores, too: links to what is not seen are blank', async () => {
    const roles = endpointAt('POST', '/api/workspaces/bees/roles');
    const role = {
      label: 'Part',
      workspace: ['takeOut'],
      others: {},
      tables: { apiaries: { see: "name = 'North'" }, hives: { see: 'weight > 5', fields: { painter: 'hidden' } } },
    };
    const { status, text: said } = await called(pool, ida, roles.endpoint, roles.params, {}, role);
    expect(status, said).toBe(200);
    const made = JSON.parse(said) as { id: string };
    const wren = await makePerson(pool, 'Wren');
    await join(pool, await place.access(), wren, made.id);
    await place.write('hives', { update: [{ id: 3, values: { apiary: 2 } }] });
    const { text: script } = await query(wren, { format: 'sql', data: 'true' });
    expect(script).not.toMatch(/So'uth|painter/);
    await restored(script, async (client) => {
      expect(await rowsOf(client, 'select name, parent from bees.apiaries')).toEqual([{ name: 'North', parent: null }]);
      expect(await rowsOf(client, 'select _id::int, apiary::int from bees.hives order by 1')).toEqual([
        { _id: 1, apiary: 1 },
        { _id: 3, apiary: null },
      ]);
    });
  });

  test('a field that is required from now on only restores with the blanks of before', async () => {
    await place.change({ do: 'addField', table: 'hives', field: text('Late') });
    const plan = await place.plan({
      do: 'changeField',
      table: 'hives',
      field: 'late',
      set: { required: true, fromNow: true },
    } as never);
    expect(plan.possible).toBe(false);
    await pool.query(
      `update loom.workspaces set model = replace(model::text, '"label": "Late"', '"label": "Late", "required": true')::jsonb, version = version + 1`,
    );
    const { text: script } = await query(ida, { format: 'sql', data: 'true' });
    await restored(script, async (client) => {
      expect(await rowsOf(client, 'select count(*)::int as n from bees.hives where late is null')).toEqual([{ n: 2 }]);
    });
  });
});

test('a dump of one workspace by pg_dump restores with what its columns need', async () => {
  const script = execFileSync(program('pg_dump'), ['-n', 'loom', '-n', 'bees', '--no-owner', url], {
    encoding: 'utf8',
    maxBuffer: 64 * 1024 * 1024,
  });
  await restored(script, async (client) => {
    expect(
      await rowsOf(client, 'select number, weight::text as w, (price).currency as c from bees.hives order by _id'),
    ).toEqual([
      { number: 'H-0001', w: '10.25', c: 'EUR' },
      { number: 'H-0003', w: '7', c: null },
    ]);
  });
});

test('comments stand in the live tables, and follow what is renamed', async () => {
  const said = async (column: string) =>
    (
      await pool.query<{ words: string }>(
        `select col_description('bees.hives'::regclass, attnum) as words from pg_attribute
         where attrelid = 'bees.hives'::regclass and attname = $1`,
        [column],
      )
    ).rows[0]?.words;
  expect([await said('weight'), await said('double')]).toEqual(['Weight', 'Double = weight * 2']);
  const batch = await place.change({
    do: 'changeField',
    table: 'hives',
    field: 'weight',
    set: { key: 'kg', label: 'Kilograms' },
  } as never);
  expect([await said('kg'), await said('double')]).toEqual(['Kilograms', 'Double = kg * 2']);
  await place.undo(batch);
  expect(await said('double')).toBe('Double = weight * 2');
});
