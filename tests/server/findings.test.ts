import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { checkCondition } from '$core/formula/checker';
import { fieldNamed } from '$core/model/model';
import { tableAt, type Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { acceptedOf, acceptFinding, unaccept } from '$server/health/acceptedFindings';
import { findingsOf } from '$server/health/findings';
import { countRecords } from '$server/query/read';
import { traceField } from '$server/query/trace';
import { freshDatabase, makePerson } from './database';
import { makePlace, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let home: Place;

const formula = (table: string, label: string, text: string) => ({
  do: 'addField' as const,
  table,
  field: { label, type: 'formula' as const, formula: text },
});

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

test('every reason for a blank that nobody meant is found with its records, counted by a formula that can be a filter', async () => {
  const access = await home.access();
  const found = new Map<string, number[]>();
  let filters = 0;
  for (const name of ['hives', 'counts']) {
    const table = tableAt(access, name);
    for (const { kind, field, words, part, count, filter, records } of await findingsOf(pool, access, table)) {
      found.set(
        `${name}.${field} ${kind}: ${words}${part === null ? '' : `: ${part}`}`,
        records.map(({ id }) => id),
      );
      expect(records.length).toBe(count);
      if (filter === null) continue;
      const { expression, problems } = checkCondition(access.workspace.model, table.id, filter);
      expect(problems, filter).toEqual([]);
      expect(await countRecords(pool, access, table, expression)).toBe(count);
      filters++;
    }
  }
  expect(filters).toBeGreaterThanOrEqual(4);
  expect(Object.fromEntries(found)).toEqual({
    'hives.paid currency: the currencies differ: sum(counts.paid)': [1],
    'hives.worst passed over: records are passed over, as it divides by 0: counts.mites / counts.bees': [1],
    'hives.generation cycle: the records are linked in a ring, so each would come from itself': [3, 4],
    'counts.rate zero: it divides by 0: mites / bees': [2],
    'counts.huge limit: its value is beyond what a number can hold': [4],
  });
});

test.each([
  ['counts', 'huge', 4, 'beyond what a number can hold'],
  ['counts', 'rate', 2, 'divided by 0'],
  ['hives', 'generation', 3, 'in a ring'],
])('the trace of %s.%s says the same', async (name, key, id, words) => {
  const access = await home.access();
  const table = tableAt(access, name);
  const { step } = await traceField(pool, access, table, fieldNamed(table, key)!, id);
  expect(step.value).toBeNull();
  expect(step.note).toContain(words);
});

test('a formula that is no longer over a hierarchy has no rings; undone, they are there again', async () => {
  const kinds = async () => {
    const access = await home.access();
    return (await findingsOf(pool, access, tableAt(access, 'hives'))).map(({ kind }) => kind);
  };
  const batch = await home.change({
    do: 'changeField',
    table: 'hives',
    field: 'generation',
    set: { type: 'formula', formula: 'nullif(1, 1)' },
  });
  expect(await kinds()).not.toContain('cycle');
  const access = await home.access();
  const table = tableAt(access, 'hives');
  expect((await traceField(pool, access, table, fieldNamed(table, 'generation')!, 3)).step.note).not.toContain('ring');
  await home.undo(batch);
  expect(await kinds()).toContain('cycle');
});

test('findings are counted anew after an edit', async () => {
  await home.write('hives', { update: [{ id: 3, values: { mother: null } }] });
  const access = await home.access();
  expect((await findingsOf(pool, access, tableAt(access, 'hives'))).map(({ kind }) => kind)).not.toContain('cycle');
});

describe('what is as it should be is accepted', () => {
  let shop: Place;
  const found = async (kind: string) => {
    const access = await shop.access();
    return (await findingsOf(pool, access, tableAt(access, 'loans'))).find((one) => one.kind === kind);
  };
  const accept = async (kind: string, how: { condition?: string; records?: number[] }) => {
    const access = await shop.access();
    const table = tableAt(access, 'loans');
    return acceptFinding(pool, access, table, await findingsOf(pool, access, table), {
      finding: (await found(kind))?.id ?? '',
      reason: 'Still out',
      ...how,
    });
  };
  const forget = async (id: number) => {
    const access = await shop.access();
    await unaccept(pool, access, tableAt(access, 'loans'), id);
  };
  /** How many records the finding's own filter shows. */
  const shown = async (filter: string | null | undefined) => {
    const access = await shop.access();
    const table = tableAt(access, 'loans');
    return countRecords(
      pool,
      access,
      table,
      checkCondition(access.workspace.model, table.id, filter ?? '').expression!,
    );
  };

  beforeAll(async () => {
    shop = await makePlace(pool, ida, 'Book loans');
    const day = (label: string) => ({ label, type: 'date' as const });
    await shop.change({
      do: 'addTable',
      label: 'Loans',
      fields: [
        { label: 'Book', type: 'text' },
        day('Taken'),
        day('Returned'),
        { label: 'Pages', type: 'number', digits: 0 },
        { label: 'Days', type: 'formula', formula: 'returned - taken' },
        { label: 'Pace', type: 'formula', formula: 'pages / nullif(days, 1)' },
      ],
    });
    await shop.insert(
      'loans',
      ...Array.from({ length: 30 }, (_, i) => ({
        book: i < 4 ? `Twin ${i % 2}` : `Book ${i}`,
        taken: '2026-05-01',
        pages: 100 + i,
        returned: i < 10 ? null : i < 14 ? '2026-05-01' : '2026-05-09',
      })),
    );
  });

  test('a blank in a field that may be blank is no finding; one that is required is', async () => {
    expect(await found('blank')).toBeUndefined();
    await shop.change({ do: 'changeField', table: 'loans', field: 'returned', set: { required: 'fromNow' } });
    expect((await found('required blank'))?.count).toBe(10);
    const access = await shop.access();
    expect(
      (await findingsOf(pool, access, tableAt(access, 'loans'))).map(({ kind, field }) => `${field} ${kind}`),
    ).toContain('days blank');
  });

  test('by a condition that goes on holding: what meets it later is none either, the rest is found and shown', async () => {
    const id = await accept('required blank', { condition: "taken >= date '2026-05-01' and pages < 108" });
    const left = await found('required blank');
    expect([left?.count, left?.records.length, await shown(left?.filter)]).toEqual([2, 2, 2]);
    // After a rename it is the same.
    await shop.change({ do: 'changeField', table: 'loans', field: 'pages', set: { key: 'leaves', label: 'Leaves' } });
    expect((await found('required blank'))?.count).toBe(2);
    await forget(id);
    expect((await found('required blank'))?.count).toBe(10);
  });

  test('one by one', async () => {
    const id = await accept('zero', { records: [11, 12] });
    const left = await found('zero');
    expect([left?.count, left?.records.map((one) => one.id), left?.acceptedRecords]).toEqual([2, [13, 14], 2]);
    const more = await accept('zero', { records: [13, 14] });
    expect(await found('zero')).toBeUndefined();
    for (const one of [id, more]) await forget(one);
    expect((await found('zero'))?.count).toBe(4);
    // Of two that are called the same, one that is meant leaves the other alone in its name.
    await accept('same title', { records: [1] });
    expect([(await found('same title'))?.count, (await found('same title'))?.records.map((one) => one.id)]).toEqual([
      2,
      [2, 4],
    ]);
  });

  test('as a whole, for good; and not again what is accepted', async () => {
    const zero = (await found('zero'))?.id;
    const id = await accept('zero', {});
    expect(await found('zero')).toBeUndefined();
    expect(await shop.refused(accept('zero', {}))).toContain('no such finding now');
    const access = await shop.access();
    const listed = await acceptedOf(pool, access, tableAt(access, 'loans'));
    expect(listed[0]).toMatchObject({
      id,
      finding: zero,
      reason: 'Still out',
      by: 'Ida',
      condition: null,
      records: null,
    });
    await forget(id);
    expect((await found('zero'))?.id).toBe(zero);
    expect(await shop.refused(forget(id))).toContain('no such accepted finding');
  });

  test('a condition whose field is deleted accepts nothing, until the field is back', async () => {
    await accept('required blank', { condition: 'leaves > 0' });
    expect(await found('required blank')).toBeUndefined();
    const batch = await shop.change(
      { do: 'changeField', table: 'loans', field: 'pace', set: { type: 'formula', formula: '100 / nullif(days, 1)' } },
      { do: 'removeField', table: 'loans', field: 'leaves' },
    );
    expect((await found('required blank'))?.count).toBe(10);
    await shop.undo(batch);
    expect(await found('required blank')).toBeUndefined();
  });

  test.each([
    [{ condition: 'leafs > 0' }, 'Loans has no field “leafs”'],
    [{ condition: 'leaves' }, 'A condition is yes or no'],
  ])('refused: %j', async (how, words) => {
    expect(await shop.refused(accept('zero', how))).toContain(words);
  });
});
