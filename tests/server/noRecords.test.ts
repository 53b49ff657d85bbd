import { describe, expect, test } from 'vitest';
import type { ReadingWish, RowCondition, SheetDecision } from '$core/intake/intake';
import { correctIntake } from '$server/intake/intakes';
import { intaking } from './intaking';

const { place, newAccess, bring, load, stored, readSo } = intaking('norecords');

const honey = [
  'village;keeper;kg;jars',
  'Thornby;Ada;10,5;21',
  'Wick End;Bram;20;40',
  'Village;Keeper;kg;jars',
  'Old Staithe;Cilla;30;61',
  'Total;;60,5;122',
  'Source: the honey book;;;',
].join('\n');

describe('rows that are no records', () => {
  test('are left out, said with their reason, and counted in the receipt', async () => {
    await newAccess();
    const { id, sheets } = await bring({ name: 'honey.csv', bytes: honey });
    expect(sheets[0]).toMatchObject({ rows: 3, keys: [0, 1] });
    expect(sheets[0]?.leftOut?.map(({ row, why }) => [row, why])).toEqual([
      [3, 'the names of the columns again'],
      [5, '“Total”: the sum of the 3 rows above in 2 of 2 columns'],
      [6, 'a note under the table'],
    ]);
    const { receipt } = await load(id);
    expect(receipt?.sheets[0]).toMatchObject({
      read: 3,
      added: 3,
      inFile: { above: 0, names: 1, blank: 0, leftOut: 3 },
      leftOut: [{ row: 3 }, { row: 5, text: 'Total · 60,5 · 122' }, { row: 6 }],
    });
    const sums = receipt?.sheets[0]?.sums.map(({ field, read, stored: kept }) => [field, read, kept]);
    expect(sums).toEqual([
      ['Kg', '60.5', '60.5'],
      ['Jars', '122', '122'],
    ]);
    expect((await stored('honey', 'village')).map(({ village }) => village)).toEqual([
      'Thornby',
      'Wick End',
      'Old Staithe',
    ]);
  });

  test('come in where a person says so, others are left out by hand, and both are taken back', async () => {
    await newAccess();
    const { id } = await bring({ name: 'honey.csv', bytes: honey });
    const settle = (leaveOut?: number[]) =>
      correctIntake(place.pool, place.access, id, { tables: { 0: leaveOut ? { leaveOut } : {} }, columns: {} });
    const settled = await settle([2, 3, 6]);
    expect(settled.sheets[0]).toMatchObject({ rows: 3 });
    expect(settled.sheets[0]?.leftOut).toMatchObject([
      { row: 2, byHand: true, cells: ['Wick End', 'Bram', '20', '40'] },
      { row: 3 },
      { row: 5, takenIn: true },
      { row: 6 },
    ]);
    expect(settled.sheets[0]?.columns[2]?.sum).toBe('101');
    const back = await settle();
    expect(back.sheets[0]?.leftOut?.map(({ row }) => row)).toEqual([3, 5, 6]);
    expect(back.sheets[0]?.columns[2]?.sum).toBe('60.5');
    await settle([2, 3, 6]);
    expect((await load(id)).problem).toBeNull();
    expect((await stored('honey', 'village, jars')).map(({ village, jars }) => [village, Number(jars)])).toEqual([
      ['Thornby', 21],
      ['Old Staithe', 61],
      ['Total', 122],
    ]);
    await expect(settle([99])).rejects.toThrow();
  });

  test('a row that is not there is refused with its place', async () => {
    await newAccess();
    const { id } = await bring({ name: 'honey.csv', bytes: honey });
    const sent = { tables: { 0: { leaveOut: [99] } }, columns: {} };
    await expect(correctIntake(place.pool, place.access, id, sent)).rejects.toMatchObject({
      status: 422,
      problem: { message: 'honey has no row 99.', at: '/tables/0/leaveOut' },
    });
  });

  test('long sheets have theirs at the end found by what went before', async () => {
    await newAccess();
    const rows = Array.from({ length: 5_000 }, (_, i) => `place ${i};${i % 7};${i % 11}`);
    const sum = (most: number) => Array.from({ length: 5_000 }, (_, i) => i % most).reduce((a, b) => a + b, 0);
    const { sheets } = await bring({
      name: 'long.csv',
      bytes: ['place;kg;jars', ...rows, `;${sum(7)};${sum(11)}`].join('\n'),
    });
    expect(sheets[0]).toMatchObject({ rows: 5_000, leftOut: [{ row: 5_001 }] });
  });

  test('a sheet of nothing but its names again has them as records', async () => {
    await newAccess();
    const { sheets, problem } = await bring({ name: 'names.csv', bytes: 'Number,Kg\n'.repeat(50) });
    expect(problem).toBeNull();
    expect(sheets[0]).toMatchObject({ rows: 49 });
    expect(sheets[0]?.leftOut).toBeUndefined();
  });

  const lines = [
    'order,customer_code,customer,village,kg',
    ...Array.from({ length: 60 }, (_, i) => `O-${100 + i},C-${10 + (i % 9)},Customer ${i % 9},Village ${i % 9},${i}`),
  ].join('\n');

  test('what was split off, and what a file declares, stays linked when rows are left out by hand', async () => {
    await newAccess();
    const nested = JSON.stringify(
      Array.from({ length: 12 }, (_, i) => ({
        name: `Hive ${i}`,
        visits: [{ frames: i % 5 }, { frames: (i + 1) % 5 }],
      })),
    );
    const { id, proposal } = await bring({ name: 'lines.csv', bytes: lines }, { name: 'hives.json', bytes: nested });
    const linksOf = (links: readonly { from: object; to: object }[] = []) =>
      links.map(({ from, to }) => JSON.stringify([from, to])).sort();
    const settled = await correctIntake(place.pool, place.access, id, {
      tables: { 0: { leaveOut: [60] }, 1: { leaveOut: [12] } },
      columns: {},
    });
    expect(linksOf(settled.proposal?.links).length).toBeGreaterThanOrEqual(2);
    expect(linksOf(settled.proposal?.links)).toEqual(linksOf(proposal?.links));
    const { receipt, problem } = await load(id);
    expect(problem).toBeNull();
    expect(receipt?.sheets.map(({ sheet, added, setAside }) => [sheet, added, setAside])).toEqual([
      ['lines', 59, 0],
      ['hives', 11, 0],
      ['hives visits', 22, 2],
      ['customers', 9, 0],
    ]);
  });

  test('two windows leave rows out at once, and none is lost', async () => {
    await newAccess();
    const { id } = await bring({ name: 'lines.csv', bytes: lines });
    const settle = (leaveOut: number[]) =>
      correctIntake(place.pool, place.access, id, { tables: { 0: { leaveOut } }, columns: {} });
    await Promise.all([settle([1]), settle([2, 3]), settle([4]), settle([5]), settle([6])]);
    const back = await settle([]);
    expect(back.sheets[0]).toMatchObject({ rows: 60 });
    expect((await load(id)).receipt?.sheets[0]).toMatchObject({ read: 60, added: 60 });
  });
});

describe('rows by a condition, and blank cells below what they say', () => {
  const bytes = ['place;hive;mood', 'Low;H-1;calm', ';H-2;', ';H-3;Calm, old', 'High;H-4;wild', ';H-5;-'].join('\n');
  const decide = (id: number, decision: SheetDecision) =>
    correctIntake(place.pool, place.access, id, { tables: { 0: decision }, columns: {} });
  const rowsLeft = async (id: number, decision: SheetDecision) =>
    (await decide(id, decision)).sheets[0]?.leftOut?.map(({ row, why }) => `${row} ${why}`) ?? [];

  test.each<[string, RowCondition[], string[]]>([
    ['blank', [{ column: 2, test: 'blank' }], ['2 mood is blank']],
    ['filled', [{ column: 0, test: 'filled' }], ['1 place is filled', '4 place is filled']],
    ['is', [{ column: 2, test: 'is', text: 'CALM' }], ['1 mood is “CALM”']],
    ['is not', [{ column: 0, test: 'isNot', text: 'low' }], ['2', '3', '4', '5'].map((n) => `${n} place is not “low”`)],
    ['contains', [{ column: 2, test: 'contains', text: 'calm' }], ['1', '3'].map((n) => `${n} mood contains “calm”`)],
    ['begins', [{ column: 1, test: 'begins', text: 'h-5' }], ['5 hive begins with “h-5”']],
    ['a row of before', [{ column: 0, test: 'again' }], []],
    [
      'two of them',
      [
        { column: 2, test: 'blank' },
        { column: 1, test: 'is', text: 'H-2' },
        { column: 1, test: 'is', text: '%' },
      ],
      ['2 mood is blank'],
    ],
  ])('%s', async (_, leaveOutWhere, left) => {
    await newAccess();
    const { id } = await bring({ name: 'hives.csv', bytes });
    expect(await rowsLeft(id, { leaveOutWhere })).toEqual(left);
    // One more by hand, and all of them back.
    const by = await rowsLeft(id, { leaveOutWhere, leaveOut: [1] });
    expect(new Set(by.map((one) => one.split(' ')[0]))).toEqual(
      new Set([...left.map((one) => one.split(' ')[0]), '1']),
    );
    expect(await rowsLeft(id, { leaveOut: [1] })).toEqual(['1 left out by hand']);
    expect(await rowsLeft(id, { leaveOutWhere })).toEqual(left);
    expect(await rowsLeft(id, {})).toEqual([]);
    const { sheets } = await decide(id, { leaveOutWhere });
    expect(sheets[0]?.rows).toBe(5 - left.length);
    const { receipt } = await load(id);
    expect(receipt?.sheets[0]).toMatchObject({ read: 5 - left.length, added: 5 - left.length, refused: 0 });
  });

  test('rows that say the same are told, left out but for the first, and taken back', async () => {
    await newAccess();
    const rows = ['Low;1', 'High;2', 'Low;1', 'Low;', 'Low;1', 'High;2'];
    const { id, sheets } = await bring({ name: 'again.csv', bytes: ['place;kg', ...rows].join('\n') });
    expect(sheets[0]?.repeated).toBe(3);
    const leaveOutWhere: RowCondition[] = [{ column: 0, test: 'again' }];
    const left = ['3', '5', '6'].map((row) => `${row} an earlier row says the same`);
    expect(await rowsLeft(id, { leaveOutWhere })).toEqual(left);
    expect(await rowsLeft(id, { leaveOutWhere, leaveOut: [1] })).toEqual(['1 left out by hand', ...left]);
    expect(await rowsLeft(id, {})).toEqual([]);
    await decide(id, { leaveOutWhere });
    expect((await load(id)).receipt?.sheets[0]).toMatchObject({ read: 3, added: 3, sums: [{ stored: '3' }] });
  });

  test('a condition on what is not there, or without a text, is refused at its place', async () => {
    await newAccess();
    const { id } = await bring({ name: 'hives.csv', bytes });
    await expect(decide(id, { leaveOutWhere: [{ column: 9, test: 'blank' }] })).rejects.toMatchObject({ status: 422 });
    await expect(decide(id, { leaveOutWhere: [{ column: 1, test: 'is' }] })).rejects.toMatchObject({ status: 422 });
  });

  test('blank cells are filled from above, taken back, and stay so beside other wishes', async () => {
    await newAccess();
    const { id } = await bring({ name: 'hives.csv', bytes });
    const read = async (wish: ReadingWish) => (await readSo(id, 0, wish)).sheets[0];
    const filled = await read({ fill: { hives: ['place'] } });
    expect(filled).toMatchObject({ filled: { columns: ['place'], cells: 3 } });
    expect(filled?.columns[0]).toMatchObject({ blanks: 0, filled: 5 });
    expect((await read({}))?.columns[0]).toMatchObject({ blanks: 3 });
    await read({ fill: { hives: ['place'] } });
    await load(id);
    const places = (await stored('hives', 'place')).map((row) => row.place);
    expect(new Set(places).size).toBe(2);
  });
});
