import { afterAll, beforeAll, expect, test } from 'vitest';
import { checkCondition } from '$core/formula/checker';
import { fieldNamed } from '$core/model/model';
import { tableAt, type Person } from '$server/access/seat';
import type { Pool } from '$server/database/pool';
import { findingsOf } from '$server/tables/findings';
import { countRecords } from '$server/tables/read';
import { traceField } from '$server/tables/trace';
import { freshDatabase, makePerson } from './database';
import { makePlace, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let home: Place;

const formula = (table: string, label: string, text: string) => ({ do: 'addField' as const, table, field: { label, type: 'formula' as const, formula: text } });

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('findings'));
  ida = await makePerson(pool, 'Ida');
  home = await makePlace(pool, ida, 'Findings');
  await home.change(
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        { label: 'Number', type: 'text' },
        { label: 'Born', type: 'date' },
        { label: 'Kept', type: 'yesNo' },
        { label: 'Mother', type: 'link', to: 'hives', counterpart: { label: 'Daughters' }, onDelete: 'clear' },
      ],
    },
    {
      do: 'addTable',
      label: 'Counts',
      fields: [
        { label: 'Mites', type: 'number', digits: 0 },
        { label: 'Bees', type: 'number', digits: null },
        { label: 'Paid', type: 'money', currency: null },
        { label: 'Hive', type: 'link', to: 'hives', counterpart: { label: 'Counts' } },
      ],
    },
    formula('counts', 'Rate', 'mites / bees'),
    formula('counts', 'Huge', 'bees * bees * bees'),
    formula('hives', 'Paid', 'sum(counts.paid)'),
    formula('hives', 'Worst', 'max(counts.mites / counts.bees)'),
    formula('hives', 'Due', "case when kept then born + 14 when number = 'x' then date '2026-01-01' end"),
    formula('hives', 'Generation', 'coalesce(mother.generation + 1, 0)'),
  );
  await home.insert(
    'hives',
    { number: 'H-1', born: '2026-01-01', kept: true },
    { number: 'H-2', kept: true },
    { number: 'H-3', kept: false },
    { number: 'H-4', kept: false, mother: 3 },
  );
  await home.write('hives', { update: [{ id: 3, values: { mother: 4 } }] });
  await home.insert(
    'counts',
    { mites: 3, bees: 300, hive: 1, paid: '3.50 EUR' },
    { mites: 3, bees: 0, hive: 1, paid: '2 GBP' },
    { mites: null, bees: 100, hive: 2, paid: '3.50 EUR' },
    { mites: 0, bees: '99999999999', hive: 2, paid: '1 EUR' },
  );
});
afterAll(() => drop());

test('every reason for a blank is found with its records, counted by a formula that can be a filter', async () => {
  const seat = await home.seat();
  const found = new Map<string, number[]>();
  for (const name of ['hives', 'counts']) {
    const table = tableAt(seat, name);
    for (const { kind, field, words, part, count, filter, records } of await findingsOf(pool, seat, table)) {
      found.set(
        `${name}.${field} ${kind}: ${words}${part === null ? '' : `: ${part}`}`,
        records.map(({ id }) => id),
      );
      expect(records.length).toBe(count);
      if (filter === null) continue;
      const { expression, problems } = checkCondition(seat.workspace.model, table.id, filter);
      expect(problems, filter).toEqual([]);
      expect(await countRecords(pool, seat, table, expression)).toBe(count);
    }
  }
  expect(Object.fromEntries(found)).toEqual({
    'hives.paid currency: the currencies differ: sum(counts.paid)': [1],
    'hives.worst passed over: records are passed over, as it divides by 0: counts.mites / counts.bees': [1],
    'hives.due blank: something it needs is blank: born': [2],
    'hives.generation cycle: the records are linked in a ring, so each would come from itself': [3, 4],
    'counts.rate zero: it divides by 0: mites / bees': [2],
    'counts.rate blank: something it needs is blank: mites': [3],
    'counts.huge limit: its value is beyond what a number can hold': [4],
  });
});

test.each([
  ['counts', 'huge', 4, 'beyond what a number can hold'],
  ['counts', 'rate', 2, 'divided by 0'],
  ['hives', 'generation', 3, 'in a ring'],
])('the trace of %s.%s says the same', async (name, key, id, words) => {
  const seat = await home.seat();
  const table = tableAt(seat, name);
  const { step } = await traceField(pool, seat, table, fieldNamed(table, key)!, id);
  expect(step.value).toBeNull();
  expect(step.note).toContain(words);
});

test('a formula that is no longer over a hierarchy has no rings; undone, they are there again', async () => {
  const kinds = async () => {
    const seat = await home.seat();
    return (await findingsOf(pool, seat, tableAt(seat, 'hives'))).map(({ kind }) => kind);
  };
  const batch = await home.change({ do: 'changeField', table: 'hives', field: 'generation', set: { type: 'formula', formula: 'nullif(1, 1)' } });
  expect(await kinds()).not.toContain('cycle');
  const seat = await home.seat();
  const table = tableAt(seat, 'hives');
  expect((await traceField(pool, seat, table, fieldNamed(table, 'generation')!, 3)).step.note).not.toContain('ring');
  await home.undo(batch);
  expect(await kinds()).toContain('cycle');
});

test('findings are counted anew after an edit', async () => {
  await home.write('hives', { update: [{ id: 3, values: { mother: null } }] });
  const seat = await home.seat();
  expect((await findingsOf(pool, seat, tableAt(seat, 'hives'))).map(({ kind }) => kind)).not.toContain('cycle');
});
