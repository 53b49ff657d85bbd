import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { applyPlan } from '$server/structure/plan';
import { stopWork, workAt } from '$server/structure/work';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let ida: Person;
let home: Place;
let serial = 0;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('beside'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

/**
 * Apiaries, hives in them and visits of hives: linked in a row, with a rule, a default, a numbering and what is
 * calculated.
 */
beforeEach(async () => {
  home = await makePlace(pool, ida, `Beside ${++serial}`);
  await home.change(
    { do: 'addTable', label: 'Apiaries', fields: [text('Name', { unique: true })] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        { label: 'No', type: 'runningNumber', pattern: 'H-{000}' },
        text('Number', { unique: true, required: true }),
        text('Height', { default: { value: '1' } }),
        { label: 'Apiary', type: 'link', to: 'apiaries' },
        { label: 'Before', type: 'link', to: 'hives', counterpart: { label: 'After' } },
      ],
    },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        text('Frames'),
        { label: 'Hive', type: 'link', to: 'hives', onDelete: 'remove' },
      ],
    },
    { do: 'addRule', table: 'visits', message: 'A day is after 2000.', condition: `day > date '2000-01-01'` },
    { do: 'addRule', table: 'hives', message: 'A number is once in its apiary.', unique: ['apiary', 'number'] },
  );
  await home.change({
    do: 'addField',
    table: 'hives',
    field: { label: 'Last', type: 'formula', formula: 'max(visits.day)' },
  });
  await home.insert('apiaries', { name: 'Low Meadow' }, { name: 'Fell Gate' });
  await home.insert(
    'hives',
    { number: 'A', apiary: 1, height: '12' },
    { number: 'B', apiary: 2, height: 'tall', before: 1 },
    { number: 'C', apiary: 2 },
  );
  await home.insert(
    'visits',
    { day: '2026-05-01', frames: '7', hive: 1 },
    { day: '2026-05-09', frames: 'many', hive: 1 },
    { day: '2026-05-02', hive: 2 },
  );
  await home.write('visits', { remove: [3] });
});

/** All that PostgreSQL knows of a workspace's tables: columns, indexes, constraints, grants. */
async function known(key: string): Promise<string[]> {
  const { rows } = await pool.query<{ line: string }>(
    `select concat_ws(' ', 'column', c.relname, a.attname, format_type(a.atttypid, a.atttypmod), a.attnotnull, a.attidentity, pg_get_expr(d.adbin, d.adrelid)) as line
       from pg_class c join pg_attribute a on a.attrelid = c.oid left join pg_attrdef d on d.adrelid = c.oid and d.adnum = a.attnum
       where c.relnamespace = $1::text::regnamespace and c.relkind = 'r' and a.attnum > 0 and not a.attisdropped and a.attname !~ '^_was_'
     union all select concat_ws(' ', 'index', indexdef) from pg_indexes where schemaname = $1::text
     union all select concat_ws(' ', 'constraint', conrelid::regclass, conname, pg_get_constraintdef(oid)) from pg_constraint where connamespace = $1::text::regnamespace
     union all select concat_ws(' ', 'grant', relname, relacl) from pg_class where relnamespace = $1::text::regnamespace and relkind = 'r' and relacl is not null
     order by 1`,
    [key],
  );
  return rows.map(({ line }) => line);
}

const leftovers = async () =>
  (await pool.query(`select nspname from pg_namespace where nspname like '\\_beside%'`)).rows;

describe('a long change', () => {
  test('leaves every index, constraint, default, grant and numbering as it was, and going back gives the very texts', async () => {
    await pool.query(
      `do $$ begin create role onlooker; exception when duplicate_object then null; end $$; grant select on ${home.key}.hives to onlooker`,
    );
    const before = await known(home.key);
    const values = await home.values('hives', 'height');
    expect(values).toEqual(['12', 'tall', '1']);
    const batch = await home.change({
      do: 'changeField',
      table: 'hives',
      field: 'height',
      set: { type: 'number', digits: 0 },
    });
    expect(await home.values('hives', 'height')).toEqual([12, null, 1]);
    await home.undo(batch);
    expect(await known(home.key)).toEqual(before);
    expect(await home.values('hives', 'height')).toEqual(values);
    expect(await leftovers()).toEqual([]);
    // Numbers that were given and deleted are not given again.
    const [visit] = await home.insert('visits', { hive: 2 });
    expect(visit?.id).toBe(4);
    const [hive] = await home.insert('hives', { number: 'D' });
    expect(hive?.values).toMatchObject({ no: 'H-004', height: '1' });
  });

  test('of tables that are linked with each other and with themselves keeps every link held by the database', async () => {
    await home.change(
      { do: 'changeField', table: 'apiaries', field: 'name', set: { type: 'text', maxLength: 12 } },
      { do: 'changeField', table: 'visits', field: 'frames', set: { type: 'number' } },
      { do: 'changeField', table: 'hives', field: 'height', set: { type: 'number', key: 'metres' } },
      { do: 'changeTable', table: 'hives', set: { key: 'colonies', label: 'Colonies' } },
    );
    expect(await home.values('colonies', 'metres')).toEqual([12, null, 1]);
    expect(await home.values('visits', 'frames')).toEqual([7, null]);
    for (const statement of [
      `update ${home.key}.visits set hive = 99`,
      `update ${home.key}.colonies set apiary = 99`,
      `update ${home.key}.colonies set before = 99`,
      `delete from ${home.key}.colonies where _id = 1`,
    ])
      await expect(pool.query(statement), statement).rejects.toMatchObject({ code: '23503' });
    expect(await home.refused(home.insert('visits', { day: '1999-01-01' }))).toContain('A day is after 2000.');
    expect(await home.refused(home.insert('colonies', { number: 'A' }))).toContain('must be unique');
    expect(await home.values('colonies', 'last')).toEqual(['2026-05-09', null, null]);
    // A table that takes a former name finds no index or numbering in its way.
    await home.change({ do: 'addTable', label: 'Hives', fields: [text('Height')] });
    await home.insert('hives', { height: 'x' });
    await home.change({ do: 'changeField', table: 'hives', field: 'height', set: { type: 'longText' } });
    expect(await home.values('hives', 'height')).toEqual(['x']);
  });

  test('that fails half way leaves nothing behind', async () => {
    const before = await known(home.key);
    const plan = await home.plan({
      do: 'changeField',
      table: 'visits',
      field: 'frames',
      set: { type: 'number', unique: true },
    });
    await pool.query(`insert into ${home.key}.visits (frames) values ('7')`);
    expect(await home.refused(applyPlan(pool, await home.access(), plan.id))).toContain('must be unique');
    expect(await known(home.key)).toEqual(before);
    expect(await leftovers()).toEqual([]);
    expect(await home.values('visits', 'frames')).toEqual(['7', 'many', '7']);
  });

  test('lets people read while it works and while it waits for a slow reader', async () => {
    const plan = await home.plan({ do: 'changeField', table: 'visits', field: 'frames', set: { type: 'number' } });
    const slow = new pg.Client({ connectionString: url });
    await slow.connect();
    await slow.query(`begin; select * from ${home.key}.visits`);
    const applied = applyPlan(pool, await home.access(), plan.id);
    // Once it has stepped back from the slow reader it is known to be at the exchange.
    const waits = async () =>
      (await pool.query(`select 1 from pg_locks where not granted and mode = 'AccessExclusiveLock'`)).rowCount !== 0;
    while (!(await waits())) await new Promise((resolve) => setImmediate(resolve));
    for (let read = 0; read < 5; read++) {
      const { rows } = await pool.query(`select frames from ${home.key}.visits order by _id`);
      expect(rows).toEqual([{ frames: '7' }, { frames: 'many' }]);
    }
    await slow.query('commit');
    await slow.end();
    await applied;
    expect(await home.values('visits', 'frames')).toEqual([7, null]);
  });
});

describe('a server that is ended', () => {
  const child = async (plan: number) =>
    spawn(
      process.execPath,
      [
        '--import',
        'tsx',
        fileURLToPath(new URL('applyInChild.ts', import.meta.url)),
        url,
        home.key,
        String(ida.id),
        String(plan),
      ],
      {
        stdio: ['ignore', 'ignore', 'pipe'],
      },
    );

  test('between a plan and its application: another one applies it', async () => {
    const plan = await home.plan({ do: 'changeField', table: 'visits', field: 'frames', set: { type: 'number' } });
    const applying = await child(plan.id);
    const [code] = (await once(applying, 'exit')) as [number | null];
    expect(code).toBe(0);
    expect(await home.values('visits', 'frames')).toEqual([7, null]);
    expect(await home.refused(applyPlan(pool, await home.access(), plan.id))).toContain('applied already');
  });

  test('in the middle of an application: nothing of it stands, and it can be applied after all', async () => {
    await pool.query(
      `insert into ${home.key}.visits (frames, hive) select (i % 12)::text, 1 + i % 3 from generate_series(1, 60000) i`,
    );
    const before = await known(home.key);
    const plan = await home.plan({ do: 'changeField', table: 'visits', field: 'frames', set: { type: 'number' } });
    // It cannot end before it is ended: somebody reads the table as long.
    const slow = new pg.Client({ connectionString: url });
    await slow.connect();
    await slow.query(`begin; select 1 from ${home.key}.visits limit 1`);
    const applying = await child(plan.id);
    const ended = once(applying, 'exit');
    const works = async () =>
      (await pool.query(`select 1 from pg_locks where not granted and mode = 'AccessExclusiveLock'`)).rowCount !== 0;
    while (!(await works()) && applying.exitCode === null) await new Promise((resolve) => setTimeout(resolve, 20));
    expect(applying.exitCode).toBeNull();
    applying.kill('SIGKILL');
    await ended;
    await slow.query('commit');
    await slow.end();
    // PostgreSQL ends what nobody listens to any more as soon as it looks.
    await expect
      .poll(async () => (await pool.query(`select 1 from pg_locks where locktype = 'advisory'`)).rowCount, {
        timeout: 20_000,
      })
      .toBe(0);
    expect(await known(home.key)).toEqual(before);
    expect(await leftovers()).toEqual([]);
    await applyPlan(pool, await home.access(), plan.id);
    const { rows } = await pool.query(
      `select count(frames)::int as filled, sum(frames)::int as total from ${home.key}.visits`,
    );
    expect(rows).toEqual([{ filled: 60001, total: 330007 }]);
  });
});

describe('what is calculated', () => {
  test('is kept as values from then on, and calculated again when that is undone', async () => {
    const batch = await home.change({ do: 'changeField', table: 'hives', field: 'last', set: { type: 'date' } });
    expect(await home.values('hives', 'last')).toEqual(['2026-05-09', null, null]);
    await home.insert('visits', { day: '2026-06-01', hive: 1 });
    expect(await home.values('hives', 'last')).toEqual(['2026-05-09', null, null]);
    await home.write('hives', { update: [{ id: 2, values: { last: '2026-01-01' } }] });
    await home.undo(batch);
    expect(await home.values('hives', 'last')).toEqual(['2026-06-01', null, null]);
  });

  test('takes the place of what was entered, which comes back whole', async () => {
    await home.change({ do: 'changeField', table: 'hives', field: 'height', set: { required: 'fromNow' } });
    const plan = await home.plan({
      do: 'changeField',
      table: 'hives',
      field: 'height',
      set: { type: 'formula', formula: `number || '!'` },
    });
    expect(plan.effects[0]).toMatchObject({
      counts: [
        { what: 'records calculated', count: 3 },
        { what: 'entered values put by, to come back with Undo', count: 3 },
      ],
      samples: [{ after: 'A!' }, { after: 'B!' }, { after: 'C!' }],
    });
    const { batch } = await applyPlan(pool, await home.access(), plan.id);
    expect(await home.values('hives', 'height')).toEqual(['A!', 'B!', 'C!']);
    const { batch: undone } = await home.undo(batch);
    expect(await home.values('hives', 'height')).toEqual(['12', 'tall', '1']);
    await home.undo(undone);
    expect(await home.values('hives', 'height')).toEqual(['A!', 'B!', 'C!']);
  });

  test.each<[object, unknown[], string[]]>([
    [{ type: 'number', digits: 0 }, [20260509, null, null], []],
    [{ type: 'text' }, ['2026-05-09', null, null], []],
    [{ type: 'yesNo' }, [null, null, null], ['2026-05-09']],
  ])('becomes %j, what does not fit set aside', async (set, values, aside) => {
    if ('digits' in set)
      await home.change({
        do: 'changeField',
        table: 'hives',
        field: 'last',
        set: { type: 'formula', formula: `cast(replace(cast(max(visits.day) as text), '-', '') as number)` },
      });
    await home.change({ do: 'changeField', table: 'hives', field: 'last', set });
    expect(await home.values('hives', 'last')).toEqual(values);
    const { rows } = await pool.query<{ text: string }>('select text from loom.set_aside where workspace = $1', [
      (await home.access()).workspace.id,
    ]);
    expect(rows.map(({ text: one }) => one)).toEqual(aside);
  });
});

describe('a change that goes on', () => {
  test('says how far it is, and is stopped without a trace', async () => {
    const access = await home.access();
    expect(await workAt(pool, access)).toEqual([]);
    const plan = await home.plan({ do: 'changeField', table: 'visits', field: 'frames', set: { type: 'number' } });
    const slow = new pg.Client({ connectionString: url });
    await slow.connect();
    await slow.query(`begin; select 1 from ${home.key}.visits limit 1`);
    const stopped = home.refused(applyPlan(pool, access, plan.id));
    await expect.poll(async () => (await workAt(pool, access))[0]?.phase, { timeout: 10_000 }).toBe('exchange');
    const [work] = await workAt(pool, access);
    expect(work).toMatchObject({ kind: 'plan', id: plan.id });
    expect(await home.refused(stopWork(pool, access, { kind: 'undo', id: plan.id }))).toContain('work');
    // Between two statements there is nothing to stop, so it is asked until it has heard.
    let heard = false;
    void stopped.then(() => (heard = true));
    while (!heard) await stopWork(pool, access, { kind: 'plan', id: plan.id }).catch(() => undefined);
    expect(await stopped).toContain('Stopped; nothing of it was kept.');
    await slow.query('commit');
    await slow.end();
    expect(await workAt(pool, access)).toEqual([]);
    expect(await home.values('visits', 'frames')).toEqual(['7', 'many']);
    await applyPlan(pool, access, plan.id);
  });
});
