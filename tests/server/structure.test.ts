import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { changesToRemoveTable } from '$core/changes/change';
import type { Change } from '$core/types/change';
import { fieldNamed, tableNamed } from '$core/model/model';
import type { FieldType } from '$core/types/field';
import { parseValue, printValue, type EnteredType, type Reading } from '$core/fieldTypes/registry';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { Refusal } from '$server/base/refusal';
import { readSql } from '$server/fieldTypes/registry';
import { applyPlan, makePlan } from '$server/structure/plan';
import { undoBatch } from '$server/history/undo';
import { writeRecords } from '$server/entry/write';
import { changeNow, formulaField, linkField, plainField, plainTable } from './changes';
import { freshDatabase, makePerson, makeAccess } from './database';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let access: WorkspaceAccess;
const again = async () => (access = await authorize(pool, ida, 'shape', 'design'));
const column = async (table: string, key: string): Promise<unknown[]> =>
  (await pool.query(`select ${key} as v from shape.${table} order by _id`)).rows.map(({ v }: { v: unknown }) => v);
const change = async (...changes: Change[]) => {
  const batch = await changeNow(pool, access, changes);
  await again();
  return batch;
};

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('structure'));
  ida = await makePerson(pool, 'Ida');
  access = await makeAccess(pool, ida, 'Shape');
  const hives = plainTable('hives', [
    plainField('number', { kind: 'text' }, { unique: true }),
    plainField('weight', { kind: 'text' }),
  ]);
  const visits = plainTable('visits', [plainField('day', { kind: 'date' })]);
  await change(
    { do: 'addTable', table: hives, at: 0 },
    { do: 'addTable', table: visits, at: 1 },
    linkField(visits, hives, 'hive', 'visits'),
  );
  await writeRecords(pool, access, 'hives', {
    insert: ['12.50', 'heavy', '007', null, '3'].map((weight, i) => ({ values: { number: `H-${i}`, weight } })),
  });
  await writeRecords(pool, access, 'visits', {
    insert: [{ values: { day: '2026-05-02', hive: 1 } }, { values: { day: '2026-05-01', hive: 1 } }],
  });
});
afterAll(() => drop());

describe('plans', () => {
  test('count what they would do, write nothing, are applied once and to the structure they were made for', async () => {
    const formula = formulaField(access, tableAt(access, 'hives'), 'last_visit', 'max(visits.day)');
    const plan = await makePlan(pool, access, [formula]);
    expect(plan).toMatchObject({
      possible: true,
      effects: [
        {
          change: 'new field hives.last visit',
          counts: [{ what: 'records calculated', count: 5 }],
          duration: 'instant',
        },
      ],
    });
    expect(plan.effects[0]?.samples[0]).toEqual({ record: 'H-0', before: '', after: '2026-05-02' });
    expect(fieldNamed(tableAt(await again(), 'hives'), 'last_visit')).toBeUndefined();
    const other = await makePlan(pool, access, [formula]);
    const { batch } = await applyPlan(pool, access, plan.id);
    for (const [id, message] of [
      [plan.id, 'applied already'],
      [other.id, 'moved on'],
    ] as const)
      await expect(applyPlan(pool, access, id)).rejects.toThrow(message);
    await again();
    expect((await column('hives', 'last_visit'))[0]).toBe('2026-05-02');
    await undoBatch(pool, access, batch);
    expect(fieldNamed(tableAt(await again(), 'hives'), 'last_visit')).toBeUndefined();
  });

  test('a plan that cannot be done says why and is not applied', async () => {
    const hives = tableAt(access, 'hives');
    const weight = fieldNamed(hives, 'weight')!;
    const plan = await makePlan(pool, access, [
      { do: 'changeField', table: hives.id, field: weight.id, set: { required: true } },
    ]);
    expect(plan.possible).toBe(false);
    expect(plan.effects[0]?.breaks[0]?.message).toContain('1 record has');
    await expect(applyPlan(pool, access, plan.id)).rejects.toThrow('1 record has');
  });

  test('renames follow everywhere; what a formula uses cannot go', async () => {
    await change(formulaField(access, tableAt(access, 'hives'), 'last_visit', 'max(visits.day)'));
    const visits = tableAt(access, 'visits');
    const day = fieldNamed(visits, 'day')!;
    await change(
      { do: 'changeField', table: visits.id, field: day.id, set: { key: 'seen_on' } },
      { do: 'changeTable', table: visits.id, set: { key: 'inspections', label: 'Inspections' } },
    );
    await writeRecords(pool, access, 'inspections', { update: [{ id: 1, values: { seen_on: '2026-07-07' } }] });
    expect((await column('hives', 'last_visit'))[0]).toBe('2026-07-07');
    const plan = await makePlan(pool, access, [{ do: 'removeField', table: visits.id, field: day.id }]);
    expect(plan.effects[0]?.breaks[0]?.message).toContain('hives.last visit');
  });

  test('a table goes to the bin and comes back with records, links and rules', async () => {
    const before = access.workspace.model;
    const last = fieldNamed(tableAt(access, 'hives'), 'last_visit')!;
    const batch = await change(
      { do: 'removeField', table: tableAt(access, 'hives').id, field: last.id },
      ...changesToRemoveTable(before, tableAt(access, 'inspections').id),
    );
    expect(tableNamed(access.workspace.model, 'inspections')).toBeUndefined();
    await undoBatch(pool, access, batch);
    await again();
    expect(access.workspace.model).toEqual(before);
    expect(await column('inspections', 'hive')).toEqual([1, 1]);
    expect((await column('hives', 'last_visit'))[0]).toBe('2026-07-07');
    const refused = await writeRecords(pool, access, 'inspections', { insert: [{ values: { hive: 99 } }] }).catch(
      (error: Refusal) => error.message,
    );
    expect(refused).toContain('not there');
  });

  test('a new type sets aside what does not fit, and going back gives the original text', async () => {
    const hives = tableAt(access, 'hives');
    const weight = fieldNamed(hives, 'weight')!;
    const number: FieldType = { kind: 'number', digits: null };
    const plan = await makePlan(pool, access, [
      { do: 'changeField', table: hives.id, field: weight.id, set: { type: number }, keep: 'k_weight' },
    ]);
    expect(plan.effects[0]).toMatchObject({
      counts: [
        { what: 'values converted', count: 3 },
        { what: 'values set aside', count: 1 },
      ],
      samples: [{ record: 'H-1', before: 'heavy', after: 'set aside' }],
    });
    const { batch } = await applyPlan(pool, access, plan.id);
    await again();
    expect(await column('hives', 'weight')).toEqual(['12.50', null, '7', null, '3']);
    expect((await pool.query('select record_id, text from loom.set_aside')).rows).toEqual([
      { record_id: 2, text: 'heavy' },
    ]);
    await writeRecords(pool, access, 'hives', { update: [{ id: 5, values: { weight: 4 } }] });
    await undoBatch(pool, access, batch);
    await again();
    expect(await column('hives', 'weight')).toEqual(['12.50', 'heavy', '007', null, '4']);
    expect((await pool.query('select 1 from loom.set_aside')).rowCount).toBe(0);
  });

  test('options keep their identity through a rename, and those removed set their values aside', async () => {
    const hives = tableAt(access, 'hives');
    const options = [
      { id: 'calm', label: 'calm', dye: 'moss' },
      { id: 'wild', label: 'wild', dye: 'rust' },
    ] as const;
    const field = plainField('temper', { kind: 'option', options });
    await change(
      { do: 'addField', table: hives.id, field, at: 1 },
      formulaField(access, hives, 'tag', "number || '!'"),
    );
    await writeRecords(pool, access, 'hives', {
      update: [
        { id: 1, values: { temper: 'calm' } },
        { id: 2, values: { temper: 'wild' } },
      ],
    });
    await change(formulaField(access, tableAt(access, 'hives'), 'mood', "'is ' || temper"));
    await change({
      do: 'changeField',
      table: hives.id,
      field: field.id,
      set: { type: { kind: 'option', options: [{ ...options[0], label: 'gentle' }, options[1]] } },
      keep: 'k_renamed',
    });
    expect((await column('hives', 'mood')).slice(0, 2)).toEqual(['is gentle', 'is wild']);
    await change({
      do: 'changeField',
      table: hives.id,
      field: field.id,
      set: { type: { kind: 'option', options: [options[1]] } },
      keep: 'k_removed',
    });
    expect((await column('hives', 'temper')).slice(0, 2)).toEqual([null, 'wild']);
    expect((await pool.query('select text from loom.set_aside')).rows).toEqual([{ text: 'gentle' }]);
  });
});

test('reading in SQL gives what reading in the core gives, on nasty texts', async () => {
  const texts = [
    '1',
    '-1.5',
    '+2',
    '.5',
    '5.',
    '1,234',
    '12,34',
    '1.234,5',
    '1,5',
    '7E5',
    '0x1',
    '−3',
    '9'.repeat(30),
    '9'.repeat(31),
    `0.${'1'.repeat(31)}`,
    '3.4500',
    '1 000',
    'NaN',
    'Infinity',
    '2026-05-16',
    '2026-5-6',
    '2026-02-30',
    '2024-02-29',
    '0000-01-01',
    '9999-12-31',
    '16.05.2026',
    '05/16/2026',
    '31/12/2026',
    '2026-13-01',
    '2026-00-10',
    '20260516',
    'yes',
    'No',
    'TRUE',
    'x',
    'ja',
    'SÍ',
    'maybe',
    '1',
    '0',
    'Calm',
    'calm',
    'CALM',
    "Wild 'n' loud",
    'wild',
    'x'.repeat(50),
    'ß',
    '🐝',
    '%',
    '\\',
    "'",
  ];
  const types: EnteredType[] = [
    { kind: 'text' },
    { kind: 'text', maxLength: 4 },
    { kind: 'number', digits: null },
    { kind: 'number', digits: 0 },
    { kind: 'number', digits: 2 },
    { kind: 'yesNo' },
    { kind: 'date' },
    {
      kind: 'option',
      options: [
        { id: 'calm', label: 'Calm', dye: 'moss' },
        { id: 'wild', label: "Wild 'n' loud", dye: 'rust' },
      ],
    },
    { kind: 'link', to: 't', onDelete: 'clear', counterpart: 'f' },
  ];
  const readings: Reading[] = [
    { decimal: '.', dateOrder: 'ymd' },
    { decimal: ',', dateOrder: 'dmy' },
    { decimal: '.', dateOrder: 'mdy' },
  ];
  for (const type of types)
    for (const reading of readings) {
      const { rows } = await pool.query<{ t: string; v: string | boolean | number | null }>(
        `select t, ${readSql('t', type, reading)} as v from unnest($1::text[]) t`,
        [texts],
      );
      for (const { t, v } of rows) {
        const parsed = parseValue(t, type, reading);
        const expected = parsed.ok ? parsed.value : null;
        const found =
          v !== null && type.kind === 'number'
            ? printValue(
                String(v)
                  .replace(/(\.\d*?)0+$/, '$1')
                  .replace(/\.$/, ''),
                { kind: 'number', digits: null },
              )
            : v;
        expect(found, `${type.kind} ${JSON.stringify(reading)} “${t}”`).toEqual(expected);
      }
    }
});
