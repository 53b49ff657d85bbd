import { describe, expect, test } from 'vitest';
import type { Decisions } from '$core/intake/intake';
import { correctIntake, splitByHand } from '$server/intake/intakes';
import { dryRun } from '$server/intake/load/loading';
import { utils, write } from '@e965/xlsx';
import { intaking } from './intaking';

const { place, newAccess, bring, load, readSo, stored } = intaking('columns_to_rows');

const months = ['Jan', 'Feb', 'Mar', 'Apr'];
const honey = [
  ['Village', 'Keeper', ...months, 'Total'],
  ['Low', 'Ada', '1', '2', '3', '4', '10'],
  ['High', 'Bram', '5', '', '7', '8', '20'],
  ['Mill', 'Cilla', '', '', '', '', ''],
  ['Total', '', '6', '2', '10', '12', '30'],
  ['Weighed by Ada'],
]
  .map((row) => row.join(';'))
  .join('\n');

const decide = (id: number, decisions: Partial<Decisions>) =>
  correctIntake(place.pool, place.access, id, { tables: {}, columns: {}, ...decisions });
const namesOf = ({ sheets }: { sheets: readonly { columns: readonly { name: string }[] }[] }) =>
  sheets[0]?.columns.map(({ name }) => name);

describe('columns that are months', () => {
  test('come in as rows; what stays, what is blank and what adds up is accounted for', async () => {
    await newAccess();
    const intake = await bring({ name: 'honey.csv', bytes: honey });
    expect(intake.problem).toBeNull();
    const [sheet] = intake.sheets;
    expect(namesOf(intake)).toEqual(['Village', 'Keeper', 'Month', 'Value']);
    expect(sheet?.turned).toEqual({
      columns: months,
      label: 'Month',
      values: ['Value'],
      rows: 5,
      totals: [{ name: 'Total', is: 'sum', of: 4, others: 0 }],
    });
    // Seven filled cells, and Mill, of which there is none.
    expect(sheet?.rows).toBe(8);
    expect(new Set(sheet?.leftOut?.map(({ inFile }) => inFile))).toEqual(new Set([4, 5]));
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets[0]).toMatchObject({
      read: 8,
      added: 8,
      setAside: 0,
      refused: 0,
      inFile: { above: 0, names: 1, blank: 0, turned: 5 },
      sums: [{ read: '30', stored: '30' }],
    });
    const rows = await stored('honey', 'month, value::text');
    expect(rows.map(({ value }) => value)).toEqual(['1', '2', '3', '4', '5', '7', '8', null]);
  });

  test('a total that does not add up everywhere is told with how often', async () => {
    await newAccess();
    const rows = Array.from({ length: 150 }, (_, at) => `v${at};${at};1;2;${at + (at === 140 ? 4 : 3)}`);
    const { sheets } = await bring({ name: 'late.csv', bytes: ['Village;2020;2021;2022;Total', ...rows].join('\n') });
    expect(sheets[0]?.turned?.totals).toEqual([{ name: 'Total', is: 'sum', of: 3, others: 1 }]);
    expect(sheets[0]?.rows).toBe(450);
  });

  test('totals below a sheet of thousands of rows are found all the same', async () => {
    await newAccess();
    const rows = Array.from({ length: 2_500 }, (_, at) => `v${at};${at % 7};1;2`);
    const sum = rows.reduce((all, _, at) => all + (at % 7), 0);
    const bytes = ['Village;2020;2021;2022', ...rows, `;${sum};2500;5000`].join('\n');
    const { sheets } = await bring({ name: 'long.csv', bytes });
    expect(sheets[0]?.leftOut).toMatchObject([
      { inFile: 2501, why: 'the sum of the 2500 rows above in 3 of 3 columns' },
      { inFile: 2501 },
      { inFile: 2501 },
    ]);
    expect(sheets[0]?.rows).toBe(7_500);
  });

  test('stay columns where a person wants them to, and become rows again', async () => {
    await newAccess();
    const { id } = await bring({ name: 'honey.csv', bytes: honey });
    const kept = await readSo(id, 0, { turns: { honey: null } });
    expect(namesOf(kept)).toEqual(['Village', 'Keeper', ...months, 'Total']);
    expect(kept.sheets[0]?.turned).toBeUndefined();
    expect(kept.sheets[0]?.rows).toBe(3);
    const again = await readSo(id, 0, {});
    expect(namesOf(again)).toEqual(['Village', 'Keeper', 'Month', 'Value']);
    const others = { honey: { columns: ['Jan', 'Feb'], label: 'Winter month', value: 'kg' } };
    const two = await readSo(id, 0, { turns: others });
    expect(namesOf(two)).toEqual(['Village', 'Keeper', 'Mar', 'Apr', 'Total', 'Winter month', 'kg']);
    expect(two.sheets[0]?.turned?.byHand).toBe(true);
    expect((await dryRun(place.pool, place.access, id)).receipt?.sheets[0]).toMatchObject({ read: 4, added: 4 });
  });

  test('a row that is left out can be taken in, and is counted', async () => {
    await newAccess();
    const { id, sheets } = await bring({ name: 'honey.csv', bytes: honey });
    const note = (sheets[0]?.leftOut ?? []).filter(({ inFile }) => inFile === 5).map(({ row }) => row);
    const { sheets: now } = await decide(id, { tables: { 0: { leaveOut: note } } });
    expect(now[0]?.rows).toBe(12);
    const { receipt } = await load(id);
    // The total came in, so that the sum is twice what it says; that is said.
    expect(receipt?.sheets[0]).toMatchObject({ added: 12, sums: [{ read: '60', stored: '60', twice: true }] });
  });

  test('a total that came in as a record is warned of', async () => {
    await newAccess();
    const { id, sheets } = await bring({ name: 'kg.csv', bytes: 'place;kg\nLow;1\nHigh;2.5\nMill;4\nall of it;7.5' });
    expect(sheets[0]?.leftOut).toBeUndefined();
    const { receipt } = await load(id);
    expect(receipt?.sheets[0]?.sums).toEqual([{ field: 'Kg', read: '15', stored: '15', twice: true }]);
  });

  test('stay columns where they are fields of a table that stands, as when an export comes back', async () => {
    await newAccess();
    const { id } = await bring({ name: 'honey.csv', bytes: honey });
    await readSo(id, 0, { turns: { honey: null } });
    await load(id);
    const rows = ['village,keeper,jan,feb,mar,apr', 'Low,Ada,1,2,3,9', 'Side,Dov,4,5,6,7', 'Top,Ebba,1,2,3,4'];
    const back = await bring({ name: 'export.csv', bytes: rows.join('\n') });
    expect(namesOf(back)).toEqual(['village', 'keeper', 'jan', 'feb', 'mar', 'apr']);
    expect(back.sheets[0]?.turned).toBeUndefined();
    const other = await bring({
      name: 'other.csv',
      bytes: rows.join('\n').replace('jan,feb,mar,apr', '2021,2022,2023,2024'),
    });
    expect(other.sheets[0]?.turned?.label).toBe('Year');
  });

  test('a column that is wished and not there is refused with what to do', async () => {
    await newAccess();
    const { id } = await bring({ name: 'honey.csv', bytes: honey });
    const refused = await readSo(id, 0, { turns: { honey: { columns: ['Jan', 'June'] } } });
    expect(refused.state).toBe('failed');
    expect(refused.problem).toContain('Choose among the columns');
    expect((await readSo(id, 0, {})).state).toBe('ready');
  });
});

describe('what was decided by hand', () => {
  const sheet = ['code;name;town;mood', ...Array.from({ length: 30 }, (_, at) => `C${at};Ada ${at};T${at % 3};calm`)];

  test('stays when the file is read another way, by the names of its columns', async () => {
    await newAccess();
    const { id } = await bring({ name: 'keepers.csv', bytes: [...sheet, 'one more remark'].join('\n') });
    await decide(id, {
      tables: { 0: { label: 'Beekeepers', key: [1] } },
      columns: { '0.2': { as: 'text', label: 'Place' }, '0.3': { as: 'skip' } },
    });
    // Other rows, and one column has another name.
    const shifted = await readSo(id, 0, { delimiter: ';', preamble: 0, header: 1 });
    const table = shifted.proposal?.changes.find((change) => change.do === 'addTable');
    expect(table?.do === 'addTable' && table.table.label).toBe('Beekeepers');
    const labels = table?.do === 'addTable' ? table.table.fields.map(({ label }) => label) : [];
    expect(labels).toContain('Place');
    expect(labels).not.toContain('Mood');
    expect(shifted.proposal?.decisions.tables['0']?.key).toEqual([1]);
  });

  test('a split by hand is made again', async () => {
    await newAccess();
    const { id } = await bring({ name: 'keepers.csv', bytes: sheet.join('\n') });
    const before = await splitByHand(place.pool, place.access, id, { sheet: 0, determinant: 2, dependents: [3] });
    const at = before.sheets.findIndex(({ derived }) => derived?.byHand);
    await decide(id, { tables: { [at]: { label: 'Towns' } } });
    const now = await readSo(id, 0, { delimiter: ';' });
    const split = now.sheets.findIndex(({ derived }) => derived?.byHand);
    expect(now.sheets[split]).toMatchObject({ rows: 3, derived: { determinant: 2, dependents: [3] } });
    expect(now.proposal?.decisions.tables[String(split)]?.label).toBe('Towns');
  });

  test('wishes of before stay while their columns are there, and do not stop another reading where they are not', async () => {
    await newAccess();
    const { id } = await bring({
      name: 'keepers.csv',
      bytes: 'place;who;2021;2022;2023\nLow;Finch, Ada;1;2;3\n;Oakes, Bram;4;5;6',
    });
    const wishes = {
      fill: { keepers: ['place'] },
      parts: { keepers: { who: { by: ',' } } },
      turns: { keepers: { columns: ['2021', '2022', '2023'], value: 'kg' } },
    };
    const shaped = ['place', 'who 1', 'who 2', 'Year', 'kg'];
    expect(namesOf(await readSo(id, 0, wishes))).toEqual(shaped);
    const nameless = await readSo(id, 0, { ...wishes, header: 0 });
    expect(nameless.problem).toBeNull();
    expect(namesOf(nameless)).toEqual(['Column 1', 'Column 2', 'Column 3', 'Column 4', 'Column 5']);
    expect(namesOf(await readSo(id, 0, { ...wishes, header: 1 }))).toEqual(shaped);
    // What is wished anew is refused all the same.
    expect((await readSo(id, 0, { ...wishes, fill: { keepers: ['nowhere'] } })).state).toBe('failed');
  });

  test('and what can no longer be is let go alone', async () => {
    await newAccess();
    const { id } = await bring({ name: 'keepers.csv', bytes: sheet.join('\n') });
    await decide(id, { tables: { 0: { label: 'Beekeepers' } }, columns: { '0.3': { label: 'Temper' } } });
    const now = await readSo(id, 0, { delimiter: ';', header: 0 });
    expect(now.state).toBe('ready');
    expect(now.proposal?.decisions).toEqual({ tables: { 0: { label: 'Beekeepers' } }, columns: {} });
  });
});

describe('a column of several things', () => {
  const bytes = ['code;keeper;Jan;Feb;Mar', 'K1;Finch, Ada;1;2;3', 'K2;Oakes, Bram;4;5;6', 'K3;;7;;'].join('\n');

  test('becomes several columns, beside months that become rows, and one again', async () => {
    await newAccess();
    const { id } = await bring({ name: 'keepers.csv', bytes });
    await decide(id, { columns: { '0.1': { label: 'Who' } } });
    const wish = { parts: { keepers: { keeper: { by: ',', names: ['family', 'first'] } } } };
    const split = await readSo(id, 0, wish);
    expect(namesOf(split)).toEqual(['code', 'family', 'first', 'Month', 'Value']);
    expect(split.sheets[0]?.parts).toEqual([{ column: 'keeper', by: ',', names: ['family', 'first'] }]);
    expect((await dryRun(place.pool, place.access, id)).receipt?.sheets[0]).toMatchObject({ read: 7, added: 7 });
    expect(namesOf(await readSo(id, 0, {}))).toEqual(['code', 'keeper', 'Month', 'Value']);
    const refused = await readSo(id, 0, { parts: { keepers: { nobody: { by: ',' } } } });
    expect([refused.state, refused.problem]).toEqual(['failed', expect.stringContaining('Choose among code, keeper')]);
    await readSo(id, 0, wish);
    await load(id);
    // The code tells both, so they may stand in a table of their own.
    const labels = place.access.workspace.model.tables.flatMap(({ fields }) => fields.map(({ label }) => label));
    expect(labels).toEqual(expect.arrayContaining(['Family', 'First', 'Month', 'Value']));
  });
});

describe('several tables of one sheet', () => {
  const cells = [
    ['Hives'],
    ['number', 'kg', 'keeper'],
    ['H-1', '10', 'K-01'],
    ['H-2', '20', 'K-02'],
    ['H-3', '30', 'K-01'],
    [],
    ['Keepers'],
    ['code', 'name', 'since'],
    ['K-01', 'Ada', '2020-03-01'],
    ['K-02', 'Bram', '2021-04-02'],
    ['K-03', 'Cilla', '2022-05-03'],
  ];
  const workbook = () => {
    const book = utils.book_new();
    utils.book_append_sheet(book, utils.aoa_to_sheet(cells), 'Overview');
    return write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer;
  };

  test.each([
    ['a file of texts', 'overview.csv', () => cells.map((row) => row.join(',')).join('\n')],
    ['a workbook', 'overview.xlsx', workbook],
  ])('%s: each comes in by itself, linked to the others, and all rows are accounted for', async (_, name, bytes) => {
    await newAccess();
    const { id, sheets, proposal } = await bring({ name, bytes: bytes() });
    expect(sheets.map(({ name: one, rows }) => [one, rows])).toEqual([
      ['Hives', 3],
      ['Keepers', 3],
    ]);
    expect(sheets[0]?.notes.join()).toContain('2 tables stand in the sheet');
    expect(proposal?.links).toMatchObject([{ from: { sheet: 0, column: 2 }, to: { sheet: 1, column: 0 } }]);
    const { receipt } = await load(id);
    expect(receipt?.sheets.map(({ added, inFile }) => [added, inFile?.above, inFile?.names])).toEqual([
      [3, 1, 1],
      [3, 1, 1],
    ]);
    // One table, where a person says so.
    await newAccess();
    const other = await bring({ name, bytes: bytes() });
    const one = await readSo(other.id, 0, { oneTable: true });
    expect(one.sheets.filter(({ derived }) => !derived)).toHaveLength(1);
  });
});
