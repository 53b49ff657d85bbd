import { describe, expect, test } from 'vitest';
import { joinedFormula } from '$core/intake/rowFormula';
import { whyNot } from '$server/intake/discovery/whyNot';
import { correctIntake } from '$server/intake/intakes';
import { intaking } from './intaking';

const { place, newAccess, bring, load, stored } = intaking('shared_things');

const csv = (names: string, rows: readonly (readonly unknown[])[]) =>
  `${names}\n${rows.map((row) => row.join(',')).join('\n')}\n`;
const times = <T>(count: number, make: (at: number) => T): T[] => Array.from({ length: count }, (_, at) => make(at));
const teams = ['Ashbeck', 'Mossgill', 'Thornby', 'Uldale', 'Hollin', 'Wetheral', 'Rigg', 'Vale'];
const code = (at: number) => `${teams[at]?.slice(0, 3).toUpperCase()}`;
const splitsOf = ({ sheets }: { sheets: readonly { name: string; rows: number; derived?: unknown }[] }) =>
  sheets.flatMap(({ name, rows, derived }) => (derived ? [[name, rows]] : []));

describe('things that several columns name', () => {
  test('in two parts of one sheet make one table with two links', async () => {
    await newAccess();
    // Vale plays at home only, Ashbeck away only.
    const matches = times(56, (at) => [1 + (at % 7), at % 8])
      .filter(([home, away]) => home !== away && away !== 7)
      .map(([home = 0, away = 0], at) => [
        `2026-0${1 + (at % 9)}-1${at % 9}`,
        code(home),
        teams[home],
        code(away),
        teams[away],
        at % 5,
      ]);
    const intake = await bring({
      name: 'matches.csv',
      bytes: csv('day,home team code,home team,away team code,away team,goals', matches),
    });
    expect(intake.problem).toBeNull();
    expect(splitsOf(intake)).toEqual([['teams', 8]]);
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets).toMatchObject([
      {
        read: matches.length,
        added: matches.length,
        setAside: 0,
        links: [
          { made: matches.length, missed: 0 },
          { made: matches.length, missed: 0 },
        ],
      },
      { read: 8, added: 8 },
    ]);
    // What belongs to the teams stands with them alone.
    const [played] = place.access.workspace.model.tables;
    const kinds = played?.fields.map(({ type }) => type.kind).filter((kind) => !/^(?:created|changed)/.test(kind));
    expect(kinds).toEqual(expect.arrayContaining(['date', 'number', 'link', 'link']));
    expect(kinds).toHaveLength(4);
  });

  test('in one sheet with what belongs to them, in another by their key alone: links of both, none missed', async () => {
    await newAccess();
    const sales = times(120, (at) => [`S-${at}`, code(at % 6), teams[at % 6], `0${(at % 6) + 1}7 55 1${at % 6}`, at]);
    const bills = times(90, (at) => [`B-${at}`, code((at * 5) % 8), (at * 37) % 90]);
    const intake = await bring(
      { name: 'sales.csv', bytes: csv('sale,client code,client name,client phone,amount', sales) },
      { name: 'bills.csv', bytes: csv('bill,client code,due', bills) },
    );
    expect(splitsOf(intake)).toEqual([['clients', 8]]);
    const { receipt } = await load(intake.id);
    expect(
      receipt?.sheets.map(({ added, links }) => [added, ...links.map(({ made, missed }) => [made, missed])]),
    ).toEqual([[120, [120, 0]], [90, [90, 0]], [8]]);
    // Two clients are known by their bills alone.
    expect((await stored('clients', 'client_name')).filter(({ client_name }) => client_name === null)).toHaveLength(2);
  });

  test('in two sheets that tell nothing of them: a table of their names, misspelt ones joined; or none if so decided', async () => {
    await newAccess();
    const keepers = ['Ida Vale', 'Pell Ashlock', 'Tom Orrin', 'Ulla Rigg', 'Wren Ashlock', 'Nils Lowther'];
    const visits = times(90, (at) => [`H-0${10 + (at % 31)}`, at === 40 ? 'Pell Ashlok' : keepers[at % 5], at % 9]);
    const yields = times(60, (at) => [`2026-06-${10 + (at % 20)}`, keepers[1 + (at % 5)], at * 3]);
    const files = [
      { name: 'visits.csv', bytes: csv('hive,keeper,frames', visits) },
      { name: 'yields.csv', bytes: csv('day,keeper,kg', yields) },
    ] as const;
    const intake = await bring(...files);
    expect(splitsOf(intake)).toEqual([['keepers', 6]]);
    expect(intake.sheets[0]?.columns[1]?.misspellings).toMatchObject([{ from: 'Pell Ashlok', to: 'Pell Ashlock' }]);
    const { receipt } = await load(intake.id);
    expect(
      receipt?.sheets.map(({ added, links }) => [added, ...links.map(({ made, missed }) => [made, missed])]),
    ).toEqual([[90, [90, 0]], [60, [60, 0]], [6]]);
    await newAccess();
    const again = await bring(...files);
    const without = await correctIntake(place.pool, place.access, again.id, {
      tables: { 2: { skip: true } },
      columns: {},
    });
    expect(without.proposal?.mappings.flatMap(({ columns }) => columns.filter(({ match }) => match))).toEqual([]);
    expect(without.proposal?.changes.filter((change) => change.do === 'addTable')).toHaveLength(2);
  });

  test('in one sheet, of which only one column has more told of them: the other one leads there as well', async () => {
    await newAccess();
    const keeper = (at: number) => `K-0${10 + at}`;
    const rows = times(120, (at) => [
      `2026-05-${10 + (at % 20)}`,
      keeper(at % 9),
      `name ${at % 9}`,
      teams[(at % 9) % 4],
      at % 3 === 0 ? '' : keeper((at * 7) % 11),
      at % 12,
    ]);
    const intake = await bring({
      name: 'visits.csv',
      bytes: csv('day,keeper code,keeper name,keeper village,helper,frames', rows),
    });
    expect(splitsOf(intake)).toEqual([['keeper and helper', 11]]);
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets[0]).toMatchObject({
      added: 120,
      links: [
        { made: 120, missed: 0 },
        { made: 80, missed: 0 },
      ],
    });
  });

  test('stay joined when rows are left out by hand', async () => {
    await newAccess();
    const keepers = ['Ida Vale', 'Pell Ashlock', 'Tom Orrin', 'Ulla Rigg', 'Wren Ashlock', 'Nils Lowther'];
    const visits = times(90, (at) => [`H-0${10 + (at % 31)}`, at === 40 ? 'Pell Ashlok' : keepers[at % 5], at % 9]);
    const yields = times(60, (at) => [`2026-06-${10 + (at % 20)}`, keepers[1 + (at % 5)], at * 3]);
    const intake = await bring(
      { name: 'visits.csv', bytes: csv('hive,keeper,frames', visits) },
      { name: 'yields.csv', bytes: csv('day,keeper,kg', yields) },
    );
    await correctIntake(place.pool, place.access, intake.id, { tables: { 0: { leaveOut: [3, 9] } }, columns: {} });
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets.map(({ added }) => added)).toEqual([88, 60, 6]);
  });

  test('kinds of things and parts of addresses make no table', async () => {
    await newAccess();
    const kinds = ['round brush', 'flat brush', 'fan brush', 'wash brush', 'mop brush', 'rigger brush'];
    const intake = await bring(
      {
        name: 'stock.csv',
        bytes: csv(
          'no,type,town',
          times(60, (at) => [at, kinds[at % 6], `${teams[at % 7]} Moor`]),
        ),
      },
      {
        name: 'sold.csv',
        bytes: csv(
          'sale,type,town',
          times(80, (at) => [at, kinds[at % 6], `${teams[at % 7]} Moor`]),
        ),
      },
    );
    expect(splitsOf(intake)).toEqual([]);
  });
});

describe('numbers that lie among other numbers', () => {
  test('lead nowhere unless their names say so, and keys tell their own records', async () => {
    await newAccess();
    const ids = (count: number, more: (at: number) => readonly unknown[]) =>
      times(count, (at) => [at + 1, ...more(at)]);
    const intake = await bring(
      {
        name: 'kinds.csv',
        bytes: csv(
          'id,label',
          ids(12, (at) => [`kind ${at}`]),
        ),
      },
      {
        name: 'regions.csv',
        bytes: csv(
          'id,label',
          ids(7, (at) => [`region ${at}`]),
        ),
      },
      {
        name: 'plants.csv',
        bytes: csv(
          'id,label,kind_id,home_region_id,height,shelf',
          ids(90, (at) => [`plant ${at}`, 1 + (at % 12), 1 + (at % 7), at % 40, 1 + (at % 5)]),
        ),
      },
      {
        name: 'sightings.csv',
        bytes: csv(
          'plant_id,slot,count',
          times(300, (at) => [1 + (at % 90), 1 + (at % 3), at % 50]),
        ),
      },
    );
    const nameOf = ({ sheet, column }: { sheet: number; column: number }) =>
      `${intake.sheets[sheet]?.name}.${intake.sheets[sheet]?.columns[column]?.name}`;
    expect(intake.proposal?.links.map(({ from, to }) => `${nameOf(from)} > ${nameOf(to)}`).sort()).toEqual([
      'plants.home_region_id > regions.id',
      'plants.kind_id > kinds.id',
      'sightings.plant_id > plants.id',
    ]);
  });
});

test('a day and a station together tell the readings that others are about', async () => {
  await newAccess();
  const days = times(20, (at) => `2026-05-${10 + at}`);
  const stations = ['Low', 'High', 'Mill', 'Fell'];
  const readings = days.flatMap((day, at) => stations.map((station, of) => [station, day, at * 3 + of]));
  const remarks = times(60, (at) => [`R-${100 + at}`, stations[at % 4], days[(at * 7) % 20], `remark ${at}`]);
  const intake = await bring(
    { name: 'readings.csv', bytes: csv('station,day,mm', readings) },
    { name: 'remarks.csv', bytes: csv('no,station,day,words', remarks) },
  );
  expect(intake.proposal?.links).toMatchObject([
    { from: { sheet: 1 }, to: { sheet: 0 }, also: {}, matching: 60, missing: 0 },
  ]);
});

describe('why not', () => {
  test('of a column that stands alone says so', async () => {
    await newAccess();
    const intake = await bring({
      name: 'names.csv',
      bytes: csv(
        'name',
        times(30, (at) => [`name ${at % 9}`]),
      ),
    });
    const asked = { sheet: 0, column: 0, what: 'split' };
    expect(await whyNot(place.pool, place.access, intake.id, asked)).toEqual({
      proposed: false,
      says: 'names has no other column that could go with it.',
      reasons: [],
    });
  });

  test('what was not proposed is counted and told, and joined columns are one', async () => {
    await newAccess();
    const intake = await bring(
      {
        name: 'hives.csv',
        bytes: csv(
          'number,place,row',
          times(40, (at) => [`H-${100 + at}`, `place ${at % 6}`, at % 9]),
        ),
      },
      {
        name: 'visits.csv',
        bytes: csv(
          'day,hive,first,last,frames',
          times(200, (at) => [`2026-05-${10 + (at % 20)}`, `H-${100 + (at % 40)}`, 'Ida', teams[at % 7], at % 12]),
        ),
      },
    );
    const ask = (sheet: number, column: number, what: string) =>
      whyNot(place.pool, place.access, intake.id, { sheet, column, what });
    expect(await ask(0, 0, 'key')).toMatchObject({ proposed: true });
    expect(await ask(0, 1, 'key')).toMatchObject({
      proposed: false,
      says: expect.stringContaining('6 values stand on'),
    });
    expect(await ask(1, 1, 't0')).toMatchObject({
      proposed: true,
      says: '200 of 200 values are found in number of hives.',
    });
    const frames = await ask(1, 4, 't0');
    expect(frames).toMatchObject({ proposed: false, says: '0 of 200 values are found in number of hives.' });
    expect(frames.reasons.reduce((sum, { weight }) => sum + weight, 0)).toBeLessThan(0);
    const split = await ask(1, 3, 'split');
    expect(split).toMatchObject({ proposed: false, says: expect.stringContaining('7 different values on 200 rows') });
    expect(split.reasons.map(({ says }) => says)).toContain('first is the same on all rows of a value');
    expect(split.reasons.at(-1)?.says).toMatch(/ is another one on \d+ rows/);
    await expect(ask(1, 9, 'key')).rejects.toThrow();
    const names = intake.sheets[1]?.columns.map(({ name }) => name) ?? [];
    const formula = joinedFormula(names, 2, [3], ', ');
    const joined = await correctIntake(place.pool, place.access, intake.id, {
      tables: {},
      columns: { '1.2': { formula }, '1.3': { as: 'skip' } },
    });
    expect(joined.sheets[1]?.columns[2]?.samples).toContain('Ida, Ashbeck');
  });
});
