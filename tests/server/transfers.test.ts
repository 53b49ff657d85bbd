import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import type { TransferReceipt } from '$core/transfer/receipt';
import type { TransferOut } from '$server/transfer/transfers';
import { called, endpointAt } from '../safety/calling';
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

async function ask(by: Person, method: string, path: string, body?: unknown) {
  const { endpoint, params } = endpointAt(method, path.split('?')[0] ?? '');
  const query = Object.fromEntries(new URLSearchParams(path.split('?')[1]));
  const { status, text: answer } = await called(pool, by, endpoint, params, query, body);
  return { status, text: answer, answer: JSON.parse(answer) as Record<string, unknown> };
}
const at = (place: Place, rest = ''): string => `/api/workspaces/${place.key}${rest}`;

async function planned(place: Place, transfer: unknown, by = ida!): Promise<TransferOut> {
  const { status, text: answer } = await ask(by, 'POST', at(place, '/transfers'), transfer);
  if (status !== 200) throw new Error(answer);
  return JSON.parse(answer) as TransferOut;
}
async function done(
  place: Place,
  transfer: unknown,
  by = ida!,
): Promise<TransferOut & { receipt: TransferReceipt; batch: number }> {
  const { id } = await planned(place, transfer, by);
  const { status, text: answer } = await ask(by, 'POST', at(place, `/transfers/${id}/apply`));
  if (status !== 200) throw new Error(answer);
  return JSON.parse(answer) as never;
}
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

/** The whole of a workspace as it is taken out: what an undo has to bring back. */
async function exported(place: Place): Promise<string> {
  const { answer } = await ask(ida!, 'GET', at(place, '/model'));
  const tables = (answer.tables as { key: string }[]).map(({ key }) => key);
  const all: unknown[] = [answer.tables];
  for (const table of tables)
    all.push((await ask(ida!, 'GET', at(place, `/tables/${table}/records?limit=500`))).answer.items);
  return JSON.stringify(all, (key, value: unknown) =>
    ['version', 'changed', 'last_changed', 'last_changed_by'].includes(key) ? undefined : value,
  );
}

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
});
