import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join as pathOf } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { beginIntake, correctIntake, readIntake } from '$server/intake/intakes';
import { dryRun, startLoad } from '$server/intake/load/loading';
import { beginDays } from '$server/records/day';
import { runTimed } from '$server/routines/timed';
import { openPool } from '$server/database/pool';
import { beginSending, freeLost, queueConnections, sendOutgoing } from '$server/sending/outgoing';
import { setMailStandIn } from '$server/sending/mail';
import { ask as asked, at, exported, fetched, transferred } from './calls';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let [ida, tom]: Person[] = [];
let place: Place;
let places = 0;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('routines'));
  [ida, tom] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Tom')];
});
afterAll(() => drop());

const ask = (method: string, path: string, body?: unknown, by = ida!) => asked(pool, by, method, at(place, path), body);

/** The records of a table, each as some of its values by key; links by their titles. */
async function rows(table: string, ...keys: string[]): Promise<unknown[][]> {
  const { answer } = await ask('GET', `/tables/${table}/records?limit=500`);
  const shown = (value: unknown) =>
    typeof value === 'object' && value !== null && 'title' in value ? value.title : value;
  return (answer.items as { values: Record<string, unknown> }[]).map(({ values }) =>
    keys.map((key) => shown(values[key])),
  );
}

interface Out {
  readonly id: string;
  readonly sentence: string;
  readonly tried: boolean;
  readonly lost: string[];
  readonly paused: boolean;
  readonly failures: number;
  readonly problem: string | null;
}
const all = async (): Promise<Out[]> => (await ask('GET', '/routines')).answer.items as Out[];
const runs = async (): Promise<Record<string, never>[]> =>
  (await ask('GET', '/routines/runs')).answer.items as Record<string, never>[];

/** A routine made, tried on a record, and switched on. */
async function routine(table: string, json: Record<string, unknown>, record = 1): Promise<string> {
  const before = new Set((await all()).map(({ id }) => id));
  await place.change({ do: 'addPart', kind: 'routine', table, part: { label: 'Routine', on: true, ...json } } as never);
  const id = (await all()).find((one) => !before.has(one.id))!.id;
  const elsewhere = table === 'jars' ? 'lots' : 'jars';
  expect((await ask('POST', `/tables/${elsewhere}/routines/try`, { routine: id, record })).status).toBe(404);
  const tried = await ask('POST', `/tables/${table}/routines/try`, { routine: id, record });
  expect([tried.status, tried.answer.problem, tried.answer.met]).toEqual([200, null, true]);
  return id;
}

beforeEach(async () => {
  place = await makePlace(pool, ida!, `Honey ${++places}`);
  await place.change(
    { do: 'addTable', label: 'Seasons', fields: [text('Name'), { label: 'Kg', type: 'number' }] },
    { do: 'addTable', label: 'Tags', fields: [text('Word'), { label: 'Kind', type: 'option', options: ['x'] }] },
    {
      do: 'addTable',
      label: 'Lots',
      fields: [
        text('Code', { unique: true }),
        { label: 'Day', type: 'date' },
        { label: 'Kg', type: 'number' },
        text('State'),
        text('Helpers'),
      ],
    },
    { do: 'addTable', label: 'Jars', fields: [text('Mark'), { label: 'Size', type: 'number' }] },
    {
      do: 'addField',
      table: 'lots',
      field: { label: 'Season', type: 'link', to: 'seasons', onDelete: 'clear', counterpart: { label: 'Lots' } },
    },
    {
      do: 'addField',
      table: 'jars',
      field: { label: 'Lot', type: 'link', to: 'lots', onDelete: 'remove', counterpart: { label: 'Jars' } },
    },
    { do: 'addField', table: 'seasons', field: { label: 'Total', type: 'formula', formula: 'sum(lots.kg)' } },
    { do: 'addField', table: 'lots', field: { label: 'Filled', type: 'formula', formula: 'sum(jars.size)' } },
  );
  await place.insert('lots', { code: 'L0', day: '2025-05-01', kg: 1 });
});

const season = {
  when: { on: 'made' },
  where: 'day is not null',
  steps: [
    {
      do: 'find',
      table: 'seasons',
      by: [{ field: 'name', formula: 'cast(extract(year from day) as text)' }],
      make: true,
      fields: [{ field: 'kg', formula: 'kg' }],
      link: 'season',
      result: 'Year',
    },
    { do: 'set', fields: [{ field: 'state', formula: "'in ' || year.name" }] },
    { do: 'set', of: 'year', fields: [{ field: 'kg', formula: 'year.total' }] },
    { do: 'option', table: 'tags', field: 'kind', word: 'code' },
  ],
};

describe('a routine runs with the edit that sets it off', () => {
  test('when a record is made: finds or makes and links, sets fields, adds a word to a list; undone as one', async () => {
    await routine('lots', season);
    expect(await rows('seasons', 'name')).toEqual([]);
    const before = await exported(place);
    const { answer } = await ask('POST', '/tables/lots/records', {
      records: [
        { values: { code: 'L1', day: '2026-06-01', kg: 10 } },
        { values: { code: 'L2', day: '2026-07-01', kg: 5 } },
        { values: { code: 'L3', kg: 2 } },
      ],
    });
    expect((answer.records as { values: object }[])[0]?.values).toMatchObject({ state: 'in 2026' });
    expect(await rows('lots', 'code', 'season', 'state')).toEqual([
      ['L0', null, null],
      ['L1', '2026', 'in 2026'],
      ['L2', '2026', 'in 2026'],
      ['L3', null, null],
    ]);
    expect(await rows('seasons', 'name', 'kg', 'total')).toEqual([['2026', 15, 15]]);
    const model = (await ask('GET', '/model')).text;
    for (const word of ['L1', 'L2']) expect(model).toContain(`"label":"${word}"`);
    const [run] = await runs();
    expect(run).toMatchObject({
      label: 'Routine',
      by: 'Ida',
      records: 2,
      first: [expect.any(Number), expect.any(Number)] as never,
      problem: null,
      batch: answer.batch,
    });
    expect(
      (run!.steps as unknown as { do: string; made: number; changed: number }[]).map((one) => [
        one.do,
        one.made,
        one.changed,
      ]),
    ).toEqual([
      ['find', 1, 2],
      ['set', 0, 2],
      ['set', 0, 1],
      ['option', 0, 0],
    ]);
    const { answer: past } = await ask(
      'GET',
      `/tables/lots/records/${String((run!.first as unknown as number[])[0])}/history?limit=1`,
    );
    const steps = past.items as {
      kind: string;
      routine: { label: string } | null;
      fields: { label: string; to: unknown }[];
    }[];
    expect(steps.map(({ kind, routine: by, fields }) => [kind, by?.label, fields.map(({ label }) => label)])).toEqual([
      ['changed', 'Routine', ['State']],
      ['changed', 'Routine', ['Season']],
      ['made', undefined, ['Code', 'Day', 'Kg']],
    ]);
    await place.undo(answer.batch as number);
    expect(await rows('lots', 'code')).toEqual([['L0']]);
    expect(await rows('seasons', 'name')).toEqual([]);
    expect((await exported(place)).replace(/"options":\[[^\]]*\]/g, '')).toBe(
      before.replace(/"options":\[[^\]]*\]/g, ''),
    );
  });

  test('when certain fields change, whoever writes them; and never untried, switched off or with something lost', async () => {
    const id = await routine('lots', {
      when: { on: 'changed', fields: ['filled'] },
      steps: [
        { do: 'set', fields: [{ field: 'state', formula: "case when filled >= kg then 'full' else 'open' end" }] },
      ],
    });
    await place.insert('jars', { lot: 1, size: 0.5 });
    expect(await rows('lots', 'state')).toEqual([['open']]);
    const { answer } = await ask('PATCH', '/tables/jars/records', { records: [{ id: 1, values: { size: 1 } }] });
    expect(await rows('lots', 'state')).toEqual([['full']]);
    await place.undo(answer.batch as number);
    expect(await rows('lots', 'state')).toEqual([['open']]);
    const set = (json: object) =>
      place.change({ do: 'changePart', kind: 'routine', table: 'lots', part: id, set: json } as never);
    const follows = async () => {
      await place.write('lots', { update: [{ id: 1, values: { state: null } }] });
      await place.insert('jars', { lot: 1, size: 0.01 });
      return (await rows('lots', 'state'))[0]?.[0];
    };
    await set({ on: false });
    expect(await follows()).toBeNull();
    await set({ on: true });
    expect(await follows()).toBe('open');
    // Another name is the same routine; another formula has to be tried first.
    await set({ label: 'Other' });
    expect(await follows()).toBe('open');
    await set({ steps: [{ do: 'set', fields: [{ field: 'state', formula: "'new'" }] }] });
    expect((await all())[0]).toMatchObject({ tried: false });
    expect(await follows()).toBeNull();
    await ask('POST', '/tables/lots/routines/try', { routine: id, record: 1 });
    expect(await follows()).toBe('new');
    await place.change({ do: 'removeField', table: 'lots', field: 'state' });
    expect((await all())[0]?.lost).toEqual(['it uses a field that is gone']);
    await place.insert('jars', { lot: 1, size: 0.01 });
  });

  test('when a condition comes true, once for each time that it does', async () => {
    await place.insert('lots', { code: 'L1', kg: 50 });
    await routine('lots', {
      when: { on: 'comesTrue', condition: 'kg > 10' },
      steps: [{ do: 'make', table: 'jars', fields: [{ field: 'mark', formula: 'code' }], result: 'Jar' }],
    });
    const kg = (id: number, value: number) => place.write('lots', { update: [{ id, values: { kg: value } }] });
    for (const [id, value] of [
      [1, 11],
      [1, 12],
      [2, 60],
      [1, 3],
      [1, 20],
      [2, 1],
    ] as const)
      await kg(id, value);
    await place.insert('lots', { code: 'L2', kg: 11 });
    expect(await rows('jars', 'mark')).toEqual([['L0'], ['L0'], ['L2']]);
  });

  test('for each linked record, and for each word of a list, without doubles', async () => {
    await place.insert('jars', { lot: 1, mark: 'a' }, { lot: 1, mark: 'b' }, { mark: 'c' });
    await routine('lots', {
      when: { on: 'changed', fields: ['helpers'] },
      steps: [
        { do: 'names', text: 'helpers', separator: ',', table: 'jars', field: 'mark', link: 'lot' },
        {
          do: 'each',
          over: 'jars',
          result: 'Whole',
          steps: [{ do: 'set', fields: [{ field: 'size', formula: 'whole.kg * 2' }] }],
        },
        { do: 'stop', when: 'filled < 100' },
        { do: 'set', fields: [{ field: 'state', formula: "'never'" }] },
      ],
    });
    const tick = (helpers: string) => place.write('lots', { update: [{ id: 1, values: { helpers } }] });
    await tick('A, Tom ,Wren,tom,');
    await tick('Tom, Wren, Pell');
    expect(await rows('jars', 'mark', 'size', 'lot')).toEqual([
      ['a', 2, 'L0'],
      ['b', 2, 'L0'],
      ['c', null, null],
      ['Tom', 2, 'L0'],
      ['Wren', 2, 'L0'],
      ['Pell', 2, 'L0'],
    ]);
    expect(await rows('lots', 'state', 'filled')).toEqual([[null, 10]]);
  });
});

test('a load, a paste and an upsert set it off as typing does', async () => {
  await routine('lots', season);
  const access = await place.access();
  const path = pathOf(mkdtempSync(pathOf(tmpdir(), 'loom-sent-')), 'lots.csv');
  writeFileSync(path, 'Code,Day,Kg,State\nF1,2026-01-02,3,typed\nF2,2027-01-02,4,typed\nF3,,5,typed\n');
  const { id } = await beginIntake(pool, access, [{ name: 'lots.csv', path }]);
  const state = async () => (await readIntake(pool, access, id)).state;
  await expect.poll(state, { timeout: 20_000 }).toBe('ready');
  const into = { into: access.workspace.model.tables.find(({ key }) => key === 'lots')!.id, by: [], mode: 'add' };
  await correctIntake(pool, access, id, { tables: { '0': into }, columns: {} } as never);
  await startLoad(pool, await place.access(), id);
  await expect.poll(state, { timeout: 20_000 }).toBe('loaded');
  await ask('POST', '/tables/lots/records/paste', {
    fields: ['code', 'day'],
    rows: [{ id: null, cells: ['P1', '2027-03-01'] }],
    misfits: 'leave',
  });
  await ask('PUT', '/tables/lots/records?by=code', { records: [{ values: { code: 'U1', day: '2026-05-05' } }] });
  expect(await rows('lots', 'code', 'season', 'state')).toEqual([
    ['L0', null, null],
    ['F1', '2026', 'in 2026'],
    ['F2', '2027', 'in 2027'],
    ['F3', null, 'typed'],
    ['P1', '2027', 'in 2027'],
    ['U1', '2026', 'in 2026'],
  ]);
  expect(await rows('seasons', 'name', 'total')).toEqual([
    ['2026', 3],
    ['2027', 4],
  ]);
});

describe('by hand', () => {
  test('a button asks, and runs for a selection; a reader presses none', async () => {
    await place.insert('lots', { code: 'L1', kg: 2 }, { code: 'L2', kg: 3 });
    await place.change({
      do: 'addPart',
      kind: 'routine',
      table: 'lots',
      part: {
        label: 'Fill',
        on: true,
        when: {
          on: 'button',
          inputs: [
            { label: 'Jar size', type: 'number', required: true },
            { label: 'In season', type: 'link', to: 'seasons' },
          ],
        },
        steps: [
          {
            do: 'make',
            table: 'jars',
            fields: [
              { field: 'size', formula: 'jar_size' },
              { field: 'lot', formula: 'new_lot' },
            ].slice(0, 1),
            result: 'Jar',
          },
          { do: 'set', of: 'jar', fields: [{ field: 'mark', formula: "code || ' ' || cast(jar.size as text)" }] },
          { do: 'set', fields: [{ field: 'season', formula: 'in_season' }] },
        ],
      },
    } as never);
    await place.insert('seasons', { name: '2026' });
    const [{ id }] = (await all()) as [Out];
    const press = (body: object, by = ida!) => ask('POST', `/routines/${id}/run`, body, by);
    const inputs = { jar_size: '0.5', in_season: 1 };
    expect((await press({ records: [1], inputs })).answer.detail).toContain('was not tried');
    await ask('POST', '/tables/lots/routines/try', { routine: id, record: 1, inputs });
    expect(await rows('jars', 'mark')).toEqual([]);
    expect((await press({ records: [1] })).answer.detail).toContain('Jar size is asked for');
    expect((await press({ records: [1, 99], inputs })).status).toBe(404);
    const { answer } = await press({ records: [1, 3], inputs });
    expect(answer.records).toBe(2);
    expect(await rows('jars', 'mark', 'size')).toEqual([
      ['L0 0.5', 0.5],
      ['L2 0.5', 0.5],
    ]);
    expect(await rows('lots', 'season')).toEqual([['2026'], [null], ['2026']]);
    await ask('POST', '/members', { person: tom!.id, role: 'reader' });
    expect((await press({ records: [1], inputs }, tom!)).status).toBe(403);
    // What routines do is for those to know who manage them.
    expect((await ask('GET', '/model')).text).toContain('Jar size');
    expect((await ask('GET', '/model', undefined, tom!)).text).not.toContain('Jar size');
    expect((await ask('GET', '/routines', undefined, tom!)).status).toBe(403);
    await place.undo(answer.batch as number);
    expect(await rows('jars', 'mark')).toEqual([]);
    expect(await rows('lots', 'season')).toEqual([[null], [null], [null]]);
  });

  test('by hand it is done also where very much is calculated anew; only what is sent is asked about', async () => {
    await place.change({
      do: 'addField',
      table: 'lots',
      field: { label: 'Of', type: 'formula', formula: 'season.name' },
    });
    const [one] = await place.insert('seasons', { name: '2025', kg: 1 });
    const lots = Array.from({ length: 20_100 }, (_, n) => ({ code: `M${n}`, season: one!.id }));
    await place.insert('lots', ...lots.slice(0, 10_000));
    await place.insert('lots', ...lots.slice(10_000, 20_000));
    await place.insert('lots', ...lots.slice(20_000));
    const id = await routine('seasons', {
      when: { on: 'button', inputs: [] },
      steps: [{ do: 'set', fields: [{ field: 'name', formula: "name || ' b'" }] }],
    });
    const { status } = await ask('POST', `/routines/${id}/run`, { records: [one!.id], ask: true });
    expect(status).toBe(200);
    expect((await ask('GET', "/tables/lots/records?limit=1&filter=code = 'M20000'")).answer.items).toMatchObject([
      { values: { of: '2025 b' } },
    ]);
  }, 60_000);
});

describe('what goes wrong', () => {
  test('a routine that cannot be done refuses the edit with its name, or lets it go on, as it is said; ten in a row pause it', async () => {
    const id = await routine(
      'lots',
      {
        when: { on: 'changed', fields: ['kg'] },
        where: 'kg > 5',
        steps: [{ do: 'set', fields: [{ field: 'code', formula: "'twice'" }] }],
        failing: 'refuse',
      },
      1,
    ).catch(() => '');
    expect(id).toBe('');
    await place.insert('lots', { code: 'twice' });
    const [{ id: known }] = (await all()) as [Out];
    await place.write('lots', {
      update: [
        { id: 1, values: { kg: 6 } },
        { id: 2, values: { code: 'other' } },
      ],
    });
    await ask('POST', '/tables/lots/routines/try', { routine: known, record: 1 });
    await place.write('lots', { update: [{ id: 2, values: { code: 'twice' } }] });
    const refused = await ask('PATCH', '/tables/lots/records', { records: [{ id: 1, values: { kg: 7 } }] });
    expect([refused.status, refused.answer.detail]).toEqual([
      422,
      expect.stringMatching(/The routine “Routine” cannot be done: Code must be unique, and “twice” is taken/),
    ]);
    expect(await rows('lots', 'kg')).toEqual([[6], [null]]);
    expect((await runs())[0]).toMatchObject({ batch: null, problem: expect.stringContaining('unique') as never });
    await place.change({
      do: 'changePart',
      kind: 'routine',
      table: 'lots',
      part: known,
      set: { failing: 'goOn' },
    } as never);
    await place.write('lots', { update: [{ id: 2, values: { code: 'other' } }] });
    await ask('POST', '/tables/lots/routines/try', { routine: known, record: 1 });
    await place.write('lots', { update: [{ id: 2, values: { code: 'twice' } }] });
    for (let n = 1; n <= 10; n++) {
      await place.write('lots', { update: [{ id: 1, values: { kg: 10 + n } }] });
      expect((await all())[0]).toMatchObject({ failures: n, paused: n === 10 });
    }
    expect(await rows('lots', 'kg', 'code')).toEqual([
      [20, 'L0'],
      [null, 'twice'],
    ]);
    const logged = (await runs()).length;
    await place.write('lots', { update: [{ id: 1, values: { kg: 50 } }] });
    expect((await runs()).length).toBe(logged);
    await place.write('lots', { update: [{ id: 2, values: { code: 'free' } }] });
    await ask('POST', `/routines/${known}/resume`);
    await place.write('lots', { update: [{ id: 1, values: { kg: 51 } }] });
    expect((await all())[0]).toMatchObject({ failures: 0, paused: false });
    expect(await rows('lots', 'code')).toEqual([['twice'], ['free']]);
  });

  test('two that set each other off run once for a record; what goes on for ever is stopped and named', async () => {
    await routine('lots', {
      label: 'One',
      when: { on: 'changed', fields: ['kg'] },
      steps: [{ do: 'set', fields: [{ field: 'state', formula: "coalesce(state, '') || 'a'" }] }],
    });
    await routine('lots', {
      label: 'Two',
      when: { on: 'changed', fields: ['state'] },
      steps: [{ do: 'set', fields: [{ field: 'kg', formula: 'kg + 1' }] }],
    });
    await place.write('lots', { update: [{ id: 1, values: { kg: 5 } }] });
    expect(await rows('lots', 'kg', 'state')).toEqual([[6, 'a']]);
    expect((await runs()).map(({ label, chain }) => [label, chain])).toEqual([
      ['Two', ['One']],
      ['One', []],
    ]);
    await routine(
      'seasons',
      {
        label: 'More',
        when: { on: 'made' },
        steps: [{ do: 'make', table: 'seasons', fields: [{ field: 'name', formula: "name || '+'" }], result: 'Next' }],
      },
      await place.insert('seasons', { name: 'first' }).then(() => 1),
    );
    const { status, answer } = await ask('POST', '/tables/seasons/records', { records: [{ values: { name: 's' } }] });
    expect([status, answer.detail]).toEqual([422, expect.stringMatching(/without an end: (More → ){16}More/)]);
    expect(await rows('seasons', 'name')).toEqual([['first']]);
  });

  test('it does what its keeper may do, and nothing once they are gone', async () => {
    await ask('POST', '/members', { person: tom!.id, role: 'administrator' });
    const part = {
      label: 'Tom’s',
      on: true,
      when: { on: 'changed', fields: ['kg'] },
      steps: [{ do: 'make', table: 'jars', fields: [{ field: 'mark', formula: 'code' }], result: 'Jar' }],
    };
    const plan = await ask(
      'POST',
      '/plans',
      { changes: [{ do: 'addPart', kind: 'routine', table: 'lots', part }] },
      tom!,
    );
    expect((await ask('POST', `/plans/${String(plan.answer.id)}/apply`, {}, tom!)).status).toBe(200);
    const [{ id }] = (await all()) as [Out];
    await ask('POST', '/tables/lots/routines/try', { routine: id, record: 1 }, tom!);
    const edit = (kg: number) => ask('PATCH', '/tables/lots/records', { records: [{ id: 1, values: { kg } }] });
    expect((await edit(2)).status).toBe(200);
    expect(await rows('jars', 'mark')).toEqual([['L0']]);
    const role = await ask('POST', '/roles', {
      label: 'Lots only',
      others: { see: true },
      tables: { lots: { see: true, change: true } },
    });
    await ask('PATCH', `/members/${tom!.id}`, { role: role.answer.id });
    expect((await edit(3)).answer.detail).toContain('You may not enter records in Jars');
    await ask('DELETE', `/members/${tom!.id}`);
    expect((await edit(4)).answer.detail).toContain('whoever keeps it is in this workspace no more');
    expect(await rows('lots', 'kg')).toEqual([[2]]);
  });
});

describe('messages and calls', () => {
  const outgoing = async () => (await ask('GET', '/outgoing')).answer.items as Record<string, never>[];
  /** What waits is sent once, as the queue does it. */
  const sendAll = async (isLast = false) => {
    for (const { id, state } of await outgoing())
      if (state === 'waiting') await sendOutgoing(pool, Number(id), isLast).catch(() => 0);
  };
  const jobs = async (): Promise<number> =>
    (await pool.query<{ n: number }>(`select count(*)::int as n from graphile_worker.jobs`)).rows[0]!.n;
  const writing = {
    when: { on: 'changed', fields: ['state'] },
    where: 'state is not null',
    steps: [
      {
        do: 'write',
        to: [{ formula: 'helpers' }, { formula: 'last_changed_by' }],
        subject: 'Lot {code}\nBcc: evil@example.org',
        text: 'It is {state} & weighs {kg} kg, {{braced}.',
      },
      { do: 'call', address: 'https://village.example/lots/{code}', values: { kg: 'kg', day: 'day' } },
    ],
  };

  test('go out once the edit stands, escaped, each once; what is refused waits, and is sent again', async () => {
    await place.write('lots', { update: [{ id: 1, values: { helpers: 'a@bees.example; Tom, b@bees.example' } }] });
    await routine('lots', { ...writing, where: '' });
    const before = await jobs();
    await place.write('lots', { update: [{ id: 1, values: { state: '<b>full</b>' } }] });
    expect((await jobs()) - before).toBe(2);
    expect((await outgoing()).map(({ state, what }) => [state, what])).toEqual([
      [
        'waiting',
        {
          kind: 'call',
          address: 'https://village.example/lots/L0',
          body: JSON.stringify({ kg: '1', day: '2025-05-01' }),
        },
      ],
      [
        'waiting',
        {
          kind: 'message',
          to: ['a@bees.example', 'b@bees.example', 'Ida@alderfold.example'].map((one) =>
            expect.stringMatching(new RegExp(one, 'i')),
          ),
          subject: 'Lot L0 Bcc: evil@example.org',
          text: 'It is <b>full</b> & weighs 1 kg, {braced}.',
        },
      ],
    ]);
    await setMailStandIn(pool, { refuses: true, seconds: 0 });
    await sendAll();
    expect((await outgoing())[1]).toMatchObject({
      state: 'waiting',
      tries: 1,
      answer: expect.stringContaining('does not take') as never,
    });
    await sendAll(true);
    const failed = (await outgoing())[1]!;
    expect(failed).toMatchObject({ state: 'failed', tries: 2 });
    await setMailStandIn(pool, { refuses: false, seconds: 0 });
    expect((await ask('POST', `/outgoing/${String(failed.id)}/again`)).status).toBe(200);
    await sendAll();
    await sendOutgoing(pool, Number(failed.id), false);
    expect((await outgoing())[1]).toMatchObject({ state: 'sent', tries: 3 });
    expect((await ask('POST', `/outgoing/${String(failed.id)}/again`)).status).toBe(409);
    const { rows: arrived } = await pool.query<{ mail: string; recipient: string }>(
      `select mail, recipient from loom.outbox where sent_for = $1`,
      [`outgoing-${String(failed.id)}`],
    );
    expect(arrived.length).toBe(1);
    expect(arrived[0]!.mail).toMatch(/^Subject: Lot L0 Bcc: evil@example\.org\r$/m);
    expect(arrived[0]!.mail).not.toMatch(/^Bcc:/m);
    expect(arrived[0]!.mail).toContain('&lt;b&gt;full');
    // Nothing goes out of an edit that is refused.
    const waiting = (await outgoing()).length;
    await place.insert('lots', { code: 'L9' });
    expect(
      (await ask('PATCH', '/tables/lots/records', { records: [{ id: 1, values: { state: 'x', code: 'L9' } }] })).status,
    ).toBe(422);
    expect((await outgoing()).length).toBe(waiting);
  });

  test('the queue sends by itself, also what a process that was killed had taken', async () => {
    const messages = { ...writing, where: '', steps: writing.steps.slice(0, 1) };
    await routine('lots', messages);
    await place.write('lots', { update: [{ id: 1, values: { state: 'a' } }] });
    const [{ id }] = (await outgoing()) as unknown as [{ id: number }];
    await pool.query(
      `update graphile_worker._private_jobs set locked_by = 'killed', locked_at = now() - interval '4 minutes'
       where key = 'outgoing ' || $1`,
      [id],
    );
    const queue = openPool(url, queueConnections);
    const runner = await beginSending(pool, queue);
    const state = async () => (await outgoing())[0]?.state;
    try {
      await place.write('lots', { update: [{ id: 1, values: { state: 'b' } }] });
      await expect.poll(state, { timeout: 10_000 }).toBe('sent');
      expect((await outgoing())[1]?.state).toBe('waiting');
      await freeLost(pool);
      await expect.poll(async () => (await outgoing())[1]?.state, { timeout: 10_000 }).toBe('sent');
    } finally {
      await runner.stop();
      await queue.end();
    }
  });

  test.each([
    ['http://127.0.0.1/{code}', /this machine or a private network/],
    ['https://localhost/x', /this machine or a private network/],
  ])('a call to %s is refused', async (address, why) => {
    await place.change({
      do: 'addPart',
      kind: 'routine',
      table: 'lots',
      part: { label: 'Call', when: { on: 'made' }, steps: [{ do: 'call', address }] },
    } as never);
    const [{ id }] = (await all()) as [Out];
    const { answer } = await ask('POST', '/tables/lots/routines/try', { routine: id, record: 1 });
    expect(JSON.stringify(answer.problem)).toMatch(why);
    expect((await all())[0]).toMatchObject({ tried: false });
  });

  test('more addresses than anybody means are refused', async () => {
    const helpers = Array.from({ length: 600 }, (_, n) => `p${n}@bees.example`).join(' ');
    await place.write('lots', { update: [{ id: 1, values: { helpers } }] });
    const { answer } = await ask('POST', '/tables/lots/routines/try', {
      routine: { label: 'A', ...writing, where: '' },
      record: 1,
    });
    expect(JSON.stringify(answer.problem)).toContain('601 addresses; 500 is the most');
  });

  test('very many recipients are asked about before anything is written, and bounded', async () => {
    const to = (n: number) => Array.from({ length: n }, (_, at) => `p${at}@bees.example`).join(' ');
    await routine('lots', {
      ...writing,
      label: 'Tell them',
      where: '',
      steps: [{ ...writing.steps[0], subject: '{code}', to: [{ formula: 'helpers' }] }],
    });
    const byHand = await routine('lots', {
      label: 'By hand',
      when: { on: 'button', inputs: [] },
      steps: [{ ...writing.steps[0], to: [{ formula: 'helpers' }] }],
    });
    await place.write('lots', { update: [{ id: 1, values: { helpers: to(101) } }] });
    const edit = (asks: boolean) =>
      ask('PATCH', '/tables/lots/records', { records: [{ id: 1, values: { state: 'full' } }], ask: asks });
    const { status, answer } = await edit(true);
    expect([status, answer.sends, answer.reach]).toEqual([409, { count: 101, routines: ['Tell them'] }, []]);
    expect(await rows('lots', 'state')).toEqual([[null]]);
    expect(await outgoing()).toEqual([]);
    const press = (asks: boolean) => ask('POST', `/routines/${byHand}/run`, { records: [1], ask: asks });
    expect((await press(true)).answer.sends).toEqual({ count: 101, routines: ['By hand'] });
    expect([(await edit(false)).status, (await press(false)).status]).toEqual([200, 200]);
    expect((await outgoing()).map(({ what }) => (what as unknown as { to: string[] }).to.length)).toEqual([101, 101]);
    // One edit that would write to more than a hundred thousand is refused, asked or not.
    const lots = Array.from({ length: 210 }, (_, n) => ({ code: `M${n}`, helpers: to(480) }));
    const records = (await place.insert('lots', ...lots)).map(({ id }) => ({ id, values: { state: 'full' } }));
    const refused = await ask('PATCH', '/tables/lots/records', { records });
    expect([refused.status, refused.answer.detail]).toEqual([
      422,
      'This would write to 100,800 recipients; 100,000 is the most.',
    ]);
  });
});

describe('by the clock', () => {
  test.each(['Europe/Vienna', 'America/New_York', 'Pacific/Auckland'])(
    'days before a day of the record, at an hour of %s: once each day, over daylight saving and missed days',
    async (zone) => {
      await pool.query('update loom.workspaces set zone = $1 where key = $2', [zone, place.key]);
      const near = { on: 'dateNear', field: 'day', days: -3, hour: 7 };
      const weekly = { on: 'timetable', every: 'week', day: 1, hour: 2 };
      const mark = (name: string) => [
        { do: 'make', table: 'jars', fields: [{ field: 'mark', formula: name }], result: 'Jar' },
      ];
      await routine('lots', { label: 'Near', when: near, where: "code <> 'no'", steps: mark("'near ' || code") });
      await routine(
        'seasons',
        { label: 'Weekly', when: weekly, steps: mark("'week ' || name") },
        await place.insert('seasons', { name: 'S' }).then(() => 1),
      );
      // 31 March 2030 begins summer in Vienna, 10 March in New York, and ends it on 7 April in Auckland.
      const local = (day: string, hour: number): Date => {
        for (let at = Date.parse(`${day}T00:00:00Z`) - 14 * 3_600_000; ; at += 1_800_000) {
          const words = new Intl.DateTimeFormat('sv-SE', {
            timeZone: zone,
            dateStyle: 'short',
            timeStyle: 'short',
          }).format(at);
          if (words >= `${day} ${String(hour).padStart(2, '0')}:00`) return new Date(at);
        }
      };
      const marks = async () => (await rows('jars', 'mark')).map(([one]) => one);
      await runTimed(pool, local('2030-03-01', 9));
      const found = (await marks()).filter((one) => !String(one).startsWith('week'));
      expect(found).toEqual([]);
      await pool.query(`delete from "${place.key}".jars`);
      const days = ['2030-03-05', '2030-03-13', '2030-04-03', '2030-04-10'];
      await place.write('lots', { update: [{ id: 1, values: { day: days[0] } }] });
      await place.insert('lots', ...days.slice(1).map((day, at) => ({ code: `L${at + 1}`, day })), {
        code: 'no',
        day: days[1],
      });
      await runTimed(pool, local('2030-03-02', 6));
      expect(await marks()).toEqual([]);
      await runTimed(pool, local('2030-03-02', 7));
      await runTimed(pool, local('2030-03-02', 8));
      expect(await marks()).toEqual(['near L0']);
      // Nothing ran for three weeks; then two processes begin at once.
      const late = local('2030-03-31', 7);
      await Promise.all([runTimed(pool, late), runTimed(pool, late)]);
      expect((await marks()).toSorted()).toEqual(['near L0', 'near L1', 'near L2', ...Array<string>(4).fill('week S')]);
      for (let hour = 0; hour < 24 * 9; hour++) await runTimed(pool, new Date(late.getTime() + hour * 3_600_000));
      expect((await marks()).toSorted()).toEqual([
        'near L0',
        'near L1',
        'near L2',
        'near L3',
        ...Array<string>(6).fill('week S'),
      ]);
      const [run] = (await runs()).filter(({ label }) => label === 'Near');
      expect(run).toMatchObject({ records: 1, by: 'Ida' });
    },
    60_000,
  );

  test('a condition that asks for the day comes true as a new day begins', async () => {
    const on = (days: number) => new Date(Date.now() + days * 86_400_000);
    const day = (days: number) => on(days).toISOString().slice(0, 10);
    await place.insert('lots', { code: 'old', day: day(-70) }, { code: 'new', day: day(-59) });
    await routine('lots', {
      when: { on: 'comesTrue', condition: 'day < today() - 60' },
      steps: [{ do: 'set', fields: [{ field: 'state', formula: "'not recent'" }] }],
    });
    await beginDays(pool, on(1));
    expect(await rows('lots', 'code', 'state')).toEqual([
      ['L0', null],
      ['old', null],
      ['new', null],
    ]);
    await beginDays(pool, on(3));
    // One that cannot be done keeps no day from beginning.
    await place.change({
      do: 'addPart',
      kind: 'routine',
      table: 'lots',
      part: {
        label: 'Wrong',
        on: true,
        when: { on: 'comesTrue', condition: 'day < today() - 62' },
        steps: [{ do: 'set', fields: [{ field: 'code', formula: "'L0'" }] }],
      },
    } as never);
    const wrong = (await all()).find(({ sentence }) => sentence.includes('62'))!;
    await place.write('lots', { update: [{ id: 1, values: { code: 'free' } }] });
    await ask('POST', '/tables/lots/routines/try', { routine: wrong.id, record: 1 });
    await place.write('lots', { update: [{ id: 1, values: { code: 'L0' } }] });
    await beginDays(pool, on(4));
    expect(await rows('lots', 'code', 'state')).toEqual([
      ['L0', null],
      ['old', null],
      ['new', 'not recent'],
    ]);
    expect((await runs()).map(({ label, problem }) => [label, problem === null])).toEqual([
      ['Wrong', false],
      ['Routine', true],
    ]);
  });

  test('what is switched off or untried makes up for nothing; a failure ends the day', async () => {
    await place.insert('lots', { code: 'taken' });
    const steps = [{ do: 'set', fields: [{ field: 'code', formula: "'taken'" }] }];
    await place.change({
      do: 'addPart',
      kind: 'routine',
      table: 'lots',
      part: { label: 'Daily', on: true, when: { on: 'timetable', every: 'day', hour: 0 }, where: "code = 'L0'", steps },
    } as never);
    const day = (at: number) => new Date(Date.UTC(2030, 0, at, 12));
    await runTimed(pool, day(1));
    const [{ id }] = (await all()) as [Out];
    await place.write('lots', { update: [{ id: 2, values: { code: 'free' } }] });
    await ask('POST', '/tables/lots/routines/try', { routine: id, record: 1 });
    await place.write('lots', { update: [{ id: 2, values: { code: 'taken' } }] });
    await runTimed(pool, day(1));
    expect((await runs()).length).toBe(0);
    await runTimed(pool, day(2));
    await runTimed(pool, day(2));
    expect((await all())[0]).toMatchObject({ failures: 1 });
    await place.write('lots', { update: [{ id: 2, values: { code: 'free' } }] });
    await runTimed(pool, day(3));
    expect(await rows('lots', 'code')).toEqual([['taken'], ['free']]);
  });
});

describe('what holds whatever else happens', () => {
  const counting = {
    when: { on: 'comesTrue', condition: 'kg > 10' },
    steps: [{ do: 'make', table: 'jars', fields: [{ field: 'mark', formula: 'code' }], result: 'Jar' }],
  };
  const marks = async () => (await rows('jars', 'mark')).map(([one]) => one);

  test('a renamed field or option leaves a routine running, as it is the same', async () => {
    await routine('lots', {
      when: { on: 'changed', fields: ['kg'] },
      where: 'kg > 0',
      steps: [
        ...season.steps.slice(0, 2),
        { do: 'make', table: 'jars', fields: [{ field: 'mark', formula: 'state' }] },
      ],
    });
    await place.change(
      { do: 'changeField', table: 'lots', field: 'kg', set: { key: 'weight', label: 'Weight' } },
      { do: 'changeField', table: 'seasons', field: 'name', set: { key: 'year_name', label: 'Year name' } },
    );
    expect((await all())[0]).toMatchObject({ tried: true, lost: [] });
    await place.write('lots', { update: [{ id: 1, values: { weight: 5 } }] });
    expect(await rows('lots', 'state')).toEqual([['in 2025']]);
  });

  test('a condition that an undo or a change of the structure made untrue can come true again', async () => {
    await routine('lots', counting);
    const { answer } = await ask('PATCH', '/tables/lots/records', { records: [{ id: 1, values: { kg: 11 } }] });
    expect(await marks()).toEqual(['L0']);
    await place.undo(answer.batch as number);
    expect(await marks()).toEqual([]);
    await place.write('lots', { update: [{ id: 1, values: { kg: 12 } }] });
    expect(await marks()).toEqual(['L0']);
    const fill = { work: 'fill', table: 'lots', set: [{ field: 'kg', formula: '1' }] };
    await transferred(place, fill);
    await place.write('lots', { update: [{ id: 1, values: { kg: 13 } }] });
    expect(await marks()).toEqual(['L0', 'L0']);
  });

  test('whether a condition holds is the same whoever edits', async () => {
    await place.insert('jars', { lot: 1, size: 20 }, { lot: 1, size: 1 });
    await routine('lots', { ...counting, when: { on: 'comesTrue', condition: 'sum(jars.size) > 10 and kg > 5' } });
    const role = await ask('POST', '/roles', {
      label: 'Small jars',
      others: { see: true, change: true },
      tables: { jars: { see: 'size < 5', change: false } },
    });
    await ask('POST', '/members', { person: tom!.id, role: role.answer.id });
    const edit = await ask('PATCH', '/tables/lots/records', { records: [{ id: 1, values: { kg: 6 } }] }, tom!);
    expect(edit.status).toBe(200);
    expect((await marks()).at(-1)).toBe('L0');
  });

  test('a blank that is looked for finds nothing, and makes nothing', async () => {
    await routine('lots', {
      when: { on: 'changed', fields: ['kg'] },
      steps: [
        {
          do: 'find',
          table: 'jars',
          by: [
            { field: 'mark', formula: 'code' },
            { field: 'size', formula: 'season.kg' },
          ],
          make: true,
        },
      ],
    });
    for (const kg of [2, 3]) await place.write('lots', { update: [{ id: 1, values: { kg } }] });
    expect(await marks()).toEqual([]);
  });

  test('a dry run of a load adds no word to a list, and sets nothing off', async () => {
    await routine('lots', season);
    const path = pathOf(mkdtempSync(pathOf(tmpdir(), 'loom-sent-')), 'lots.csv');
    writeFileSync(path, 'Code,Day,Kg\nD1,2026-01-02,3\n');
    const access = await place.access();
    const { id } = await beginIntake(pool, access, [{ name: 'lots.csv', path }]);
    await expect.poll(async () => (await readIntake(pool, access, id)).state, { timeout: 20_000 }).toBe('ready');
    const into = { into: access.workspace.model.tables.find(({ key }) => key === 'lots')!.id, by: [], mode: 'add' };
    await correctIntake(pool, access, id, { tables: { '0': into }, columns: {} } as never);
    const before = (await ask('GET', '/model')).text;
    const { receipt } = await dryRun(pool, await place.access(), id);
    expect(receipt).toMatchObject({ dry: true });
    expect((await ask('GET', '/model')).text).toBe(before);
  });

  test('what was set aside sets it off as it is fixed', async () => {
    await place.change({
      do: 'changeField',
      table: 'lots',
      field: 'state',
      set: { type: 'number' },
    } as never);
    await routine('lots', {
      when: { on: 'changed', fields: ['state'] },
      steps: [{ do: 'option', table: 'tags', field: 'kind', word: "'w' || code" }],
    });
    await ask('POST', '/tables/lots/records/paste', {
      fields: ['state'],
      rows: [{ id: 1, cells: ['twelve'] }],
      misfits: 'setAside',
    });
    const fixed = await ask('POST', '/tables/lots/fields/state/set-aside', {
      do: 'replace',
      text: 'twelve',
      value: '12',
    });
    expect([fixed.status, fixed.answer.fixed]).toEqual([200, 1]);
    expect((await ask('GET', '/model')).text).toContain('"label":"wL0"');
  });
});

describe('who may not see a table', () => {
  /** A table of Ida's own, with a routine that writes a word of it elsewhere. */
  async function ownTable(): Promise<string> {
    await place.change({ do: 'addTable', label: 'Diary', private: true, fields: [text('Word')] } as never);
    await place.insert('diary', { word: 'xylophone' });
    const id = await routine('diary', {
      when: { on: 'button', inputs: [] },
      steps: [
        { do: 'make', table: 'diary', fields: [{ field: 'word', formula: "word || ' again'" }] },
        { do: 'write', to: [{ formula: "'a@bees.example'" }], subject: '{word}', text: 'x' },
      ],
    });
    expect((await ask('POST', `/routines/${id}/run`, { records: [1] })).status).toBe(200);
    await ask('POST', '/members', { person: tom!.id, role: 'administrator' });
    return id;
  }

  test('is told nothing of what its routine does, nor can press or try it, nor read with one of their own', async () => {
    const id = await ownTable();
    for (const path of ['/routines', '/routines/runs', '/outgoing']) {
      expect((await ask('GET', path)).text).toMatch(path === '/routines' ? /Diary/ : /xylophone/);
      expect((await ask('GET', path, undefined, tom!)).text).not.toMatch(/xylophone|Diary|Routine/);
    }
    expect((await ask('POST', `/routines/${id}/run`, { records: [1] }, tom!)).status).toBe(404);
    expect((await ask('POST', '/tables/diary/routines/try', { routine: id, record: 1 }, tom!)).status).toBe(404);
    const [{ id: hidden }] = (await place.access()).whole.model.tables.filter(
      ({ key }) => key === 'diary',
    ) as unknown as [{ id: string }];
    for (const table of ['diary', hidden]) {
      const spying = {
        label: 'A',
        when: { on: 'made' },
        steps: [{ do: 'make', table, fields: [{ field: 'word', formula: 'code' }] }],
      };
      const { status, text: said } = await ask(
        'POST',
        '/tables/lots/routines/try',
        { routine: spying, record: 1 },
        tom!,
      );
      expect([status, said.includes('xylophone')]).toEqual([422, false]);
    }
  });

  test('a keeper who may no longer see what it reads keeps it from running', async () => {
    await ask('POST', '/members', { person: tom!.id, role: 'administrator' });
    const part = {
      label: 'Toms',
      on: true,
      when: { on: 'changed', fields: ['kg'] },
      steps: [{ do: 'make', table: 'jars', fields: [{ field: 'mark', formula: 'season.name' }] }],
    };
    const plan = await ask(
      'POST',
      '/plans',
      { changes: [{ do: 'addPart', kind: 'routine', table: 'lots', part }] },
      tom!,
    );
    await ask('POST', `/plans/${String(plan.answer.id)}/apply`, {}, tom!);
    const [{ id }] = (await all()) as [Out];
    await ask('POST', '/tables/lots/routines/try', { routine: id, record: 1 }, tom!);
    const role = await ask('POST', '/roles', {
      label: 'No seasons',
      others: { see: true, enter: true, change: true },
      tables: { seasons: { see: false } },
    });
    await ask('PATCH', `/members/${tom!.id}`, { role: role.answer.id });
    const { status, answer } = await ask('PATCH', '/tables/lots/records', { records: [{ id: 1, values: { kg: 9 } }] });
    expect([status, answer.detail]).toEqual([422, expect.stringContaining('may not see all that it uses')]);
  });

  test('a role that hides something manages no routines', async () => {
    const { status, answer } = await ask('POST', '/roles', {
      label: 'Odd',
      workspace: ['routines'],
      others: { see: true },
      tables: { lots: { see: 'kg > 1' } },
    });
    expect([status, answer.detail]).toEqual([422, expect.stringContaining('a role that manages routines')]);
  });
});

describe('for those who put routines together and those who press their buttons', () => {
  const made = {
    label: 'Mark',
    when: { on: 'made' },
    steps: [{ do: 'set', fields: [{ field: 'state', formula: "'x'" }] }],
  };

  test('one is made, saved over what was read and no other, switched on, and deleted', async () => {
    const { answer } = await ask('POST', '/tables/lots/routines', { routine: made });
    const path = `/tables/lots/routines/${String(answer.id)}`;
    const [{ routine: first }] = (await all()) as unknown as [{ routine: Record<string, unknown> }];
    expect((await ask('PATCH', path, { routine: { ...first, where: 'kg > 1' }, over: first })).status).toBe(200);
    const late = await ask('PATCH', path, { routine: { ...first, where: 'kg > 2' }, over: first });
    expect([late.status, late.answer.detail]).toEqual([409, 'Somebody else saved “Mark” meanwhile.']);
    expect((await ask('PATCH', path, { routine: { on: true } })).status).toBe(200);
    const [one] = (await all()) as unknown as [{ routine: object; tried: boolean }];
    expect(one.routine).toMatchObject({ on: true, where: 'kg > 1' });
    expect(one.tried).toBe(false);
    expect((await ask('POST', '/tables/lots/routines', { routine: { ...made, steps: [] } })).status).toBe(422);
    expect((await ask('DELETE', path)).status).toBe(200);
    expect(await all()).toEqual([]);
  });

  test('what a step makes is linked to the record itself, also where titles are not unique', async () => {
    await place.insert('jars', { mark: 'same' }, { mark: 'same' });
    await place.change({
      do: 'addField',
      table: 'seasons',
      field: { label: 'Jar', type: 'link', to: 'jars', onDelete: 'remove', counterpart: { label: 'Seasons' } },
    });
    await routine('jars', {
      label: 'Season of a jar',
      when: { on: 'made' },
      steps: [
        {
          do: 'make',
          table: 'seasons',
          fields: [
            { field: 'name', formula: 'this.mark' },
            { field: 'jar', formula: 'this' },
          ],
          result: 'It',
        },
        { do: 'set', of: 'this', fields: [{ field: 'size', formula: 'it.jar.size' }] },
        {
          do: 'each',
          over: 'seasons',
          result: 'Jar',
          steps: [{ do: 'set', fields: [{ field: 'jar', formula: 'jar_2' }] }],
        },
      ],
    });
    await place.insert('jars', { mark: 'same', size: 3 });
    const { answer } = await ask('GET', '/tables/seasons/records');
    expect((answer.items as { values: { jar: { id: number } } }[]).map(({ values }) => values.jar.id)).toEqual([3]);
    const refused = (json: object) =>
      ask('POST', '/tables/jars/routines', { routine: { label: 'No', when: { on: 'made' }, steps: [json] } });
    const by = [{ field: 'mark', formula: "'x'" }];
    expect((await refused({ do: 'find', table: 'jars', by, link: 'this' })).status).toBe(422);
    expect((await refused({ do: 'each', over: 'this', steps: [{ do: 'set', fields: by }] })).status).toBe(422);
  });

  test('a number that becomes an option is the one that the record gets, typed or loaded, and none is left out', async () => {
    await place.change({
      do: 'addTable',
      label: 'Batches',
      fields: [{ label: 'Number', type: 'runningNumber', pattern: 'B-{000}' }, text('Note')],
    });
    await place.insert('batches', { note: 'first' });
    await routine('batches', {
      label: 'Listed',
      when: { on: 'made' },
      steps: [{ do: 'option', table: 'tags', field: 'kind', word: 'number' }],
    });
    await place.insert('batches', { note: 'second' }, { note: 'third' });
    await Promise.all(Array.from({ length: 12 }, (_, n) => place.insert('batches', { note: `at once ${n}` })));
    const path = pathOf(mkdtempSync(pathOf(tmpdir(), 'loom-sent-')), 'batches.csv');
    writeFileSync(path, 'Note\nseventh\neighth\n');
    const access = await place.access();
    const { id } = await beginIntake(pool, access, [{ name: 'batches.csv', path }]);
    await expect.poll(async () => (await readIntake(pool, access, id)).state).toBe('ready');
    const into = access.workspace.model.tables.find(({ key }) => key === 'batches')?.id ?? 'new';
    await correctIntake(pool, access, id, { tables: { 0: { into, by: [], mode: 'add' } }, columns: {} });
    await startLoad(pool, access, id);
    await expect.poll(async () => (await readIntake(pool, access, id)).state).not.toBe('loading');
    const made = await ask('GET', '/tables/batches/records?limit=50');
    const all = (made.answer.items as { id: number; values: { number: string } }[]).map((one) => [
      one.id,
      one.values.number,
    ]);
    const numbers = Array.from({ length: 17 }, (_, n) => `B-${String(n + 1).padStart(3, '0')}`);
    expect(all).toEqual(numbers.map((number, at) => [at + 1, number]));
    const model = (await ask('GET', '/model')).answer.tables as {
      key: string;
      fields: { key: string; options?: { label: string }[] }[];
    }[];
    const options = model.find(({ key }) => key === 'tags')?.fields.find(({ key }) => key === 'kind')?.options ?? [];
    expect(options.map(({ label }) => label).toSorted()).toEqual([...numbers.slice(1), 'x']);
  });

  test('buttons are for those who write, once they run, and ask for nothing one does not see', async () => {
    const inputs = [
      { label: 'Reason', type: 'text', required: true },
      { label: 'By', type: 'link', to: 'seasons' },
    ];
    await place.insert('seasons', { name: '2026' });
    const button = { label: 'Close it', on: true, when: { on: 'button', inputs } };
    const changed = { ...button, steps: [{ do: 'set', fields: [{ field: 'state', formula: 'reason' }] }] };
    const { answer } = await ask('POST', '/tables/lots/routines', { routine: changed });
    const buttons = async (by = ida!, table = 'lots') =>
      (await ask('GET', `/tables/${table}/buttons`, undefined, by)).answer.items as { id: string; inputs: object[] }[];
    expect(await buttons()).toEqual([]);
    const tried = await ask('POST', '/tables/lots/routines/try', {
      routine: answer.id,
      record: 1,
      inputs: { reason: 'sold', by: 1 },
    });
    expect(tried.answer.problem).toBe(null);
    expect(await buttons()).toEqual([
      {
        id: answer.id,
        label: 'Close it',
        inputs: [
          { key: 'reason', label: 'Reason', type: 'text', to: null, required: true },
          expect.objectContaining({ label: 'By', type: 'link', to: 'seasons', required: false }),
        ],
      },
    ]);
    expect(await buttons(ida!, 'jars')).toEqual([]);
    const role = await ask('POST', '/roles', {
      label: `Lots only ${places}`,
      workspace: [],
      others: {},
      tables: { lots: { see: true, enter: true, change: true, fields: {} } },
    });
    const helper = await makePerson(pool, `Helper ${places}`);
    await join(pool, await place.access(), helper, String(role.answer.id) as never);
    expect(await buttons(helper)).toEqual([]);
    const reader = await makePerson(pool, `Reader ${places}`);
    await join(pool, await place.access(), reader, 'reader');
    expect((await ask('GET', '/tables/lots/buttons', undefined, reader)).status).toBe(403);
  });

  test('what is on and does not run is a finding, and what a routine watches and writes is in the impact of a field', async () => {
    const findings = async () =>
      ((await ask('GET', '/tables/lots/findings')).answer.findings as { kind: string; words: string }[]).filter(
        ({ kind }) => kind.endsWith('routine'),
      );
    await ask('POST', '/tables/lots/routines', {
      routine: { ...made, label: 'Copy', on: true, when: { on: 'changed', fields: ['kg'] } },
    });
    expect(await findings()).toMatchObject([
      { kind: 'held routine', words: 'It is on and does not run: it was not tried as it is.' },
    ]);
    const [{ id }] = (await all()) as [Out];
    await ask('POST', '/tables/lots/routines/try', { routine: id, record: 1 });
    expect(await findings()).toEqual([]);
    await pool.query(
      `update loom.routines set failures = 10, paused_at = now(), problem = 'Code is taken.' where id = $1`,
      [id],
    );
    expect(await findings()).toMatchObject([
      { kind: 'paused routine', words: 'It failed 10 times in a row and is paused: Code is taken.' },
    ]);
    const impact = async (field: string) => {
      const { answer } = await ask('GET', `/tables/lots/fields/${field}/impact`);
      return [answer.comesFrom, answer.goesTo].map((steps) => (steps as { words: string }[]).map(({ words }) => words));
    };
    const words = 'the routine “Copy” of Lots';
    expect((await impact('state'))[0]).toEqual([words]);
    expect((await impact('kg'))[1]).toContain(words);
    expect((await impact('kg'))[0]).toEqual([]);
  });

  test('the Outbox is searched, downloaded, and answers as it is told; addresses for others are not found by searching', async () => {
    const chief = await makePerson(pool, 'Chief');
    await pool.query('update loom.people set manages = true where id = $1', [chief.id]);
    const direct = (method: string, path: string, body?: unknown, by = chief) => asked(pool, by, method, path, body);
    await place.change({ do: 'addField', table: 'lots', field: { label: 'Net', type: 'number', unit: 'kg' } });
    await routine('lots', {
      label: 'Thanks',
      when: { on: 'made' },
      steps: [
        {
          do: 'write',
          to: [{ formula: "'zoe@bees.example'" }],
          subject: 'Lot {code}',
          text: 'It weighs {net} & <b>more</b>.',
        },
      ],
    });
    await place.insert('lots', { code: 'OUT-1', net: 3 });
    const sending = async () => {
      const { rows: waiting } = await pool.query<{ id: number }>(
        `select id from loom.outgoing where state = 'waiting'`,
      );
      for (const { id } of waiting) await sendOutgoing(pool, Number(id), false).catch(() => undefined);
    };
    expect((await direct('PUT', '/api/outbox/stand-in', { refuses: true, seconds: 1 }, tom)).status).toBe(403);
    expect((await direct('PUT', '/api/outbox/stand-in', { refuses: true, seconds: 1 })).status).toBe(200);
    const began = Date.now();
    await sending();
    expect(Date.now() - began).toBeGreaterThanOrEqual(990);
    const found = async (q: string, by = chief) =>
      (await direct('GET', `/api/outbox?q=${encodeURIComponent(q)}`, undefined, by)).answer.items as { id: number }[];
    expect(await found('OUT-1')).toEqual([]);
    expect((await direct('PUT', '/api/outbox/stand-in', {})).status).toBe(200);
    await sending();
    const [message] = await found('out-1');
    expect(message).toMatchObject({
      recipient: 'zoe@bees.example',
      subject: 'Lot OUT-1',
      routine: 'Thanks',
      by: 'Ida',
    });
    expect(await found('100%_')).toEqual([]);
    expect(await found('OUT-1', tom)).toEqual([]);
    expect((await direct('GET', `/api/outbox/${message?.id}`, undefined, tom)).status).toBe(404);
    const whole = (await direct('GET', `/api/outbox/${message?.id}`)).answer;
    expect(whole.html).toContain('&lt;b&gt;more&lt;/b&gt;');
    expect(whole.body).toBe('It weighs 3 kg & <b>more</b>.');
    expect(whole.headers).toContainEqual({ key: 'Subject', value: 'Lot OUT-1' });
    const eml = (id: number | undefined, by: Person) =>
      fetched({ pool, person: by } as Place, `/api/outbox/${id}/mail.eml`);
    expect(await eml(message?.id, chief)).toMatch(/^To: zoe@bees\.example\r$/m);
    await pool.query(
      `insert into loom.outbox (recipient, subject, body, person)
       values ('x@y.example', 'Invitation', 'Come: http://loom/invited/secret77', $1)`,
      [tom!.id],
    );
    expect(await found('invited/secret7', tom)).toEqual([]);
    expect(await found('invited/secret7')).toHaveLength(1);
    const [theirs] = await found('Invitation', tom);
    expect(await eml(theirs?.id, tom!)).not.toContain('secret77');
  });
});
