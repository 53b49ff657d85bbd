import * as sheetjs from '@e965/xlsx';
import iconv from 'iconv-lite';
import { describe, expect, test } from 'vitest';
import type { Decisions } from '$core/intake/intake';
import { inTurn } from '$server/intake/inTurn';
import { correctIntake, endIntake, readIntake } from '$server/intake/intakes';
import { dryRun, misfitRows, startLoad, undoLoad } from '$server/intake/load/loading';
import { openPool } from '$server/database/pool';
import { undoBatch } from '$server/history/undo';
import { changeNow, formulaField } from './changes';
import { intaking } from './intaking';
import { makeSources } from '../../demo/sources';

const { newAccess, again, until, bring, load, stored, place, readSo } = intaking('intake');

test('the demo’s files are read, linked, tried, loaded, undone, loaded again, and add up', async () => {
  await newAccess();
  const intake = await bring(...makeSources().slice(0, 2));
  expect(intake.problem).toBeNull();
  const [hives, inspections] = intake.sheets;
  expect([hives?.read.encoding, hives?.read.delimiter, hives?.rows, hives?.keys[0]]).toEqual([
    'windows-1252',
    ';',
    240,
    0,
  ]);
  expect(hives?.columns.map(({ type }) => type)).toEqual(['text', 'option', 'text', 'option', 'number', 'date']);
  expect(inspections?.columns.map(({ type }) => type)).toEqual([
    'text',
    'date',
    'text',
    'number',
    'number',
    'option',
    'text',
  ]);
  // Both name keepers, and neither tells of them: they get a table of their own.
  expect(intake.sheets.map(({ name, rows }) => [name, rows])).toEqual([
    ['hives', 240],
    ['inspections', 3600],
    ['keepers', 41],
  ]);
  expect(intake.proposal?.links).toMatchObject([
    { from: { sheet: 1, column: 0 }, to: { sheet: 0, column: 0 }, matching: 3584, missing: 16 },
    { from: { sheet: 0, column: 2 }, to: { sheet: 2, column: 0 }, matching: 240, missing: 0 },
    { from: { sheet: 1, column: 2 }, to: { sheet: 2, column: 0 }, matching: 3600, missing: 0 },
  ]);
  expect(intake.proposal?.links[0]?.misfits.map(({ text }) => text).sort()).toEqual(['0777', '0901', '0902', '0903']);

  const tried = await dryRun(place.pool, place.access, intake.id);
  const want = [
    { read: 240, added: 240, setAside: 0, refused: 0 },
    {
      read: 3600,
      added: 3580,
      setAside: 20,
      refused: 0,
      links: [
        { made: 3584, missed: 16 },
        { made: 3600, missed: 0 },
      ],
    },
    { read: 41, added: 41, setAside: 0, refused: 0 },
  ];
  expect(tried.receipt?.dry).toBe(true);
  expect(tried.receipt?.sheets).toMatchObject(want);
  expect((await again()).workspace.model.tables).toEqual([]);

  const loaded = await load(intake.id);
  expect(loaded.state).toBe('loaded');
  expect(loaded.receipt?.sheets).toMatchObject(want);
  for (const sheet of loaded.receipt?.sheets ?? [])
    for (const { read, stored: kept } of sheet.sums) expect(kept).toBe(read);
  expect((await stored('hives', 'hive_no, weight_kg, keeper'))[0]).toEqual({
    hive_no: '0001',
    weight_kg: '34.4',
    keeper: 1,
  });
  expect((await stored('keepers', 'keeper'))[0]).toEqual({ keeper: 'Pell Ashlock' });
  expect((await misfitRows(place.pool, place.access, intake.id, 1)).length).toBe(21);
  expect((await place.pool.query('select 1 from loom.set_aside')).rowCount).toBe(20);

  await undoLoad(place.pool, place.access, intake.id);
  expect((await again()).workspace.model.tables).toEqual([]);
  expect((await place.pool.query('select 1 from loom.set_aside')).rowCount).toBe(0);
  const second = await load(intake.id);
  // Undone from History, and that undone, too: the intake says what stands.
  const { batch: undo } = await undoBatch(place.pool, await again(), second.batch ?? 0);
  expect((await readIntake(place.pool, place.access, intake.id)).state).toBe('undone');
  await undoBatch(place.pool, await again(), undo);
  expect((await readIntake(place.pool, await again(), intake.id)).state).toBe('loaded');
  expect(second.receipt?.sheets).toMatchObject(want);
  await changeNow(place.pool, place.access, [
    formulaField(place.access, place.access.workspace.model.tables[0]!, 'last_visit', 'max(inspections.visited)'),
  ]);
  await again();
  // What was built on the load stands in the way of taking it back, and is named.
  await expect(undoLoad(place.pool, place.access, intake.id)).rejects.toThrow('last visit');
});

/** A sheet of visits that repeats the keeper and the apiary on every row, with small disagreements. */
function flatSheet(rows: number): string {
  const villages = ['Ashbeck', 'Mossgill', 'Thornby'];
  const line = (i: number) => {
    const keeper = (i * 7) % 13;
    const apiary = keeper % 4;
    const village = i % 100 === 50 ? 'Ashbek' : (villages[keeper % 3] ?? '');
    return [
      `2026-05-${String((i % 28) + 1).padStart(2, '0')}`,
      `K-${String(keeper + 1).padStart(3, '0')}`,
      `keeper ${keeper}`,
      village,
      `apiary ${apiary}`,
      `owner ${apiary}`,
      `${i % 11}`,
      i % 40 === 3 ? '–' : `${i},5 kg`,
    ].join(';');
  };
  return `day;keeper_code;keeper;village;apiary_name;apiary_owner;frames;weight\n${Array.from({ length: rows }, (_, i) => line(i)).join('\n')}\n`;
}

test('a flat sheet is taken apart into linked tables, adds up, and comes back whole when undone', async () => {
  await newAccess();
  const intake = await bring({ name: 'visits.csv', bytes: flatSheet(600) });
  expect(intake.problem).toBeNull();
  expect(
    intake.sheets.map(({ name, rows, derived }) => [name, rows, derived?.determinant, derived?.dependents]),
  ).toEqual([
    ['visits', 600, undefined, undefined],
    ['keepers', 13, 1, [2, 3, 4]],
    ['apiaries', 4, 4, [5]],
  ]);
  expect(intake.sheets[1]?.derived?.exceptions).toMatchObject([{ column: 3, rows: 4 }]);
  const loaded = await load(intake.id);
  expect(loaded.problem).toBeNull();
  const { tables } = place.access.workspace.model;
  expect(
    tables.map(({ label, fields }) => [
      label,
      ...fields
        .filter(({ type }) => !/^(?:created|changed)/.test(type.kind))
        .map(({ key, type }) => `${key} ${type.kind}`),
    ]),
  ).toEqual(
    [
      ['Visits', 'day date', 'keeper link', 'frames number', 'weight number'],
      ['Keepers', 'keeper_code text', 'keeper text', 'village option', 'apiary link', 'visits counterpart'],
      ['Apiaries', 'apiary_name text', 'apiary_owner text', 'keepers counterpart'],
    ].map((row) => expect.arrayContaining(row)),
  );
  const { rows } = await place.pool.query<{ keeper: string; village: string; owner: string; n: number; kg: string }>(
    `select k.keeper, k.village, a.apiary_owner as owner, count(*) as n, sum(v.weight)::text as kg from "${place.access.workspace.key}".visits v
     join "${place.access.workspace.key}".keepers k on k._id = v.keeper join "${place.access.workspace.key}".apiaries a on a._id = k.apiary group by 1, 2, 3 order by 1`,
  );
  expect(rows).toHaveLength(13);
  expect(rows.reduce((sum, { n }) => sum + n, 0)).toBe(600);
  const [visits] = loaded.receipt?.sheets ?? [];
  expect(visits).toMatchObject({ read: 600, added: 600, setAside: 0, refused: 0, links: [{ made: 600, missed: 0 }] });
  for (const { read, stored: sum } of visits?.sums ?? []) expect(sum).toBe(read);
  await undoLoad(place.pool, place.access, intake.id);
  expect((await again()).workspace.model.tables).toEqual([]);
  // A person may leave it together.
  const together = await correctIntake(place.pool, place.access, intake.id, {
    tables: { '1': { skip: true }, '2': { skip: true } },
    columns: {},
  });
  expect(together.proposal?.mappings.map(({ sheet, columns }) => [sheet, columns.length])).toEqual([[0, 8]]);
});

test('a workbook and its several sheets go in as they are linked', async () => {
  await newAccess();
  const book = sheetjs.utils.book_new();
  const add = (name: string, rows: unknown[][]) =>
    sheetjs.utils.book_append_sheet(book, sheetjs.utils.aoa_to_sheet(rows), name);
  add('Hives', [
    ['Our hives, 2026'],
    [],
    ['no', 'type'],
    ...Array.from({ length: 20 }, (_, i) => [`H-${i + 10}`, ['long', 'frame'][i % 2]]),
  ]);
  add('Remarks', [['nothing here but a line']]);
  add('Harvests', [
    ['hive', 'kg', 'price'],
    ...Array.from({ length: 40 }, (_, i) => [`H-${(i % 20) + 10}`, i / 4, `${i}.50 €`]),
  ]);
  const intake = await bring({
    name: 'book.xlsx',
    bytes: sheetjs.write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer,
  });
  expect(intake.problem).toBeNull();
  expect(intake.sheets.map(({ name, rows }) => [name, rows])).toEqual([
    ['Hives', 20],
    ['Harvests', 40],
  ]);
  expect(intake.sheets[0]?.notes).toEqual([
    '1 row stands above the names of the columns',
    'the sheet Remarks has a header but no rows',
  ]);
  const loaded = await load(intake.id);
  expect(loaded.receipt?.sheets).toMatchObject([{ added: 20 }, { added: 40, links: [{ made: 40, missed: 0 }] }]);
  expect(loaded.receipt?.sheets[1]?.sums).toMatchObject([
    { field: 'Kg', read: '195', stored: '195' },
    { field: 'Price', read: '800', stored: '800' },
  ]);
  // Read again as one table with a name over two rows: everything is found anew.
  await undoLoad(place.pool, place.access, intake.id);
  const other = await readSo(intake.id, 0, { preamble: 1, header: 0 });
  expect(other.sheets[0]?.columns.map(({ name }) => name)).toEqual(['Column 1', 'Column 2']);
});

test('corrections change what they touch and nothing else; self links and any order of sheets resolve', async () => {
  await newAccess();
  const intake = await bring(
    { name: '../../etc/visits.csv', bytes: 'hive;when;ok\nB;03/04/2026;yes\nA;13/04/2026;no\nZ;01/01/2026;x\n' },
    { name: 'hives.csv', bytes: '\uFEFFhive,split_from_hive,kg\nA,,1\nB,A,2\nC,B,x3\nD,C,4\n' },
  );
  expect(intake.sheets.map(({ name }) => name)).toEqual(['visits', 'hives']);
  const [visits, hives] = intake.proposal!.changes.filter((change) => change.do === 'addTable');
  expect([visits?.table.key, hives?.table.key]).toEqual(['visits', 'hives']);
  expect(
    intake.proposal?.links.map(({ from, matching, missing }) => [from.sheet, from.column, matching, missing]),
  ).toEqual(
    expect.arrayContaining([
      [0, 0, 2, 1],
      [1, 1, 3, 0],
    ]),
  );
  const decisions: Decisions = {
    tables: { 1: { label: 'Colonies' } },
    columns: { '0.2': { as: 'skip' }, '0.1': { reading: { decimal: '.', dateOrder: 'dmy' } }, '1.2': { as: 'number' } },
  };
  const corrected = await correctIntake(place.pool, place.access, intake.id, decisions);
  expect(corrected.proposal?.mappings[0]?.columns.map(({ column }) => column)).toEqual([0, 1]);
  expect(corrected.proposal?.mappings[1]?.columns[0]?.field).toBe(intake.proposal?.mappings[1]?.columns[0]?.field);
  const done = await load(intake.id);
  expect(done.receipt?.sheets).toMatchObject([
    { read: 3, added: 2, setAside: 1, refused: 0 },
    { read: 4, added: 3, setAside: 1, refused: 0 },
  ]);
  expect(await stored('colonies', 'hive, split_from_hive, kg')).toEqual([
    { hive: 'A', split_from_hive: null, kg: '1' },
    { hive: 'B', split_from_hive: 1, kg: '2' },
    { hive: 'C', split_from_hive: 2, kg: null },
    { hive: 'D', split_from_hive: 3, kg: '4' },
  ]);
  expect(await stored('visits', 'hive, when_field::text as day')).toEqual([
    { hive: 2, day: '2026-04-03' },
    { hive: 1, day: '2026-04-13' },
    { hive: null, day: '2026-01-01' },
  ]);
});

describe('files that are no tables get a clear message, and nothing is half-made', () => {
  const row = 'a,b\n1,2\n';
  test.each<[string, string, Buffer | string, string]>([
    ['empty', 'a.csv', '', 'is empty'],
    ['blank', 'a.csv', ' \n \n', 'is empty'],
    ['only a header', 'a.csv', 'a,b\n', 'a header but no rows'],
    ['cut off in a quote', 'a.csv', 'a,b\n1,"two\n3,4\n', 'cut off: row 2'],
    ['a NUL byte early', 'a.csv', 'a,b\n1,\0\n', 'NUL'],
    [
      'a NUL byte late',
      'a.csv',
      Buffer.concat([Buffer.from('a,b\n' + '1,2\n'.repeat(40_000)), Buffer.from('1,\0\n')]),
      'NUL',
    ],
    ['a picture', 'a.csv', Buffer.from('89504e470d0a1a0a0000', 'hex'), 'is a picture'],
    ['a workbook named csv', '../x/a.csv', Buffer.from('504b030414000000', 'hex'), 'damaged'],
    ['a thousand columns too many', 'a.csv', `${'c,'.repeat(2000)}c\n1\n`, '2,001 columns'],
    ['a huge cell', 'a.csv', `a,b\n1,${'x'.repeat(1_500_000)}\n`, 'a cell of 1,500,000'],
  ])('%s', async (_, name, bytes, message) => {
    await newAccess();
    const intake = await bring({ name: 'good.csv', bytes: row }, { name, bytes });
    expect(intake.state).toBe('failed');
    expect(intake.problem).toContain(message);
    const { rows } = await place.pool.query<{ n: number }>('select count(*) as n from pg_class where relname like $1', [
      `s${intake.id}_%`,
    ]);
    expect(rows[0]?.n).toBe(0);
    await expect(startLoad(place.pool, place.access, intake.id)).rejects.toThrow('failed');
  });

  test('rows of other lengths: shorter ones are filled up and said, longer ones refused and kept', async () => {
    await newAccess();
    const intake = await bring({
      name: 'a.csv',
      bytes: 'a,b,c\r\n1,2,3\r\n4,5\r\n6,7,8,9\r\n"x\ny","z, ""q""",\r\n1,2,3,,\r\n',
    });
    expect(intake.sheets[0]?.notes).toEqual([
      '1 rows are shorter than the header; their last columns are blank',
      '1 rows are longer than the header and will be refused',
    ]);
    const { receipt } = await load(intake.id);
    expect(receipt?.sheets[0]).toMatchObject({
      read: 5,
      added: 4,
      setAside: 0,
      refused: 1,
      reasons: [{ reason: 'refused: has 4 cells where the header has 3', samples: ['row 3'] }],
    });
    expect((await stored('a', 'a, b, c'))[2]).toEqual({ a: 'x\ny', b: 'z, "q"', c: null });
  });

  test.each<[string, Buffer, string]>([
    ['UTF-8 with a mark', Buffer.from('\uFEFFname;n\nJürgen 🐝;1\n'), 'Jürgen 🐝'],
    ['UTF-16 little endian', iconv.encode('\uFEFFname;n\nJürgen;1\n', 'utf-16le'), 'Jürgen'],
    ['Windows-1252', iconv.encode('name;n\nJürgen – “x”;1\n', 'windows-1252'), 'Jürgen – “x”'],
    ['sep line', Buffer.from('sep=;\nname;n\nJürgen;1\n'), 'Jürgen'],
  ])('encoding: %s', async (_, bytes, name) => {
    await newAccess();
    const intake = await bring({ name: 'names.csv', bytes });
    expect(intake.problem).toBeNull();
    expect(intake.sheets[0]?.columns[0]?.samples).toEqual([name]);
  });
});

test('a load whose PostgreSQL process is killed leaves nothing, and says so', async () => {
  await newAccess();
  const rows = Array.from({ length: 60_000 }, (_, i) => `${i},${i % 977},text ${i}`).join('\n');
  const intake = await bring({ name: 'big.csv', bytes: `id,n,words\n${rows}\n` });
  await startLoad(place.pool, place.access, intake.id);
  let killed = 0;
  for (let tries = 0; killed === 0 && tries < 500; tries++) {
    const found = await place.pool.query(
      `select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and ltrim(query, E' \\n') like 'insert into "intake_%'`,
    );
    killed = found.rowCount ?? 0;
  }
  expect(killed).toBe(1);
  const ended = await until(intake.id, (state) => state !== 'loading');
  expect(ended.problem).toContain('nothing of it was kept');
  expect((await again()).workspace.model.tables).toEqual([]);
  const { rows: left } = await place.pool.query('select 1 from information_schema.tables where table_schema = $1', [
    place.access.workspace.key,
  ]);
  expect(left).toEqual([]);
});

test('work that nobody does any more is said to be cut off; a cancelled load leaves nothing', async () => {
  await newAccess();
  const intake = await bring({ name: 'a.csv', bytes: 'a,b\n1,2\n' });
  await place.pool.query(
    `update loom.intakes set state = 'loading', made_at = now() - interval '1 minute' where id = $1`,
    [intake.id],
  );
  const cut = await readIntake(place.pool, place.access, intake.id);
  expect([cut.state, cut.problem]).toEqual(['ready', expect.stringContaining('stopped in the middle of the load')]);
  await place.pool.query(`delete from loom_staging.${intake.sheets[0]!.staged}`);
  await place.pool.query(
    `update loom.intakes set state = 'loading', made_at = now() - interval '1 minute' where id = $1`,
    [intake.id],
  );
  expect((await readIntake(place.pool, place.access, intake.id)).state).toBe('failed');

  const other = await bring({ name: 'b.csv', bytes: 'a,b\n1,2\n' });
  await startLoad(place.pool, place.access, other.id);
  await endIntake(place.pool, place.access, other.id);
  const ended = await until(other.id, (state) => state !== 'loading');
  // The load may have been faster than its cancelling; what it said is what stands.
  expect((await again()).workspace.model.tables.length).toBe(ended.state === 'loaded' ? 1 : 0);
});

describe('into tables that stand', () => {
  const hives = 'no,type,kg,since\nA,long,1.5,2024-01-01\nB,frame,2,2024-02-01\nC,long,,2024-03-01\nD,skep,4,\n';
  const visits = 'hive,day,frames\nA,2026-05-01,3\nB,2026-05-02,4\n';
  /** Two linked tables as a load makes them; the intake of another file, sent into one of them. */
  async function send(
    bytes: string,
    decision: { mode?: 'add' | 'update' | 'both'; blanks?: 'keep' | 'clear'; by?: string[] } = {},
    label = 'Hives',
  ) {
    await newAccess();
    await load((await bring({ name: 'hives.csv', bytes: hives }, { name: 'visits.csv', bytes: visits })).id);
    const table = place.access.workspace.model.tables.find((one) => one.label === label);
    const intake = await bring({ name: 'news.csv', bytes });
    const by = decision.by?.map((key) => table?.fields.find((field) => field.key === key)?.id ?? '');
    const corrected = await correctIntake(place.pool, place.access, intake.id, {
      tables: { '0': { into: table?.id ?? '', ...decision, ...(by ? { by } : { by: undefined }) } },
      columns: {},
    });
    expect(corrected.proposal?.changes).toEqual([]);
    return intake.id;
  }
  const numbers = async (id: number) => {
    const tried = (await dryRun(place.pool, place.access, id)).receipt?.sheets[0];
    const before = await stored('hives', '*');
    const loaded = await load(id);
    expect(loaded.problem).toBeNull();
    const receipt = loaded.receipt?.sheets[0];
    // The dry run said the very same.
    expect({ ...tried, tableLabel: '', offset: 0 }).toEqual({ ...receipt, tableLabel: '', offset: 0 });
    const { read = 0, added = 0, changed = 0, unchanged = 0, setAside = 0, refused = 0 } = receipt ?? {};
    expect(added + changed + unchanged + setAside + refused).toBe(read);
    return { counts: [added, changed, unchanged, setAside, refused], before, receipt };
  };
  const news =
    'Hive no;Type;kg;Since\nA;long;1,5;2024-01-01\nB;long;9,5;\nC;;x;2024-03-01\nE;skep;7,5;2026-01-01\nA;skep;1;2026-01-01\n';

  test.each<[string, { mode?: 'add' | 'update' | 'both'; blanks?: 'keep' | 'clear' }, number[], (string | null)[][]]>([
    [
      'both, blanks keep',
      {},
      [1, 1, 1, 1, 1],
      [
        ['A', 'long', '1.5', '2024-01-01'],
        ['B', 'long', '9.5', '2024-02-01'],
        ['C', 'long', null, '2024-03-01'],
        ['D', 'skep', '4', null],
        ['E', 'skep', '7.5', '2026-01-01'],
      ],
    ],
    [
      'both, blanks clear',
      { blanks: 'clear' },
      [1, 1, 1, 1, 1],
      [
        ['A', 'long', '1.5', '2024-01-01'],
        ['B', 'long', '9.5', null],
        ['C', null, null, '2024-03-01'],
        ['D', 'skep', '4', null],
        ['E', 'skep', '7.5', '2026-01-01'],
      ],
    ],
    [
      'new ones only',
      { mode: 'add' },
      [1, 0, 0, 0, 4],
      [
        ['A', 'long', '1.5', '2024-01-01'],
        ['B', 'frame', '2', '2024-02-01'],
        ['C', 'long', null, '2024-03-01'],
        ['D', 'skep', '4', null],
        ['E', 'skep', '7.5', '2026-01-01'],
      ],
    ],
    [
      'standing ones only',
      { mode: 'update' },
      [0, 1, 1, 1, 2],
      [
        ['A', 'long', '1.5', '2024-01-01'],
        ['B', 'long', '9.5', '2024-02-01'],
        ['C', 'long', null, '2024-03-01'],
        ['D', 'skep', '4', null],
      ],
    ],
  ])('%s', async (_, decision, counts, rows) => {
    const id = await send(news, decision);
    const outcome = await numbers(id);
    expect(outcome.counts).toEqual(counts);
    const labels = await place.pool.query<{ no: string; type: string; kg: string; since: string }>(
      `select no, type, kg::text, since::text from "${place.access.workspace.key}".hives order by no`,
    );
    expect(labels.rows.map(({ no, type, kg, since }) => [no, type, kg, since])).toEqual(rows);
    // Undone, every record is as it was; undone again, it is as it was loaded.
    const intake = await readIntake(place.pool, place.access, id);
    const { batch } = await undoBatch(place.pool, await again(), intake.batch ?? 0);
    const plain = (all: Record<string, unknown>[]) =>
      all.map((row) =>
        Object.fromEntries(Object.entries(row).filter(([key]) => ![`_version`, `last_changed`].includes(key))),
      );
    expect(plain(await stored('hives', '*'))).toEqual(plain(outcome.before));
    await undoBatch(place.pool, await again(), batch);
    expect((await place.pool.query(`select no from "${place.access.workspace.key}".hives`)).rowCount).toBe(rows.length);
  });

  test('what differs is said with both values, and what is calculated follows', async () => {
    const id = await send('no,kg\nA,10\nD,4.0\n', { mode: 'update' });
    await changeNow(place.pool, await again(), [
      formulaField(
        place.access,
        place.access.workspace.model.tables.find(({ label }) => label === 'Hives')!,
        'double',
        'kg * 2',
      ),
    ]);
    await again();
    const { counts, receipt } = await numbers(id);
    expect(counts).toEqual([0, 1, 1, 0, 0]);
    expect(receipt?.changes).toEqual([{ row: 1, column: 1, record: 'A', field: 'Kg', before: '1.5', after: '10.0' }]);
    expect((await stored('hives', 'no, double')).map(({ no, double }) => [no, double])).toEqual([
      ['A', '20'],
      ['B', '4'],
      ['C', null],
      ['D', '8'],
    ]);
  });

  test('rows of a linked table find their targets among the records that stand; those that do not are set aside', async () => {
    const id = await send('hive_no,day,frames\nB,2026-06-01,5\nZ,2026-06-02,6\n', {}, 'Visits');
    const loaded = await load(id);
    expect(loaded.receipt?.sheets).toMatchObject([
      { read: 2, added: 1, setAside: 1, links: [{ field: 'Hive', made: 1, missed: 1 }] },
    ]);
    const { rows } = await place.pool.query(
      `select h.no, v.frames::text from "${place.access.workspace.key}".visits v left join "${place.access.workspace.key}".hives h on h._id = v.hive order by v._id`,
    );
    expect(rows.map((row) => Object.values(row as object))).toEqual([
      ['A', '3'],
      ['B', '4'],
      ['B', '5'],
      [null, '6'],
    ]);
  });

  test('a sheet about things that stand is proposed into their table, what is split off as well, and links find both', async () => {
    await newAccess();
    const first = flatSheet(300);
    await load((await bring({ name: 'visits.csv', bytes: first })).id);
    const later = `${flatSheet(300).replaceAll('2026-05', '2026-06')}2026-06-29;K-099;keeper 99;Ashbeck;apiary 1;owner 1;5;1 kg\n2026-06-30;K-099;keeper 99;Ashbeck;apiary 1;owner 1;6;2 kg\n`;
    const intake = await bring({ name: 'june.csv', bytes: later });
    const labelOf = (id: string | undefined) =>
      place.access.workspace.model.tables.find((table) => table.id === id)?.label;
    // The sheet has the shape of the first one, so it goes where that went; here it is to be a table of its own.
    expect(intake.proposal?.mappings.map(({ table, into }) => [labelOf(table), into?.by.length])).toEqual([
      ['Visits', 0],
      ['Keepers', 1],
      ['Apiaries', 1],
    ]);
    await correctIntake(place.pool, place.access, intake.id, { tables: { 0: { into: 'new' } }, columns: {} });
    const loaded = await load(intake.id);
    expect(loaded.problem).toBeNull();
    expect(loaded.receipt?.sheets).toMatchObject([
      { tableLabel: 'June', read: 302, added: 302, links: [{ made: 302, missed: 0 }] },
      { tableLabel: 'Keepers', read: 14, added: 1, changed: 0, unchanged: 13 },
      { tableLabel: 'Apiaries', read: 4, added: 0, changed: 0, unchanged: 4 },
    ]);
    const { rows } = await place.pool.query(
      `select k.keeper_code, a.apiary_name, count(*) as n from "${place.access.workspace.key}".june j join "${place.access.workspace.key}".keepers k on k._id = j.keeper
       join "${place.access.workspace.key}".apiaries a on a._id = k.apiary where k.keeper_code in ('K-099', 'K-001') group by 1, 2 order by 1`,
    );
    expect(rows).toEqual([
      { keeper_code: 'K-001', apiary_name: 'apiary 0', n: 24 },
      { keeper_code: 'K-099', apiary_name: 'apiary 1', n: 2 },
    ]);
    // All of it is undone, what stood stays.
    await undoLoad(place.pool, place.access, intake.id);
    expect((await again()).workspace.model.tables.map(({ label }) => label)).toEqual(['Visits', 'Keepers', 'Apiaries']);
    expect((await stored('keepers', '_id')).length).toBe(13);
    // A person may want a table of its own all the same.
    const apart = await correctIntake(place.pool, place.access, intake.id, {
      tables: { '1': { into: 'new' } },
      columns: {},
    });
    expect(apart.proposal?.mappings[1]?.into).toBeUndefined();
  });

  test('a column that names records of a standing table is a link to them', async () => {
    await newAccess();
    await load((await bring({ name: 'hives.csv', bytes: hives })).id);
    const intake = await bring({
      name: 'weights.csv',
      bytes: 'hive,day,grams\nA,2026-07-01,100\nB,2026-07-01,200\nA,2026-07-02,110\nX,2026-07-02,5\nC,2026-07-03,70\n',
    });
    expect(intake.sheets[0]?.standing).toMatchObject([
      { column: 0, matching: 4, missing: 1, misfits: [{ text: 'X', count: 1 }] },
    ]);
    const loaded = await load(intake.id);
    expect(loaded.receipt?.sheets).toMatchObject([
      { read: 5, added: 4, setAside: 1, links: [{ field: 'Hive', made: 4, missed: 1 }] },
    ]);
  });
});

test('a load whose turn has come, and which has no connection yet, is not said to be stopped', async () => {
  await newAccess();
  const { id } = await bring({ name: 'a.csv', bytes: 'a,b\n1,2\n' });
  await place.pool.query(`update loom.intakes set made_at = now() - interval '1 minute' where id = $1`, [id]);
  let letGo = () => {};
  const free = new Promise<void>((resolve) => (letGo = resolve));
  let others = Promise.resolve();
  await new Promise<void>((taken) => {
    others = inTurn(place.pool, 0, async (jobs) => {
      const clients = await Promise.all(Array.from({ length: jobs.options.max }, () => jobs.connect()));
      taken();
      await free;
      for (const client of clients) client.release();
    });
  });
  await startLoad(place.pool, place.access, id);
  // Another process has a pool of its own.
  const elsewhere = openPool(place.pool.options.connectionString ?? '', 1);
  for (const pool of [place.pool, elsewhere]) {
    const { state, problem } = await readIntake(pool, place.access, id);
    expect([state, problem]).toEqual(['loading', null]);
  }
  await elsewhere.end();
  letGo();
  await others;
  expect((await until(id, (state) => state !== 'loading')).state).toBe('loaded');
});
