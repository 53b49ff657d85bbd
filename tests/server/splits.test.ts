import { describe, expect, test } from 'vitest';
import { correctIntake, splitByHand } from '$server/intake/intakes';
import { intaking, refusalOf } from './intaking';

const { place, newAccess, bring, load, readSo, stored } = intaking('splits');

const csv = (names: string, rows: readonly (readonly unknown[])[]) =>
  `${names}\n${rows.map((row) => row.join(',')).join('\n')}\n`;
const times = <T>(count: number, make: (at: number) => T): T[] => Array.from({ length: count }, (_, at) => make(at));
const derived = ({ sheets }: { sheets: readonly { name: string; rows: number; derived?: unknown }[] }) =>
  sheets.flatMap(({ name, rows, derived }) => (derived ? [[name, rows]] : []));

/** Twelve people: four last names, of which each has three first names, two of them shared with others. */
const people = times(12, (at) => ({
  last: ['Vale', 'Ashlock', 'Orrin', 'Rigg'][at % 4] ?? '',
  first: ['Ida', 'Tom', ['Ulla', 'Wren', 'Nils', 'Pell'][at % 4]][Math.floor(at / 4)] ?? '',
  village: ['Thornby', 'Wick End', 'High Pasture', 'Rosehill', 'Low Moor'][(at * 7) % 5] ?? '',
  phone: `0155 20${10 + at}`,
}));
const visits = (of: (person: (typeof people)[number], at: number) => readonly unknown[]) =>
  times(96, (at) => [`V-${at}`, ...of(people[(at * 5) % 12] as (typeof people)[number], at), at % 11]);

describe('things that two columns tell together', () => {
  test('people by their first and last names, whom others share', async () => {
    await newAccess();
    const rows = visits(({ first, last, village }, at) => [first, last, village, `2026-05-${10 + (at % 20)}`]);
    const intake = await bring({ name: 'visits.csv', bytes: csv('no,first name,last name,village,day,frames', rows) });
    expect(derived(intake)).toEqual([['People', 12]]);
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets).toMatchObject([
      { read: 96, added: 96, setAside: 0, links: [{ made: 96, missed: 0 }] },
      { read: 12, added: 12 },
    ]);
    const now = await stored('people', 'first_name, last_name, village');
    expect(now.map((row) => Object.values(row).join()).sort()).toEqual(
      people.map(({ first, last, village }) => [first, last, village.toLowerCase().replace(' ', '_')].join()).sort(),
    );
    // The same two names once more are refused from then on.
    const table = place.access.workspace.model.tables.find(({ key }) => key === 'people');
    expect(table?.rules).toMatchObject([{ kind: 'unique', fields: { length: 2 } }]);
    // They are called by both names, on the visits as well.
    const title = table?.fields.find(({ id }) => id === table.title);
    expect(title).toMatchObject({ label: 'Name', type: { kind: 'formula' } });
    expect((await stored('people', 'name')).map(({ name }) => name)).toContain('Vale, Ida');
    const [visited] = place.access.workspace.model.tables;
    expect(visited?.fields.flatMap(({ label, type }) => (type.kind === 'link' ? [label] : []))).toEqual(['Person']);
  });

  test('people whom the next file finds again by both names, beside a new one; and a file that only names them', async () => {
    await newAccess();
    const names = 'no,first name,last name,village,frames';
    const rows = visits(({ first, last, village }) => [first, last, village]);
    await load((await bring({ name: 'visits.csv', bytes: csv(names, rows) })).id);
    const more = times(40, (at) => [`W-${at}`, ...(rows[at] ?? []).slice(1)]);
    const next = [...more, ['W-40', 'Ida', 'Lowther', 'Low Moor', 3], ['W-41', 'Ida', 'Lowther', 'Low Moor', 5]];
    const again = await bring({ name: 'visits.csv', bytes: csv(names, next) });
    const { receipt, problem } = await load(again.id);
    expect([again.problem, problem]).toEqual([null, null]);
    expect(receipt?.sheets).toMatchObject([
      { read: 42, added: 42, links: [{ made: 42, missed: 0 }] },
      { read: 13, added: 1, changed: 0, unchanged: 12 },
    ]);
    expect(await stored('people', 'name')).toHaveLength(13);
    const yields = times(30, (at) => [`Y-${at}`, rows[at]?.[1], rows[at]?.[2], at * 3]);
    const third = await bring({ name: 'yields.csv', bytes: csv('no,first name,last name,kg', yields) });
    expect((await load(third.id)).receipt?.sheets).toMatchObject([{ added: 30, links: [{ made: 30, missed: 0 }] }]);
  });

  test('people of whom a few rows say otherwise, as they moved; another sheet’s people of two kinds stay apart', async () => {
    await newAccess();
    const rows = visits(({ first, last, village }, at) => [first, last, at === 90 ? 'Rosehill Moor' : village]);
    const intake = await bring({ name: 'visits.csv', bytes: csv('no,first name,last name,village,frames', rows) });
    expect(derived(intake)).toEqual([['People', 12]]);
    expect(intake.sheets[1]?.derived?.exceptions).toMatchObject([{ column: 3, rows: 1 }]);
    const both = visits(({ first, last, village, phone }, at) => {
      const keeper = people[(at * 7 + Math.floor(at / 9)) % 12] as (typeof people)[number];
      return [first, last, phone, keeper.first, keeper.last, keeper.village, village];
    });
    const names = 'no,guest first name,guest last name,guest phone,keeper first name,keeper last name,keeper village';
    const two = await bring({ name: 'stays.csv', bytes: csv(`${names},guest village,days`, both) });
    expect(derived(two)).toEqual([
      ['guests', 12],
      ['keepers', 12],
    ]);
  });

  test('people by their names, though each has a telephone of their own', async () => {
    await newAccess();
    const rows = visits(({ first, last, village, phone }) => [phone, first, last, village]);
    const intake = await bring({
      name: 'visits.csv',
      bytes: csv('no,phone,first name,last name,village,frames', rows),
    });
    expect(derived(intake)).toEqual([['People', 12]]);
    const [, made] = intake.sheets;
    expect(made?.columns.map(({ name }) => name)).toEqual(['last name', 'first name', 'phone', 'village']);
    expect((await load(intake.id)).receipt?.sheets[0]?.links).toMatchObject([{ made: 96, missed: 0 }]);
  });

  test('none where one of the two is blank on some rows: what stands there would be lost', async () => {
    await newAccess();
    const rows = visits(({ first, last, village }, at) => [at % 17 === 3 ? '' : first, last, village]);
    const intake = await bring({ name: 'visits.csv', bytes: csv('no,first name,last name,village,frames', rows) });
    expect(derived(intake)).toEqual([]);
  });

  test('by hand, found again when the file is read another way, and refused where they say nothing', async () => {
    await newAccess();
    const rows = times(60, (at) => [2020 + (at % 3), `team ${at % 4}`, `coach ${((at % 3) + (at % 4)) % 5}`, at]);
    const bytes = csv('season,team,coach,points', rows);
    const { id } = await bring({ name: 'games.csv', bytes });
    const wish = { sheet: 0, determinant: 1, beside: 0, dependents: [2] };
    const intake = await splitByHand(place.pool, place.access, id, wish);
    expect(intake.sheets[1]).toMatchObject({ rows: 12, derived: { dependents: [0, 2], pair: true, exceptions: [] } });
    const refused = splitByHand(place.pool, place.access, id, { ...wish, determinant: 3, dependents: [2] });
    expect(await refusalOf(refused)).toMatch(/were split off as .* already/);
    const again = await readSo(id, 0, { quote: '"' });
    expect(again.sheets[1]).toMatchObject({ rows: 12, derived: { dependents: [0, 2], pair: true } });
    expect((await load(id)).receipt?.sheets).toMatchObject([
      { added: 60, links: [{ made: 60, missed: 0 }] },
      { added: 12 },
    ]);
  });
});

test('of two columns by hand, one of them blank on a row: nothing that stands there is lost unsaid', async () => {
  await newAccess();
  const rows = visits(({ first, last, village }, at) => [at === 7 ? '' : first, last, village]);
  const { id } = await bring({ name: 'visits.csv', bytes: csv('no,first name,last name,village,frames', rows) });
  const wish = { sheet: 0, determinant: 2, beside: 1, dependents: [3] };
  const intake = await splitByHand(place.pool, place.access, id, wish);
  expect(intake.sheets[1]?.derived?.exceptions).toMatchObject([{ column: 3, rows: 1, samples: [{ key: '' }] }]);
  const { receipt } = await load(id);
  const cells = new Map(receipt?.sheets[0]?.cells?.map((cell) => [cell.column, cell]));
  expect(cells.get('last name')).toMatchObject({ filled: 96, written: 95, setAside: 1 });
  expect(cells.get('village')).toMatchObject({ filled: 96, written: 95, leftOut: 1 });
});

describe('of several values of a thing', () => {
  // Keeper 3 moved in June; most of her rows are older. The rows stand in no order of days.
  const rows = times(120, (at) => {
    const keeper = at % 8;
    const day = new Date(Date.UTC(2026, 3, 1 + ((at * 37) % 90)));
    const moved = keeper === 3 && day >= new Date('2026-06-20');
    return [day.toISOString().slice(0, 10), `K-0${keeper}`, `keeper ${keeper}`, moved ? 'Rosehill' : `place ${keeper}`];
  });
  const bytes = csv('day,keeper code,keeper name,keeper village', rows);
  const villageOf = async () =>
    (await stored('keepers', 'keeper_code, keeper_village')).find(({ keeper_code }) => keeper_code === 'K-03')
      ?.keeper_village;
  const [last] = rows.filter(([, code]) => code === 'K-03').slice(-1);

  test.each([
    ['the most frequent one is kept', undefined, 'place 3'],
    ['that of the newest day, where so decided', 0, 'Rosehill'],
    ['that of the last row, where so decided', 'last' as const, last?.[3]],
  ])('%s', async (_, keeps, kept) => {
    await newAccess();
    const intake = await bring({ name: 'visits.csv', bytes });
    expect(derived(intake)).toEqual([['keepers', 8]]);
    const decided = await correctIntake(place.pool, place.access, intake.id, {
      tables: { 1: keeps === undefined ? {} : { keeps } },
      columns: {},
    });
    expect(decided.sheets[1]?.derived?.exceptions[0]?.samples[0]).toMatchObject({ key: 'K-03', kept });
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets).toMatchObject([{ added: 120, links: [{ made: 120, missed: 0 }] }, { added: 8 }]);
    expect(await villageOf()).toBe(kept);
  });

  test('the newest goes by how a person reads the days', async () => {
    await newAccess();
    // Days that could be either: the newest of keeper 3 is another one each way, and on one of the two she had moved.
    const parts = times(96, (at) => [1 + ((at * 7) % 11), 1 + ((at * 5 + Math.floor(at / 11)) % 11)] as const);
    const newest = (key: (part: readonly [number, number]) => number) =>
      times(12, (row) => 3 + row * 8).reduce((best, at) =>
        key(parts[at] ?? [0, 0]) > key(parts[best] ?? [0, 0]) ? at : best,
      );
    const [dayFirst, monthFirst] = [newest(([a, b]) => b * 100 + a), newest(([a, b]) => a * 100 + b)];
    expect(dayFirst).not.toBe(monthFirst);
    const two = parts.map(([a, b], at) => [
      `${String(a).padStart(2, '0')}/${String(b).padStart(2, '0')}/2026`,
      `K-0${at % 8}`,
      `keeper ${at % 8}`,
      at === dayFirst ? 'Rosehill' : `place ${at % 8}`,
    ]);
    const { id } = await bring({ name: 'visits.csv', bytes: csv('day,keeper code,keeper name,keeper village', two) });
    const kept = async (dateOrder: 'dmy' | 'mdy') => {
      const now = await correctIntake(place.pool, place.access, id, {
        tables: { 1: { keeps: 0 } },
        columns: { '0.0': { as: 'date', reading: { decimal: '.', dateOrder } } },
      });
      const samples = now.sheets[1]?.derived?.exceptions.flatMap((one) => one.samples) ?? [];
      return samples.find(({ key }) => key === 'K-03')?.kept;
    };
    expect([await kept('dmy'), await kept('mdy')]).toEqual(['Rosehill', 'place 3']);
  });

  test('the decision stays when the file is read another way, and is refused where it means nothing', async () => {
    await newAccess();
    const { id } = await bring({ name: 'visits.csv', bytes });
    await correctIntake(place.pool, place.access, id, { tables: { 1: { keeps: 0 } }, columns: {} });
    const again = await readSo(id, 0, { quote: '"' });
    expect(again.sheets[1]?.derived).toMatchObject({ keeps: 0, exceptions: [{ samples: [{ kept: 'Rosehill' }] }] });
    const wrong = (tables: Parameters<typeof correctIntake>[3]['tables']) =>
      refusalOf(correctIntake(place.pool, place.access, id, { tables, columns: {} }));
    expect(await wrong({ 0: { keeps: 0 } })).toMatch(/Only of what was split off/);
    expect(await wrong({ 1: { keeps: 9 } })).toMatch(/has no column 9/);
  });
});

describe('rows that do not say which thing they are of', () => {
  const names = 'no,supplier code,supplier,supplier village';
  const row = (at: number) => [at, `S-${at % 6}`, `Farm ${at % 6}`, `place ${at % 6}`];

  test('by its code, but by its name: that tells the things', async () => {
    await newAccess();
    const rows = times(90, (at) => (at % 30 === 7 ? [at, '', 'Loose Farm', 'Nowhere'] : row(at)));
    const { id } = await bring({ name: 'sacks.csv', bytes: csv(names, rows) });
    const { receipt } = await load(id);
    expect(receipt?.sheets).toMatchObject([{ added: 90, links: [{ made: 90, missed: 0 }] }, { added: 7 }]);
    expect(await stored('suppliers', 'supplier, supplier_code, supplier_village')).toContainEqual({
      supplier: 'Loose Farm',
      supplier_code: null,
      supplier_village: 'Nowhere',
    });
  });

  test('at all: what they say of it is told, and accounted for as left out', async () => {
    await newAccess();
    const rows = times(90, (at) => (at === 7 ? [at, '', '', 'Nowhere'] : row(at)));
    const intake = await bring({ name: 'sacks.csv', bytes: csv(names, rows) });
    expect(intake.sheets[1]?.derived?.exceptions).toEqual([
      { column: 3, rows: 1, samples: [{ key: '', kept: '', other: 'Nowhere', rows: 1 }] },
    ]);
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets[0]?.cells).toContainEqual(
      expect.objectContaining({ column: 'supplier village', filled: 90, written: 89, leftOut: 1 }),
    );
  });

  test('too often: nothing is split off', async () => {
    await newAccess();
    const rows = times(90, (at) => (at % 20 === 7 ? [at, '', '', `Somewhere ${at}`] : row(at)));
    const intake = await bring({ name: 'sacks.csv', bytes: csv(names, rows) });
    const villages = intake.sheets.flatMap(({ derived }) => (derived?.dependents.includes(3) ? [derived] : []));
    expect(villages).toEqual([]);
  });
});

test('what only a skipped sheet or column names does not come in', async () => {
  await newAccess();
  const keepers = ['Ida Vale', 'Pell Ashlock', 'Tom Orrin', 'Ulla Rigg', 'Wren Ashlock', 'Nils Lowther'];
  const intake = await bring(
    {
      name: 'visits.csv',
      bytes: csv(
        'hive,keeper,frames',
        times(90, (at) => [`H-${at % 31}`, keepers[at % 5], at]),
      ),
    },
    {
      name: 'yields.csv',
      bytes: csv(
        'day,keeper,kg',
        times(60, (at) => [`2026-06-${10 + (at % 20)}`, keepers[1 + (at % 5)], at]),
      ),
    },
  );
  expect(derived(intake)).toEqual([['keepers', 6]]);
  const decide = (tables: Parameters<typeof correctIntake>[3]['tables'], columns = {}) =>
    correctIntake(place.pool, place.access, intake.id, { tables, columns });
  expect(derived(await decide({ 1: { skip: true } }))).toEqual([['keepers', 5]]);
  expect(derived(await decide({}))).toEqual([['keepers', 6]]);
  expect(derived(await decide({ 0: { skip: true } }))).toEqual([['keepers', 5]]);
  expect(derived(await decide({}, { '1.1': { as: 'skip' } }))).toEqual([['keepers', 5]]);
  const { receipt } = await load(intake.id);
  expect(receipt?.sheets.map(({ added }) => added)).toEqual([90, 60, 5]);
  expect((await stored('keepers', 'keeper')).map(({ keeper }) => keeper)).not.toContain('Nils Lowther');
});

test('columns that are called like the things of another sheet, or of a table, are offered as rows', async () => {
  await newAccess();
  const apiaries = ['Rosehill', 'Millbrook', 'Thornby', 'Wick End', 'High Pasture'];
  const places = {
    name: 'apiaries.csv',
    bytes: csv(
      'name,altitude',
      apiaries.map((name, at) => [name, 200 + at * 7]),
    ),
  };
  const kg = {
    name: 'kg.csv',
    bytes: csv(
      `day,${apiaries.slice(0, 4).join(',')}`,
      times(20, (at) => [`2026-06-${10 + at}`, at * 3, at * 5 + 1, at + 7, at * 2]),
    ),
  };
  const both = await bring(places, kg);
  const offered = { columns: apiaries.slice(0, 4), things: 'apiaries', label: 'apiary' };
  expect(both.sheets[1]?.headings).toEqual(offered);
  const turned = await readSo(both.id, 1, {
    turns: { kg: { columns: offered.columns, label: offered.label } },
  });
  expect(turned.sheets[1]).toMatchObject({ rows: 80 });
  expect(turned.proposal?.links).toMatchObject([
    { from: { sheet: 1, column: 1 }, to: { sheet: 0, column: 0 }, matching: 80 },
  ]);
  await load((await bring(places)).id);
  expect((await bring(kg)).sheets[0]?.headings?.columns).toEqual(offered.columns);
});
