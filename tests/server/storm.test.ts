import { afterAll, beforeAll, expect, test } from 'vitest';
import { readTransfer } from '$core/transfer/works';
import { tableAt, type Person } from '$server/access/workspaceAccess';
import { Refusal } from '$server/base/refusal';
import { feedDifferences } from '$server/structure/feeds';
import { makeTransfer, runTransfer } from '$server/transfer/transfers';
import type { Pool } from '$server/database/pool';
import { buildStorm, lookups, rollups, wrongAfter } from '../storm/world';
import { stormWithKill } from '../storm/withKill';
import { storm } from '../storm/writers';
import { freshDatabase, makePerson, makeAccess } from './database';
import { Place, text } from './place';

const writers = 8;
const seconds = 4;
const writes = 100;

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let ida: Person;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('storm'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

test.each([
  ['sums upwards only, side by side', 'up', rollups],
  ['lookups that come down again, by turns', 'down', [...rollups, ...lookups]],
])(
  `${writers} people writing at once leave every calculated value right: %s`,
  async (_, label, formulas) => {
    await makeAccess(pool, ida, label);
    const access = await buildStorm(pool, ida, label, formulas);
    const { done, faults } = await storm(pool, access, writers, seconds, writes);
    expect(faults).toEqual([]);
    expect(done).toBeGreaterThanOrEqual(writes);
    expect(await wrongAfter(pool, access)).toEqual([]);
  },
  60_000,
);

test('a process that is killed in the middle of its writes leaves no value wrong', async () => {
  await makeAccess(pool, ida, 'killed');
  const access = await buildStorm(pool, ida, 'killed', [...rollups, ...lookups]);
  const { done, faults, killed } = await stormWithKill(pool, url, access, writers, seconds);
  expect(killed).toBe(true);
  expect(faults).toEqual([]);
  expect(done).toBeGreaterThan(seconds * 5);
  expect(await wrongAfter(pool, access)).toEqual([]);
}, 60_000);

test(`${writers} people write, records move between two tables and back, others are merged in, and a feed of both follows`, async () => {
  const { workspace } = await makeAccess(pool, ida, 'fed');
  const key = workspace.key;
  await buildStorm(pool, ida, key, rollups);
  const place = new Place(pool, key, ida);
  await place.change(
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Frames', type: 'number', digits: 0 },
        { label: 'Hive', type: 'link', to: 'hives', counterpart: { label: 'Visits' }, onDelete: 'remove' },
      ],
    },
    { do: 'addTable', label: 'Persons', fields: [text('Name')] },
  );
  await place.insert('persons', { name: 'Tom' }, { name: 'Wren' });
  const transfer = async (json: Record<string, unknown>): Promise<number> => {
    const access = await place.access();
    const read = readTransfer(access.workspace.model, json);
    if (!read.ok) throw new Error(read.problem.message);
    const { id } = await makeTransfer(pool, access, read.value);
    return (await runTransfer(pool, await place.access(), id, false)).batch ?? 0;
  };
  await transfer({
    work: 'feed',
    sources: [
      { table: 'inspections', where: 'frames > 3', mark: 'inspection' },
      { table: 'visits', where: 'hive.apiary.frames > 0', mark: 'visit' },
    ],
    to: { label: 'Work' },
    fields: ['day', 'frames'].map((one) => ({ label: one, from: { inspections: one, visits: one } })),
  });
  await place.change(
    { do: 'addField', table: 'work', field: text('Note') },
    { do: 'addField', table: 'work', field: { label: 'Person', type: 'link', to: 'persons', onDelete: 'clear' } },
    { do: 'addField', table: 'persons', field: { label: 'Frames', type: 'formula', formula: 'sum(work.frames)' } },
    { do: 'addField', table: 'persons', field: { label: 'Pieces', type: 'formula', formula: 'count(work)' } },
  );
  const access = await place.access();
  let over = false;
  const [noted, merged, undone, faultsOfOwn]: [number[], number[], number[], string[]] = [[], [], [], []];
  /** What is done to records by others meanwhile is no fault. */
  const isClash = (error: unknown) =>
    error instanceof Refusal && (error.status === 409 || /is not there|deleted meanwhile/.test(error.message));
  const pick = async (table: string) =>
    (await pool.query<{ id: number }>(`select _id as id from ${key}.${table} order by random() limit 4`)).rows.map(
      ({ id }) => id,
    );
  const meanwhile = (work: () => Promise<unknown>) =>
    (async () => {
      while (!over)
        await work().then(
          () => noted.push(1),
          (error: unknown) => {
            if (!isClash(error)) faultsOfOwn.push((error as Error).message);
          },
        );
    })();
  const notes = meanwhile(async () => {
    const ids = await pick('work');
    const update = ids.map((id) => ({ id, values: { note: String(Math.random()), person: 1 + (id % 2) } }));
    await place.write('work', { update });
  });
  const moves = meanwhile(async () => {
    const [from, to] = Math.random() < 0.5 ? ['inspections', 'visits'] : ['visits', 'inspections'];
    const batch = await transfer({ work: 'move', table: from, where: '', records: await pick(from!), to });
    if (Math.random() < 0.3) await place.undo(batch);
  });
  let tables = 0;
  const merges = meanwhile(async () => {
    const [key, label] = [`extra_${++tables}`, `Extra ${tables}`];
    const hive = { label: 'Hive', type: 'link', to: 'hives', counterpart: { label }, onDelete: 'remove' } as const;
    await place.change(
      {
        do: 'addTable',
        label,
        fields: [
          { label: 'Day', type: 'date' },
          { label: 'Frames', type: 'number', digits: 0 },
        ],
      },
      { do: 'addField', table: key, field: hive },
      {
        do: 'addField',
        table: 'hives',
        field: { label: `Of ${label}`, type: 'formula', formula: `sum(${key}.frames)` },
      },
    );
    const hives = await pick('hives');
    await place.insert(key, ...hives.map((id) => ({ day: '2026-02-03', frames: 2 + (id % 5), hive: id })));
    const batch = await transfer({
      work: 'merge',
      sources: [{ table: 'visits' }, { table: key }],
      to: 'visits',
      markLabel: `Source ${tables}`,
    });
    merged.push(batch);
    if (tables % 2 === 0) await place.undo(batch).then(() => undone.push(batch));
  });
  const { done, faults } = await storm(pool, access, writers, seconds, writes);
  over = true;
  await Promise.all([notes, moves, merges]);
  expect(merged.length).toBeGreaterThan(1);
  expect([faults, faultsOfOwn]).toEqual([[], []]);
  expect(done).toBeGreaterThanOrEqual(writes);
  expect(noted.length).toBeGreaterThan(5);
  const now = await place.access();
  expect(await wrongAfter(pool, now)).toEqual([]);
  const check = await feedDifferences(pool, now, tableAt(now, 'work'));
  expect(check).toMatchObject({ lacking: 0, beyond: 0 });
  expect(check.fields.filter(({ differ }) => differ > 0)).toEqual([]);
  const { rows } = await pool.query(
    `select 'i' from ${key}.inspections where hive is null union all select 'v' from ${key}.visits where hive is null`,
  );
  expect(rows).toEqual([]);
}, 90_000);
