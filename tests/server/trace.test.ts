import { afterAll, beforeAll, expect, test } from 'vitest';
import { fieldNamed } from '$core/model/model';
import { tableAt, authorize, type Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { traceField } from '$server/query/trace';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let home: Place;
let pell: Person;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('trace'));
  const ida = await makePerson(pool, 'Ida');
  pell = await makePerson(pool, 'Pell');
  home = await makePlace(pool, ida, 'Traced');
  await join(pool, await home.access(), pell, 'reader');
  await home.change(
    { do: 'addTable', label: 'Plants', fields: [{ label: 'Name', type: 'text' }] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        { label: 'Number', type: 'text' },
        { label: 'Weight', type: 'number', digits: null, internal: true },
      ],
    },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Kg', type: 'number', digits: null, unit: 'kg' },
        { label: 'Hive', type: 'link', to: 'hives', counterpart: { label: 'Visits' } },
        { label: 'Forage', type: 'link', to: 'plants', many: true, counterpart: { label: 'Seen on' } },
      ],
      title: 'day',
    },
    {
      do: 'addField',
      table: 'hives',
      field: {
        label: 'Taken',
        type: 'formula',
        formula: "sum(visits.kg) filter (where visits.day >= date '2026-01-01')",
      },
    },
    {
      do: 'addField',
      table: 'hives',
      field: { label: 'Each', type: 'formula', formula: 'taken / (count(visits) - 3)' },
    },
    { do: 'addField', table: 'hives', field: { label: 'Last', type: 'formula', formula: 'max(visits.day)' } },
    {
      do: 'addField',
      table: 'hives',
      field: { label: 'Plants', type: 'formula', formula: "string_agg(distinct visits.forage.name, ', ')" },
    },
    { do: 'addField', table: 'hives', field: { label: 'Twice', type: 'formula', formula: 'weight * 2' } },
    { do: 'addField', table: 'visits', field: { label: 'Share', type: 'formula', formula: 'kg / hive.taken' } },
  );
  await home.insert('plants', { name: 'heather' }, { name: 'linden' });
  await home.insert('hives', { number: 'H-1', weight: 3 }, { number: 'H-2' });
  await home.insert(
    'visits',
    { day: '2025-12-31', kg: 99, hive: 1, forage: [1] },
    { day: '2026-02-01', kg: 2, hive: 1, forage: [1, 2] },
    { day: '2026-03-01', kg: -5, hive: 1 },
  );
});
afterAll(() => drop());

async function trace(table: string, key: string, id: number, person?: Person) {
  const access = person ? await authorize(pool, person, home.key, 'see') : await home.access();
  const found = tableAt(access, table);
  const field = fieldNamed(found, key);
  if (!field) throw new Error(key);
  return traceField(pool, access, found, field, id);
}

test('an aggregate lists what went into it, by share, without what its filter leaves out', async () => {
  const { record, step, gathered } = await trace('hives', 'taken', 1);
  expect([record, step.value, step.gathers]).toEqual(['H-1', '-3', 0]);
  expect(gathered).toMatchObject([
    {
      table: { key: 'visits' },
      total: 2,
      records: [
        { title: '2026-03-01', value: '-5' },
        { title: '2026-02-01', value: '2' },
      ],
    },
  ]);
  const last = await trace('hives', 'last', 1);
  expect(last.gathered[0]?.records.map(({ value }) => value)).toEqual(['2026-03-01', '2026-02-01', '2025-12-31']);
  const plants = await trace('hives', 'plants', 1);
  expect([plants.step.value, plants.gathered[0]?.total, plants.gathered[0]?.table.key]).toEqual([
    'heather, linden',
    3,
    'plants',
  ]);
});

test('blanks and divisions by zero are named', async () => {
  const { step } = await trace('hives', 'each', 1);
  expect([step.value, step.note]).toEqual([null, 'divided by 0']);
  expect(step.parts.map(({ text, value }) => [text, value])).toEqual([
    ['taken', '-3'],
    ['count(visits) - 3', '0'],
  ]);
  const share = await trace('visits', 'share', 2);
  expect(share.step.parts.map(({ text, value }) => [text, value])).toEqual([
    ['kg', '2'],
    ['hive.taken', '-3'],
  ]);
  const empty = await trace('hives', 'last', 2);
  expect([empty.step.value, empty.step.note, empty.gathered[0]?.total]).toEqual([null, 'no values to gather', 0]);
});

test('only what one may see is traced', async () => {
  expect(await home.refused(trace('hives', 'twice', 1, pell))).toContain('not calculated from what you may see');
  expect((await trace('hives', 'twice', 1)).step.value).toBe('6');
  expect(await home.refused(trace('hives', 'number', 1))).toContain('Choose a calculated field');
  expect(await home.refused(trace('hives', 'taken', 999))).toContain('no such record');
});

test('more than a hundred are counted whole and shown in part', async () => {
  const [made] = await home.insert('hives', { number: 'H-3' });
  await home.insert(
    'visits',
    ...Array.from({ length: 130 }, (_, index) => ({ day: '2026-04-01', kg: index, hive: made!.id })),
  );
  const { step, gathered } = await trace('hives', 'taken', made!.id);
  expect([step.value, gathered[0]?.total, gathered[0]?.records.length, gathered[0]?.records[0]?.value]).toEqual([
    '8385',
    130,
    100,
    '129',
  ]);
});
