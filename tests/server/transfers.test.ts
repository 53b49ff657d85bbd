import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { fileAt, keepFile } from '$server/files/store';
import type { TransferOut } from '$server/transfer/transfers';
import { ask as asked, at, exported, fetched, planned, transferred } from './calls';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let [ida, tom]: Person[] = [];
let [valley, river]: Place[] = [];
let places = 0;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('transfers'));
  [ida, tom] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Tom')];
});
afterAll(() => drop());

const ask = (by: Person, method: string, path: string, body?: unknown) => asked(pool, by, method, path, body);
const done = transferred;
const refused = async (place: Place, transfer: unknown, by = ida!): Promise<string> => {
  const { status, answer } = await ask(by, 'POST', at(place, '/transfers'), transfer);
  return status === 200 ? 'nothing was refused' : `${String(answer.detail)} ${String(answer.fix ?? '')}`;
};

/** All records of a table, each as its values by key, with its number. */
async function records(place: Place, table: string): Promise<Record<string, unknown>[]> {
  const { answer } = await ask(ida!, 'GET', at(place, `/tables/${table}/records?limit=500`));
  return (answer.items as { id: number; values: Record<string, unknown> }[]).map(({ id, values }) => ({
    id,
    ...values,
  }));
}
const column = async (place: Place, table: string, ...keys: string[]): Promise<unknown[]> =>
  (await records(place, table)).map((one) =>
    keys.length === 1 ? shown(one[keys[0] ?? '']) : keys.map((key) => shown(one[key])),
  );
const shown = (value: unknown): unknown =>
  Array.isArray(value)
    ? value.map(shown)
    : typeof value === 'object' && value !== null && 'title' in value
      ? (value as { title: unknown }).title
      : value;

const hives = [
  {
    do: 'addTable',
    label: 'Keepers',
    fields: [text('Code', { unique: true }), text('Name'), text('Village')],
    title: 'name',
  },
  {
    do: 'addTable',
    label: 'Hives',
    fields: [
      text('Number', { unique: true, required: true }),
      { label: 'Colour', type: 'option', options: ['White', 'Green'] },
    ],
  },
  {
    do: 'addTable',
    label: 'Inspections',
    fields: [{ label: 'Day', type: 'date' }, { label: 'Frames', type: 'number' }, text('Remark')],
  },
  {
    do: 'addField',
    table: 'hives',
    field: { label: 'Keeper', type: 'link', to: 'keepers', onDelete: 'prevent', counterpart: { label: 'Hives' } },
  },
  {
    do: 'addField',
    table: 'inspections',
    field: {
      label: 'Hive',
      type: 'link',
      to: 'hives',
      onDelete: 'remove',
      required: true,
      counterpart: { label: 'Inspections' },
    },
  },
  { do: 'addField', table: 'hives', field: { label: 'Frames', type: 'formula', formula: 'sum(inspections.frames)' } },
  { do: 'addField', table: 'keepers', field: { label: 'Frames', type: 'formula', formula: 'sum(hives.frames)' } },
  {
    do: 'addField',
    table: 'hives',
    field: { label: 'Friends', type: 'link', many: true, to: 'keepers', counterpart: { label: 'Befriended' } },
  },
];

beforeEach(async () => {
  places++;
  valley = await makePlace(pool, ida!, `Valley ${places}`);
  river = await makePlace(pool, ida!, `River ${places}`);
  for (const place of [valley, river]) await place.change(...(hives as never[]));
  await valley.insert(
    'keepers',
    { code: 'K1', name: 'Ada', village: 'Alder' },
    { code: 'K2', name: 'Bea' },
    { code: 'K3', name: 'Ada' },
  );
  await river.insert('keepers', { code: 'K9', name: 'Ada' }, { code: 'K8', name: 'Cid' });
  await valley.insert(
    'hives',
    { number: 'H1', colour: 'White', keeper: 1, friends: [2, 3] },
    { number: 'H2', colour: 'Green', keeper: 2 },
    { number: 'H3', keeper: 3, friends: [1, 2] },
  );
  await valley.insert(
    'inspections',
    { day: '2026-04-01', frames: 4, hive: 1 },
    { day: '2026-05-01', frames: 6.5, hive: 1, remark: 'swarm' },
    { day: '2026-04-02', frames: 3, hive: 2 },
    { day: '2026-04-03', frames: 2, hive: 3 },
  );
});

describe('fill by formula', () => {
  test('writes what differs, says before and after, and is undone', async () => {
    const before = await exported(valley!);
    const fill = {
      work: 'fill',
      table: 'inspections',
      where: 'frames > 2.5',
      set: [{ field: 'remark', formula: `coalesce(remark, 'seen')` }],
    };
    const plan = await planned(valley!, fill);
    expect(plan.plan.takes).toEqual([{ table: 'Inspections', count: 3 }]);
    expect(plan.plan.samples.map(({ before: was, after }) => [was, after])).toEqual([
      ['', 'seen'],
      ['', 'seen'],
    ]);
    expect(await exported(valley!)).toBe(before);
    const { receipt, batch } = await done(valley!, fill);
    expect(receipt.lines.map(({ chosen, written, same }) => [chosen, written, same])).toEqual([[3, 2, 1]]);
    expect(await column(valley!, 'inspections', 'remark')).toEqual(['seen', 'swarm', 'seen', null]);
    await valley!.write('inspections', { update: [{ id: 4, values: { remark: 'other' } }] });
    await valley!.undo(batch);
    expect(await column(valley!, 'inspections', 'remark')).toEqual([null, 'swarm', null, 'other']);
  });

  test('leaves out what does not fit or is refused, with its reason', async () => {
    const { receipt } = await done(valley!, {
      work: 'fill',
      table: 'hives',
      set: [{ field: 'number', formula: `'H2'` }],
    });
    expect(receipt.lines[0]).toMatchObject({ chosen: 3, written: 0, same: 1 });
    expect(receipt.lines[0]?.left).toMatchObject([{ reason: 'another record has the same “Number”', count: 2 }]);
    const { receipt: second } = await done(valley!, {
      work: 'fill',
      table: 'inspections',
      set: [{ field: 'frames', formula: 'remark' }],
    });
    expect(second.lines[0]).toMatchObject({
      chosen: 4,
      written: 3,
      left: [{ reason: 'does not fit “Frames”', count: 1 }],
    });
  });

  test('recalculates what comes from it', async () => {
    await done(valley!, { work: 'fill', table: 'inspections', set: [{ field: 'frames', formula: 'frames * 2' }] });
    expect(await column(valley!, 'hives', 'frames')).toEqual([21, 6, 4]);
    expect(await column(valley!, 'keepers', 'frames')).toEqual([21, 6, 4]);
  });
});

describe('other codes', () => {
  test('follow a list, exchanges among it, in every field that holds them', async () => {
    await valley!.change({ do: 'addField', table: 'inspections', field: text('Keeper code') } as never);
    await valley!.write('inspections', {
      update: [
        { id: 1, values: { keeper_code: 'K1' } },
        { id: 2, values: { keeper_code: 'other' } },
      ],
    });
    const { receipt, batch } = await done(valley!, {
      work: 'rekey',
      table: 'keepers',
      field: 'code',
      codes: [
        { from: 'K1', to: 'K2' },
        { from: 'K2', to: 'K1' },
        { from: 'K3', to: 'Z3' },
      ],
      also: [{ table: 'inspections', field: 'keeper_code' }],
    });
    expect(await column(valley!, 'keepers', 'code')).toEqual(['K2', 'K1', 'Z3']);
    expect(await column(valley!, 'inspections', 'keeper_code')).toEqual(['K2', 'other', null, null]);
    expect(receipt.lines.map(({ written }) => written)).toEqual([3, 1]);
    await valley!.undo(batch);
    expect(await column(valley!, 'keepers', 'code')).toEqual(['K1', 'K2', 'K3']);
  });
});

describe('duplicates', () => {
  test('become one, with all links and the values chosen; an old address leads to it', async () => {
    const before = await exported(valley!);
    const { receipt, batch } = await done(valley!, {
      work: 'join',
      table: 'keepers',
      groups: [{ winner: 1, losers: [3], values: { code: 3, village: 1 } }],
    });
    expect(await column(valley!, 'keepers', 'id', 'code', 'village')).toEqual([
      [1, 'K3', 'Alder'],
      [2, 'K2', null],
    ]);
    expect(await column(valley!, 'hives', 'keeper')).toEqual(['Ada', 'Bea', 'Ada']);
    expect(await column(valley!, 'hives', 'friends')).toEqual([['Bea', 'Ada'], [], ['Ada', 'Bea']]);
    expect(await column(valley!, 'keepers', 'frames')).toEqual([12.5, 3]);
    const { status, answer } = await ask(ida!, 'GET', at(valley!, '/tables/keepers/records/3'));
    expect([status, answer.movedTo]).toEqual([404, { workspace: valley!.key, table: 'keepers', id: 1 }]);
    expect(receipt.lines.every(({ chosen, written, same, left }) => chosen === written + same + left.length)).toBe(
      true,
    );
    await valley!.write('inspections', { update: [{ id: 3, values: { remark: 'later' } }] });
    await valley!.write('inspections', { update: [{ id: 3, values: { remark: null } }] });
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
  });

  test('a winner that is gone meanwhile is said, and nothing is done', async () => {
    const { id } = await planned(valley!, { work: 'join', table: 'keepers', groups: [{ winner: 2, losers: [1] }] });
    await valley!.write('hives', { update: [1, 2, 3].map((id) => ({ id, values: { keeper: 1, friends: [] } })) });
    await valley!.write('keepers', { remove: [2] });
    const before = await exported(valley!);
    const { status, answer } = await ask(ida!, 'POST', at(valley!, `/transfers/${id}/apply`));
    expect([status, answer.detail]).toEqual([409, 'Record 2 of Keepers was deleted meanwhile.']);
    expect(await exported(valley!)).toBe(before);
  });
});

describe('moving records', () => {
  const move = (more: object = {}) => ({
    work: 'move',
    table: 'hives',
    records: [1, 3],
    to: `${river!.key}.hives`,
    ...more,
  });

  test('takes them to another workspace with what hangs on them, and back', async () => {
    await river!.insert('hives', { number: 'R1', keeper: 2 });
    const [before, beside] = [await exported(valley!), await exported(river!)];
    const plan = await planned(valley!, move());
    expect(plan.plan.links.map(({ link, fate }) => [link, fate])).toEqual([
      ['Inspections.Hive', 'follows'],
      ['Hives Friends.Hives', 'follows'],
    ]);
    const { status, answer: tried } = await ask(ida!, 'POST', at(valley!, `/transfers/${plan.id}/dry-run`));
    expect([status, (tried as { batch: unknown }).batch]).toEqual([200, null]);
    expect(await exported(valley!)).toBe(before);
    expect(await exported(river!)).toBe(beside);
    const { receipt, batch } = await done(valley!, move());
    expect({ ...(tried.tried as object), seconds: 0 }).toEqual({ ...receipt, seconds: 0 });
    expect(await column(valley!, 'hives', 'number')).toEqual(['H2']);
    expect(await column(river!, 'hives', 'id', 'number', 'colour', 'keeper', 'frames')).toEqual([
      [1, 'R1', null, 'Cid', 0],
      [2, 'H1', 'White', 'Ada', 10.5],
      [3, 'H3', null, 'Ada', 2],
    ]);
    expect(await column(river!, 'inspections', 'frames', 'hive')).toEqual([
      [4, 'H1'],
      [6.5, 'H1'],
      [2, 'H3'],
    ]);
    expect(await column(river!, 'keepers', 'frames')).toEqual([12.5, 0]);
    expect(receipt.sums).toContainEqual({
      from: 'Inspections: Frames',
      to: 'Inspections: Frames',
      before: '12.5',
      after: '12.5',
    });
    const old = await ask(ida!, 'GET', at(valley!, '/tables/hives/records/3'));
    expect([old.status, old.answer.movedTo]).toEqual([404, { workspace: river!.key, table: 'hives', id: 3 }]);
    const { answer: steps } = await ask(ida!, 'GET', at(river!, '/tables/hives/records/3/history'));
    expect((steps.items as { title: string }[]).map(({ title }) => title)).toEqual(['Records of Hives moved to Hives']);
    await river!.insert('inspections', { frames: 1, hive: 1 });
    await valley!.write('hives', { update: [{ id: 2, values: { colour: 'White' } }] });
    await valley!.write('hives', { update: [{ id: 2, values: { colour: 'Green' } }] });
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
    expect(await column(river!, 'inspections', 'frames')).toEqual([1]);
  });

  test('what a rule of the target refuses stays, with all under it', async () => {
    await river!.insert('hives', { number: 'H1' });
    const { receipt } = await done(valley!, move());
    expect(await column(valley!, 'hives', 'number')).toEqual(['H1', 'H2']);
    expect(await column(valley!, 'inspections', 'hive')).toEqual(['H1', 'H1', 'H2']);
    expect(receipt.lines[0]).toMatchObject({
      chosen: 2,
      written: 1,
      left: [{ reason: 'another record has the same “Number”', count: 1, records: [{ id: 1, title: 'H1' }] }],
    });
  });

  test('links become blank, go over, keep a copy, or are refused', async () => {
    expect(await refused(valley!, move({ links: [{ table: 'inspections', link: 'hive', do: 'clear' }] }))).toContain(
      'must be filled',
    );
    const { batch } = await done(valley!, move({ links: [{ table: 'inspections', link: 'hive', do: 'keep' }] }));
    expect(await column(valley!, 'hives', 'number')).toEqual(['H1', 'H2', 'H3']);
    expect(await column(river!, 'inspections', 'frames')).toEqual([]);
    expect(await column(river!, 'hives', 'number')).toEqual(['H1', 'H3']);
    await valley!.undo(batch);
    expect(await column(river!, 'hives', 'number')).toEqual([]);
  });

  test('a new table of the same structure is made for them', async () => {
    const { batch } = await done(valley!, {
      work: 'move',
      table: 'hives',
      where: `number = 'H2'`,
      to: { label: 'Old hives' },
      links: [{ table: 'inspections', link: 'hive', do: 'delete' }],
    });
    expect(await column(valley!, 'old_hives', 'number', 'colour', 'keeper')).toEqual([['H2', 'Green', 'Bea']]);
    expect(await column(valley!, 'hives', 'number')).toEqual(['H1', 'H3']);
    expect(await column(valley!, 'inspections', 'hive')).toEqual(['H1', 'H1', 'H3']);
    await valley!.undo(batch);
    expect(await column(valley!, 'hives', 'number')).toEqual(['H1', 'H2', 'H3']);
    expect(await column(valley!, 'inspections', 'frames')).toEqual([4, 6.5, 3, 2]);
  });

  test('links that may be blank go over to new ones, which a new table gets', async () => {
    await valley!.change(
      {
        do: 'addTable',
        label: 'Weights',
        fields: [{ label: 'Kg', type: 'number' }],
      } as never,
      {
        do: 'addField',
        table: 'weights',
        field: { label: 'Hive', type: 'link', to: 'hives', onDelete: 'clear', counterpart: { label: 'Weights' } },
      } as never,
    );
    await valley!.insert('weights', { kg: 20, hive: 1 }, { kg: 30, hive: 3 });
    const before = await exported(valley!);
    const { plan } = await planned(valley!, {
      work: 'move',
      table: 'hives',
      records: [3],
      to: { label: 'Old hives' },
      links: [{ table: 'inspections', link: 'hive', do: 'delete' }],
    });
    expect(plan.links.map(({ link, fate }) => [link, fate])).toContainEqual(['Weights.Hive', 'pointed']);
    const { batch } = await done(valley!, {
      work: 'move',
      table: 'hives',
      records: [3],
      to: { label: 'Old hives' },
      links: [{ table: 'inspections', link: 'hive', do: 'delete' }],
    });
    expect(await column(valley!, 'weights', 'hive', 'hive_old_hives')).toEqual([
      ['H1', null],
      [null, 'H3'],
    ]);
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
  });

  test('files and values set aside go along', async () => {
    for (const place of [valley!, river!])
      await place.change({ do: 'addField', table: 'hives', field: { label: 'Papers', type: 'files' } } as never);
    const path = join(await mkdtemp(join(tmpdir(), 'loom-sent-')), 'sent');
    await writeFile(path, `a paper of valley ${places}`);
    const paper = await keepFile(pool, await valley!.access(), { name: 'paper.txt', path });
    await valley!.write('hives', { update: [{ id: 1, values: { papers: [paper] } }] });
    await valley!.change({ do: 'addField', table: 'inspections', field: text('Weight') } as never);
    await valley!.write('inspections', { update: [{ id: 2, values: { weight: 'heavy' } }] });
    await valley!.change({
      do: 'changeField',
      table: 'inspections',
      field: 'weight',
      set: { type: 'number' },
    } as never);
    await river!.change({
      do: 'addField',
      table: 'inspections',
      field: { label: 'Weight', type: 'number' },
    } as never);
    const before = await exported(valley!);
    const { batch } = await done(valley!, move());
    expect(await column(river!, 'hives', 'papers')).toEqual([[paper], null]);
    expect((await fileAt(pool, await river!.access(), paper.file)).size).toBe(paper.size);
    const { answer } = await ask(ida!, 'GET', at(river!, '/tables/inspections/records/2'));
    expect(answer.aside).toEqual({ weight: { text: 'heavy', reason: 'does not fit the type number' } });
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
    const { answer: back } = await ask(ida!, 'GET', at(valley!, '/tables/inspections/records/2'));
    const { rowCount } = await pool.query('select from loom.open_set_aside where workspace <> $1', [
      (await valley!.access()).workspace.id,
    ]);
    expect(rowCount).toBe(0);
    expect(back.aside).toEqual({ weight: { text: 'heavy', reason: 'does not fit the type number' } });
  });

  test('what does not come along whole is a file to correct it in: records that were left, values that did not fit', async () => {
    await river!.change(
      { do: 'addField', table: 'inspections', field: { label: 'Notes', type: 'number' } } as never,
      {
        do: 'addRule',
        table: 'inspections',
        condition: 'frames > 2',
        message: 'Too few',
      } as never,
    );
    await valley!.write('inspections', { update: [{ id: 1, values: { remark: '=1+1, or "so"' } }] });
    const copy = {
      work: 'move',
      copy: true,
      table: 'inspections',
      to: `${river!.key}.inspections`,
      fields: [
        { field: 'day', formula: 'day' },
        { field: 'frames', formula: 'frames' },
        { field: 'notes', formula: 'remark' },
        { field: 'hive', formula: 'hive.number', match: 'number', missing: 'create' },
      ],
    };
    const { id } = await planned(valley!, copy);
    const file = (rest: string) => fetched(valley!, at(valley!, `/transfers/${id}/receipt/misfits.csv?${rest}`));
    await expect(file('step=0')).rejects.toThrow('no such file of misfits');
    for (const step of ['dry-run', 'apply']) {
      const { status, answer } = await ask(ida!, 'POST', at(valley!, `/transfers/${id}/${step}`));
      expect(status).toBe(200);
      const [line] = ((answer.receipt ?? answer.tried) as TransferOut['receipt'])!.lines;
      expect(line).toMatchObject({ chosen: 4, written: 3, same: 0, aside: 2 });
      expect(await file('step=0')).toBe('Day,Frames,Remark,Hive,Reason\r\n2026-04-03,2,,H3,Too few\r\n');
    }
    expect(await column(river!, 'inspections', 'notes')).toEqual([null, null, null]);
    expect((await file('step=0&what=values')).split('\r\n')).toEqual([
      'Day,Frames,Remark,Hive,Notes,Reason',
      `2026-04-01,4,,H1,"'=1+1, or ""so""","“=1+1, or ""so""” does not fit “Notes”"`,
      '2026-05-01,6.5,,H1,swarm,“swarm” does not fit “Notes”',
      '',
    ]);
    await expect(file('step=1')).rejects.toThrow('no such file of misfits');
    // Another plan has no misfits yet, and nobody else reads one's own.
    const { id: other } = await planned(valley!, copy);
    await expect(fetched(valley!, at(valley!, `/transfers/${other}/receipt/misfits.csv`))).rejects.toThrow();
    await expect(fetched(valley!, at(valley!, `/transfers/${id}/receipt/misfits.csv`), tom!)).rejects.toThrow();
  });

  test.each([
    ['is stopped by its person', 'stop'],
    ['loses its connection, as when a server is killed', 'kill'],
  ] as const)('one that %s in the middle leaves nothing, and is done afterwards', async (_, how) => {
    const [here, there] = [await exported(valley!), await exported(river!)];
    const { id } = await planned(valley!, move());
    // It waits before the lines that it takes along: by then the hives themselves are written elsewhere.
    const holds = await pool.connect();
    await holds.query(`begin; lock table ${valley!.key}.inspections in share row exclusive mode`);
    const moving = ask(ida!, 'POST', at(valley!, `/transfers/${id}/apply`));
    const waiting = async () =>
      (
        await pool.query<{ pid: number }>(
          `select pid from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock'`,
        )
      ).rows[0]?.pid;
    await expect.poll(waiting, { timeout: 10_000 }).toBeTruthy();
    if (how === 'stop')
      expect((await ask(ida!, 'DELETE', at(valley!, '/work'), { kind: 'transfer', id })).status).toBe(200);
    else await pool.query('select pg_terminate_backend($1)', [await waiting()]);
    expect((await moving).status).toBeGreaterThanOrEqual(400);
    await holds.query('rollback');
    holds.release();
    expect([await exported(valley!), await exported(river!)]).toEqual([here, there]);
    const { status } = await ask(ida!, 'POST', at(valley!, `/transfers/${id}/apply`));
    expect(status).toBe(200);
  });

  test('copies leave everything where it is', async () => {
    const before = await exported(valley!);
    await done(valley!, move({ copy: true }));
    expect(await exported(valley!)).toBe(before);
    expect(await column(river!, 'hives', 'number', 'frames')).toEqual([
      ['H1', 10.5],
      ['H3', 2],
    ]);
  });
});

describe('merging tables', () => {
  const lots = [
    { do: 'addTable', label: 'Lots', fields: [text('Code', { unique: true })] },
    {
      do: 'addTable',
      label: 'Extractions',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Kg', type: 'number' },
        text('Place'),
        { label: 'Grade', type: 'option', options: ['A', 'B'] },
      ],
    },
    {
      do: 'addTable',
      label: 'Fillings',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Weight', type: 'number' },
        { label: 'Jars', type: 'number' },
        { label: 'Grade', type: 'option', options: ['B', 'C'] },
      ],
    },
    { do: 'addTable', label: 'Checks', fields: [text('Result')] },
    ...(['extractions', 'fillings'] as const).map((table) => ({
      do: 'addField',
      table,
      field: {
        label: 'Lot',
        type: 'link',
        to: 'lots',
        onDelete: 'prevent',
        counterpart: { label: table === 'fillings' ? 'Fillings' : 'Extractions' },
      },
    })),
    {
      do: 'addField',
      table: 'checks',
      field: {
        label: 'Extraction',
        type: 'link',
        to: 'extractions',
        onDelete: 'clear',
        counterpart: { label: 'Checks' },
      },
    },
    { do: 'addField', table: 'lots', field: { label: 'In', type: 'formula', formula: 'sum(extractions.kg)' } },
    {
      do: 'addField',
      table: 'lots',
      field: { label: 'Out', type: 'formula', formula: 'sum(fillings.weight) filter (where fillings.jars > 1)' },
    },
    { do: 'addField', table: 'lots', field: { label: 'Left', type: 'formula', formula: `"in" - "out"` } },
    {
      do: 'addField',
      table: 'lots',
      field: { label: 'Best', type: 'formula', formula: `count(extractions) filter (where extractions.grade = 'A')` },
    },
    { do: 'addField', table: 'extractions', field: { label: 'Share', type: 'formula', formula: 'kg / lot."in"' } },
    { do: 'addField', table: 'fillings', field: { label: 'Per jar', type: 'formula', formula: 'weight / jars' } },
    { do: 'addField', table: 'checks', field: { label: 'Kg', type: 'formula', formula: 'extraction.kg' } },
    { do: 'addRule', table: 'fillings', message: 'Jars are counted', condition: 'jars >= 0' },
  ];
  const merge = {
    work: 'merge',
    sources: [
      { table: 'extractions', mark: 'Extraction' },
      { table: 'fillings', mark: 'Filling' },
    ],
    to: { label: 'Movements' },
    markLabel: 'Kind',
    fields: [
      { label: 'Day', from: { extractions: 'day', fillings: 'day' } },
      { label: 'Kg', from: { extractions: 'kg', fillings: '-weight' } },
      { label: 'Place', from: { extractions: 'place' } },
      { label: 'Jars', from: { fillings: 'jars' } },
      { label: 'Grade', from: { extractions: 'grade', fillings: 'grade' } },
      { label: 'Lot', from: { extractions: 'lot', fillings: 'lot' } },
    ],
  };
  beforeEach(async () => {
    await valley!.change(...(lots as never[]));
    await valley!.insert('lots', { code: 'L1' }, { code: 'L2' });
    await valley!.insert(
      'extractions',
      { day: '2026-06-01', kg: 10, lot: 1, grade: 'A' },
      { kg: 5.5, lot: 1, place: 'Barn', grade: 'B' },
      { kg: 2, lot: 2, grade: 'A' },
    );
    await valley!.insert(
      'fillings',
      { weight: 4, jars: 8, lot: 1, grade: 'C' },
      { weight: 1, jars: 1, lot: 1 },
      { weight: 1.5, jars: 3, lot: 2 },
    );
    await valley!.insert('checks', { result: 'good', extraction: 2 }, { result: 'poor' });
    for (const [table, personal, view] of [
      ['extractions', false, { label: 'Large', filter: 'kg > 4', sort: '-kg' }],
      ['extractions', true, { label: 'Mine', filter: 'kg < 4', groups: 'place' }],
      ['fillings', true, { label: 'Heavy', filter: 'weight > 1' }],
    ] as const)
      await ask(ida!, 'POST', at(valley!, `/tables/${table}/views`), { personal, view });
  });

  test('formulas, links, rules and views follow, with the same values; undone it is as it was', async () => {
    const before = await exported(valley!);
    const values = await records(valley!, 'lots');
    const { plan, id } = await planned(valley!, merge);
    expect(plan.problems).toEqual([]);
    expect(plan.formulas.map(({ words, after }) => [words, after])).toContainEqual([
      'Lots.Out',
      expect.stringMatching(/kind = 'Filling'/),
    ]);
    const { answer: tried } = await ask(ida!, 'POST', at(valley!, `/transfers/${id}/dry-run`));
    expect(
      (tried as unknown as TransferOut).tried?.formulas.map(({ field, records, differ }) => [field, records, differ]),
    ).toEqual(
      expect.arrayContaining([
        ['Lots.In', 2, 0],
        ['Lots.Out', 2, 0],
        ['Lots.Best', 2, 0],
        ['Extractions.Share', 3, 0],
        ['Fillings.Per jar', 3, 0],
        ['Checks.Kg', 2, 0],
      ]),
    );
    expect(await exported(valley!)).toBe(before);
    const { batch, receipt } = await done(valley!, merge);
    expect(await column(valley!, 'movements', 'kind', 'kg', 'jars', 'grade', 'lot', 'place')).toEqual([
      ['Extraction', 10, null, 'A', 'L1', null],
      ['Extraction', 5.5, null, 'B', 'L1', 'Barn'],
      ['Extraction', 2, null, 'A', 'L2', null],
      ['Filling', -4, 8, 'C', 'L1', null],
      ['Filling', -1, 1, null, 'L1', null],
      ['Filling', -1.5, 3, null, 'L2', null],
    ]);
    expect(await column(valley!, 'lots', 'in', 'out', 'left', 'best')).toEqual(
      values.map((one) => [one.in, one.out, one.left, one.best]),
    );
    expect(await column(valley!, 'checks', 'extraction', 'kg')).toEqual([
      [expect.anything(), 5.5],
      [null, null],
    ]);
    expect(receipt.sums).toContainEqual({
      from: 'Fillings: -"Weight"',
      to: 'Movements: Kg',
      before: '-6.5',
      after: '-6.5',
    });
    const { answer } = await ask(ida!, 'GET', at(valley!, '/tables/movements/views'));
    const views = answer.items as { personal: boolean; view: { label: string; filter: string; groups: unknown } }[];
    expect(views.map(({ personal, view }) => [personal, view.label, view.filter, view.groups])).toEqual(
      expect.arrayContaining([
        [false, 'Large', `kind = 'Extraction' and kg > 4`, ''],
        [true, 'Mine', `kind = 'Extraction' and kg < 4`, 'place'],
        [true, 'Heavy', `kind = 'Filling' and -kg > 1`, ''],
      ]),
    );
    await valley!.undo(batch);
    for (const [table, label] of [
      ['extractions', 'Mine'],
      ['fillings', 'Heavy'],
    ] as const)
      expect((await ask(ida!, 'GET', at(valley!, `/tables/${table}/views`))).text).toContain(`"label":"${label}"`);
    expect(await exported(valley!)).toBe(before);
  });

  test('forms follow with their conditions, presets and lists, and roles in every table', async () => {
    const role = await ask(ida!, 'POST', at(valley!, '/roles'), {
      label: 'Checker',
      others: { see: true },
      tables: {
        extractions: { see: true, fields: { checks: 'hidden' } },
        checks: { see: 'extraction.kg > 1', fields: { extraction: 'hidden' } },
      },
    });
    expect(role.status).toBe(200);
    const elsewhere = await ask(ida!, 'POST', at(valley!, '/roles'), {
      label: 'Elsewhere',
      others: { see: true },
      tables: { checks: { see: 'extraction.kg > 1', fields: { extraction: 'hidden' } } },
    });
    expect(elsewhere.status).toBe(200);
    const items = [
      { field: 'grade', preset: 'B' },
      { field: 'place', shownIf: `grade = 'B'` },
      { field: 'lot', offers: `code <> 'L9' and count(extractions) >= 0` },
      { list: 'checks', filter: `result = 'good' and extraction.kg > 0` },
    ];
    for (const [table, all] of [
      ['extractions', items],
      ['fillings', [{ field: 'jars' }, { field: 'grade', preset: 'C', hidden: true }]],
    ] as const)
      await valley!.change({
        do: 'addPart',
        kind: 'form',
        table,
        part: { label: `New ${table}`, sections: [{ label: '', about: '', columns: 1, shownIf: '', items: all }] },
      } as never);
    await valley!.change({
      do: 'addPart',
      kind: 'routine',
      table: 'extractions',
      part: {
        label: 'Heavy',
        on: true,
        when: { on: 'changed', fields: ['kg'] },
        where: 'kg > 1',
        steps: [{ do: 'set', fields: [{ field: 'place', formula: "lot.code || ' heavy'" }] }],
      },
    } as never);
    const before = await exported(valley!);
    const { batch } = await done(valley!, merge);
    const [heavy] = (await ask(ida!, 'GET', at(valley!, '/routines'))).answer.items as Record<string, unknown>[];
    expect(heavy).toMatchObject({
      table: 'movements',
      lost: [],
      tried: false,
      routine: { when: { fields: ['kg'] }, where: `kind = 'Extraction' and kg > 1` },
    });
    const formsOf = async (table: string) =>
      ((await ask(ida!, 'GET', at(valley!, `/tables/${table}/forms`))).answer.items as Record<string, never>[]).map(
        ({ form, lost }) => [(form as unknown as { sections: { items: unknown[] }[] }).sections[0]?.items, lost],
      );
    const [grade, place, , checks] = items;
    expect(await formsOf('movements')).toMatchObject([
      [
        [
          grade,
          place,
          {
            field: 'lot',
            offers: `code <> 'L9' and count(movements) filter (where movements.kind = 'Extraction') >= 0`,
          },
          checks,
          { field: 'kind', hidden: true, preset: 'Extraction' },
        ],
        [],
      ],
      [[{ field: 'jars' }, { field: 'grade', preset: 'C', hidden: true }, { preset: 'Filling' }], []],
    ]);
    const { answer } = await ask(ida!, 'GET', at(valley!, '/roles'));
    const rolesNow = Object.fromEntries(
      (answer.items as { label: string; role?: unknown }[]).map((one) => [one.label, one as Record<string, unknown>]),
    );
    for (const label of ['Checker', 'Elsewhere'])
      expect(rolesNow[label]).toMatchObject({
        lost: [],
        tables: { checks: { see: 'extraction.kg > 1', fields: { extraction: 'hidden' } } },
      });
    expect(rolesNow.Checker).toMatchObject({ tables: { movements: { see: true, fields: { checks: 'hidden' } } } });
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
  });

  test('into one of them, which keeps its records and their addresses', async () => {
    const values = await records(valley!, 'lots');
    const before = await exported(valley!);
    const { batch } = await done(valley!, {
      ...merge,
      to: 'extractions',
      fields: [...merge.fields.slice(0, 3), ...merge.fields.slice(3)],
    });
    expect(await column(valley!, 'extractions', 'id', 'kind', 'kg')).toEqual([
      [1, 'Extraction', 10],
      [2, 'Extraction', 5.5],
      [3, 'Extraction', 2],
      [4, 'Filling', -4],
      [5, 'Filling', -1],
      [6, 'Filling', -1.5],
    ]);
    expect(await column(valley!, 'lots', 'in', 'out', 'left', 'best')).toEqual(
      values.map((one) => [one.in, one.out, one.left, one.best]),
    );
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
  });

  test('what cannot follow is said before, and nothing is done', async () => {
    await valley!.change({
      do: 'addField',
      table: 'lots',
      field: { label: 'Places', type: 'formula', formula: `string_agg(extractions.place, ', ')` },
    } as never);
    const { plan, id } = await planned(valley!, {
      ...merge,
      fields: merge.fields.filter(({ label }) => label !== 'Place'),
    });
    expect(plan.problems[0]?.message).toContain('Lots.Places cannot follow');
    expect((await ask(ida!, 'POST', at(valley!, `/transfers/${id}/apply`))).status).toBe(422);
  });
});

describe('what stands in the way of a merge', () => {
  const two = (one: object, other: object, ...more: object[]) =>
    valley!.change(
      ...([
        { do: 'addTable', label: 'Sums', fields: [text('Name')] },
        { do: 'addTable', label: 'Ins', fields: [text('Code', one), { label: 'Kg', type: 'number' }] },
        { do: 'addTable', label: 'Outs', fields: [text('Code', other), { label: 'Kg', type: 'number' }] },
        ...['ins', 'outs'].map((table) => ({
          do: 'addField',
          table,
          field: { label: 'Sum', type: 'link', to: 'sums', counterpart: { label: table } },
        })),
        ...more,
      ] as never[]),
    );
  const merge = { work: 'merge', sources: [{ table: 'ins' }, { table: 'outs' }], to: { label: 'Flows' } };

  test('a code that may stand once in a table that the others go into', async () => {
    await two({ unique: true }, {});
    await valley!.insert('ins', { code: 'A', kg: 1 }, { code: 'B' });
    await valley!.insert('outs', { code: 'C', kg: 1 }, { code: 'B' });
    const before = await exported(valley!);
    const into = { ...merge, to: 'ins' };
    await expect(done(valley!, into)).rejects.toThrow(/1 record of Outs cannot come along: .*Code/);
    expect(await exported(valley!)).toBe(before);
    await valley!.write('outs', { update: [{ id: 2, values: { code: 'D' } }] });
    await done(valley!, into);
    await expect(valley!.insert('ins', { code: 'D' })).rejects.toThrow('Code');
  });

  test.each([
    ['in both', true, { code: 'B', source: 'Ins' }],
    ['in one of them only', false, null],
  ] as const)('a code that may stand once %s may do so still, among those of each', async (_, both, refused) => {
    await two({ unique: true }, { unique: both });
    await valley!.insert('ins', { code: 'A', kg: 1 }, { code: 'B' });
    await valley!.insert('outs', { code: 'C', kg: 1 }, { code: 'B' });
    const before = await exported(valley!);
    const { batch } = await done(valley!, merge);
    await valley!.insert('flows', { code: 'Z', source: 'Ins' });
    if (refused) await expect(valley!.insert('flows', refused)).rejects.toThrow('Another record has this Code');
    else await valley!.insert('flows', { code: 'B', source: 'Ins' });
    await valley!.write('flows', { remove: [5, ...(refused ? [] : [6])] });
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
  });

  test('formulas that would come from each other through the merged table', async () => {
    await two(
      {},
      {},
      { do: 'addField', table: 'ins', field: { label: 'Net', type: 'formula', formula: 'kg * 0.9' } },
      { do: 'addField', table: 'sums', field: { label: 'In', type: 'formula', formula: 'sum(ins.net)' } },
      { do: 'addField', table: 'outs', field: { label: 'Net', type: 'formula', formula: 'sum."in" / 2' } },
    );
    await valley!.insert('sums', { name: 'S' });
    await valley!.insert('ins', { kg: 2, sum: 1 });
    await valley!.insert('outs', { kg: 3, sum: 1 });
    expect(await refused(valley!, merge)).toContain(
      '“In” would be calculated from itself: Sums.In ← Flows.Net ← Sums.In',
    );
  });
});

describe('splitting off and folding in', () => {
  const flat = [
    {
      do: 'addTable',
      label: 'Swarms',
      fields: [text('Place'), text('Code'), text('Keeper'), text('Phone'), { label: 'Frames', type: 'number' }],
    },
    {
      do: 'addField',
      table: 'swarms',
      field: { label: 'Called', type: 'formula', formula: `keeper || ' ' || coalesce(phone, '-')` },
    },
  ];
  const split = {
    work: 'splitOff',
    table: 'swarms',
    by: ['code'],
    fields: ['keeper', 'phone'],
    label: 'Callers',
    linkLabel: 'Caller',
  };
  beforeEach(async () => {
    await valley!.change(...(flat as never[]));
    await valley!.insert(
      'swarms',
      { place: 'a', code: 'C1', keeper: 'Ada', phone: '1', frames: 1 },
      { place: 'b', code: 'C2', keeper: 'Bea', phone: '2', frames: 2 },
      { place: 'c', code: 'C1', keeper: 'Ada', phone: '1', frames: 3 },
      { place: 'd', frames: 4 },
    );
  });

  test('columns that a key decides become a linked table; folded in again they are columns', async () => {
    const before = await exported(valley!);
    const { batch, receipt } = await done(valley!, split);
    expect(receipt.formulas).toMatchObject([{ field: 'Swarms.Called', records: 4, differ: 0 }]);
    expect(await column(valley!, 'callers', 'code', 'keeper', 'phone')).toEqual([
      ['C1', 'Ada', '1'],
      ['C2', 'Bea', '2'],
    ]);
    expect(await column(valley!, 'swarms', 'caller', 'called')).toEqual([
      ['Ada', 'Ada 1'],
      ['Bea', 'Bea 2'],
      ['Ada', 'Ada 1'],
      [null, null],
    ]);
    const { batch: second } = await done(valley!, { work: 'foldIn', table: 'swarms', link: 'caller' });
    expect(await column(valley!, 'swarms', 'code', 'keeper', 'phone', 'called')).toEqual([
      ['C1', 'Ada', '1', 'Ada 1'],
      ['C2', 'Bea', '2', 'Bea 2'],
      ['C1', 'Ada', '1', 'Ada 1'],
      [null, null, null, null],
    ]);
    await valley!.undo(second);
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
  });

  test('exceptions are refused until they are decided', async () => {
    await valley!.insert('swarms', { place: 'e', code: 'C1', keeper: 'Ada', phone: '9' });
    const { id } = await planned(valley!, split);
    const { answer } = await ask(ida!, 'POST', at(valley!, `/transfers/${id}/apply`));
    expect(answer.detail).toBe('Swarms.Called would have another value on 1 record.');
    const { receipt } = await done(valley!, {
      ...split,
      decisions: [{ where: `code = 'C1'`, set: [{ field: 'phone', formula: `'9'` }] }],
    });
    expect(receipt.formulas[0]?.differ).toBe(0);
    expect(await column(valley!, 'callers', 'phone')).toEqual(['9', '2']);
  });
});

describe('columns and rows', () => {
  beforeEach(async () => {
    await valley!.change(
      {
        do: 'addTable',
        label: 'Rainfall',
        fields: [text('Gauge'), ...['Jan', 'Feb', 'Mar'].map((label) => ({ label, type: 'number' }))],
      } as never,
      {
        do: 'addField',
        table: 'rainfall',
        field: { label: 'Total', type: 'formula', formula: 'coalesce(jan, 0) + coalesce(feb, 0) + coalesce(mar, 0)' },
      } as never,
    );
    await valley!.insert('rainfall', { gauge: 'North', jan: 10, feb: 20.5 }, { gauge: 'South', feb: 0, mar: 4 });
  });

  test('columns become rows under a link, and columns again', async () => {
    const before = await exported(valley!);
    const { batch, receipt } = await done(valley!, {
      work: 'toRows',
      table: 'rainfall',
      label: 'Months',
      nameLabel: 'Month',
      valueLabel: 'Rain',
      remove: true,
      columns: ['jan', 'feb', 'mar'].map((field) => ({ field })),
    });
    expect(await column(valley!, 'months', 'rainfall', 'period', 'rain')).toEqual([
      ['North', 'Jan', 10],
      ['North', 'Feb', 20.5],
      ['South', 'Feb', 0],
      ['South', 'Mar', 4],
    ]);
    expect(receipt.formulas).toMatchObject([{ field: 'Rainfall.Total', differ: 0 }]);
    expect(await column(valley!, 'rainfall', 'total')).toEqual([30.5, 4]);
    await valley!.insert('months', { rainfall: 1, period: 'Jan', rain: 1 });
    const { batch: second } = await done(valley!, {
      work: 'toColumns',
      table: 'months',
      link: 'rainfall',
      name: 'period',
      value: 'rain',
      clash: 'sum',
      columns: [
        { is: `'Jan'`, label: 'January' },
        { is: `'Mar'`, label: 'March' },
      ],
    });
    expect(await column(valley!, 'rainfall', 'january', 'march')).toEqual([
      [11, null],
      [null, 4],
    ]);
    await valley!.undo(second);
    await valley!.insert('months', { period: 'Jan', rain: 9 }, { rainfall: 1, rain: 8 }, { rainfall: 2 });
    const gone = { work: 'toColumns', table: 'months', link: 'rainfall', name: 'period', value: 'rain', clash: 'sum' };
    const columns = [{ is: `'Jan'`, label: 'January' }];
    const { plan } = await planned(valley!, { ...gone, columns, remove: true });
    expect(plan.left).toEqual([
      { words: 'of Months come into no column and go to the bin with their table', count: 5 },
    ]);
    expect((await planned(valley!, { ...gone, columns })).plan.left).toEqual([]);
    await valley!.write('months', { remove: [6, 7, 8] });
    await valley!.write('months', { remove: [5] });
    await valley!.undo(batch);
    expect(await exported(valley!)).toBe(before);
  });
});

test('fields may be called what statements use', async () => {
  const words = ['source', 'target', 'refused', 'rep', 'id', 'now', 'changes', 'n', 'r', 's', 't'];
  const fields = words.map((label) => text(label));
  await valley!.change(
    { do: 'addTable', label: 'Odd', fields: [...fields, text('Code', { unique: true })] } as never,
    { do: 'addTable', label: 'Even', fields: [...fields, text('Code', { unique: true })] } as never,
    { do: 'addRule', table: 'odd', message: 'Named', condition: `id <> 'x'` } as never,
  );
  await valley!.insert(
    'odd',
    ...[1, 2].map((n) => ({ ...Object.fromEntries(words.map((word) => [word, `${word}${n}`])), code: `c${n}` })),
  );
  await done(valley!, {
    work: 'fill',
    table: 'odd',
    set: words.map((field) => ({ field, formula: `${field} || '!'` })),
  });
  await done(valley!, { work: 'move', table: 'odd', to: 'even' });
  expect(await column(valley!, 'even', ...words)).toEqual([1, 2].map((n) => words.map((word) => `${word}${n}!`)));
  await done(valley!, { work: 'splitOff', table: 'even', by: ['source'], fields: words.slice(1), label: 'Parts' });
  await done(valley!, {
    work: 'merge',
    sources: [{ table: 'odd' }, { table: 'parts' }],
    to: { label: 'All parts' },
    markLabel: 'Kind',
  });
  expect(await column(valley!, 'all_parts', 'source', 'id')).toEqual([
    ['source1!', 'id1!'],
    ['source2!', 'id2!'],
  ]);
});

describe('who may', () => {
  test('nobody without the right, and nobody sees another’s transfers', async () => {
    const { id } = await planned(valley!, {
      work: 'fill',
      table: 'hives',
      set: [{ field: 'number', formula: `number || 'x'` }],
    });
    await ask(ida!, 'POST', at(valley!, '/members'), { person: tom!.id, role: 'reader' });
    expect(
      await refused(valley!, { work: 'fill', table: 'hives', set: [{ field: 'number', formula: `'x'` }] }, tom),
    ).toContain('this needs someone who may change records');
    expect((await ask(tom!, 'GET', at(valley!, `/transfers/${id}`))).status).toBe(404);
    await ask(ida!, 'PATCH', at(valley!, `/members/${tom!.id}`), { role: 'editor' });
    expect(await refused(valley!, { work: 'move', table: 'hives', to: `${river!.key}.hives` }, tom)).toContain(
      'no such workspace',
    );
  });

  /** Tom may see inspections of more than three frames only, and change what he sees. */
  const withRole = async (fields: Record<string, string> = {}) => {
    const all = { see: true, enter: true, change: true, delete: true };
    const { answer } = await ask(ida!, 'POST', at(valley!, '/roles'), {
      label: `Some ${Object.keys(fields).join(' ')}`,
      workspace: [],
      others: all,
      tables: { inspections: { ...all, see: 'frames > 3', fields } },
    });
    expect(answer).toHaveProperty('id');
    return answer.id;
  };

  test('with what somebody sees of it, wherever links lead', async () => {
    await ask(ida!, 'POST', at(valley!, '/members'), { person: tom!.id, role: await withRole() });
    await valley!.change(
      { do: 'addTable', label: 'Old hives', fields: [text('Number')] } as never,
      {
        do: 'addTable',
        label: 'Old inspections',
        fields: [{ label: 'Frames', type: 'number' }, text('Remark')],
      } as never,
      {
        do: 'addField',
        table: 'old_inspections',
        field: { label: 'Hive', type: 'link', to: 'old_hives', counterpart: { label: 'Inspections' } },
      } as never,
    );
    await done(valley!, { work: 'move', copy: true, table: 'hives', to: 'old_hives' }, tom);
    expect(await column(valley!, 'old_inspections', 'frames')).toEqual([4, 6.5]);
    const fill = {
      work: 'fill',
      table: 'old_hives',
      set: [{ field: 'number', formula: `coalesce(string_agg(inspections.remark, ','), number)` }],
    };
    await valley!.write('inspections', { update: [1, 3].map((id) => ({ id, values: { remark: 'quiet' } })) });
    const plan = await planned(valley!, { ...fill, table: 'hives' }, tom);
    expect(plan.plan.samples.map(({ after }) => after)).toEqual(['quiet,swarm']);
    const { batch } = await done(valley!, { ...fill, table: 'hives' }, tom);
    expect(await column(valley!, 'hives', 'number')).toEqual(['quiet,swarm', 'H2', 'H3']);
    await valley!.undo(batch);
  });

  test('with the role of the moment in which it is done', async () => {
    await ask(ida!, 'POST', at(valley!, '/members'), { person: tom!.id, role: 'editor' });
    const less = await withRole({ day: 'hidden' });
    const { id } = await planned(
      valley!,
      { work: 'fill', table: 'hives', set: [{ field: 'number', formula: `min(inspections.day)` }] },
      tom,
    );
    await ask(ida!, 'PATCH', at(valley!, `/members/${tom!.id}`), { role: less });
    for (const way of ['dry-run', 'apply'])
      expect((await ask(tom!, 'POST', at(valley!, `/transfers/${id}/${way}`))).status).toBe(404);
    expect(await column(valley!, 'hives', 'number')).toEqual(['H1', 'H2', 'H3']);
  });

  test('once, though two windows ask for it at the same time', async () => {
    const { id } = await planned(valley!, {
      work: 'fill',
      table: 'inspections',
      set: [{ field: 'frames', formula: 'frames * 2' }],
    });
    const answers = await Promise.all([1, 2, 3].map(() => ask(ida!, 'POST', at(valley!, `/transfers/${id}/apply`))));
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 409, 409]);
    expect(await column(valley!, 'inspections', 'frames')).toEqual([8, 13, 6, 4]);
  });
});
