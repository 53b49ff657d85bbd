import * as sheetjs from '@e965/xlsx';
import { beforeEach, expect, test } from 'vitest';
import { correctIntake } from '$server/intake/intakes';
import { undoLoad } from '$server/intake/load/loading';
import { Refusal } from '$server/base/refusal';
import { withAside } from '$server/records/asideMarks';
import { readByIds } from '$server/query/read';
import { intaking } from './intaking';
import { Place, text } from './place';

const { place, newAccess, bring, load, again } = intaking('found_by_use');
let home: Place;

beforeEach(async () => {
  const access = await newAccess();
  home = new Place(place.pool, access.workspace.key, place.ida);
});

test('a table, and a table with options and a link to it, in one plan', async () => {
  await home.change(
    { do: 'addTable', label: 'Shelves', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Items',
      fields: [
        text('Name'),
        { label: 'State', type: 'option', options: [{ label: 'new' }, { label: 'used' }] },
        { label: 'Shelf', type: 'link', to: 'shelves' },
      ],
    },
  );
  await home.insert('shelves', { name: 'Left' });
  await home.insert('items', { name: 'Saw', state: 'used', shelf: 1 });
  expect(await home.values('items', 'state')).toEqual(['used']);
});

test('a link to a table that the same plan makes only afterwards is refused with the way to write it', async () => {
  const plan = home.plan(
    { do: 'addTable', label: 'Items', fields: [text('Name'), { label: 'Shelf', type: 'link', to: 'shelves' }] },
    { do: 'addTable', label: 'Shelves', fields: [text('Name')] },
  );
  const refused = await plan.then(
    () => null,
    (error: unknown) => (error instanceof Refusal ? error : null),
  );
  expect(refused?.problem).toMatchObject({ message: expect.stringContaining('shelves'), fix: expect.any(String) });
  expect(refused?.status).toBe(422);
});

test('a text becomes a link and is called something else at once', async () => {
  await home.change(
    { do: 'addTable', label: 'Shelves', fields: [text('Name', { unique: true })] },
    { do: 'addTable', label: 'Items', fields: [text('Name'), text('Place')] },
  );
  await home.insert('shelves', { name: 'Left' });
  await home.insert('items', { name: 'Saw', place: 'Left' }, { name: 'Axe', place: 'Nowhere' });
  const { model } = (await home.access()).workspace;
  const field = model.tables[1]!.fields.find(({ key }) => key === 'place')!;
  await home.change({ do: 'changeField', table: 'items', field: field.id, set: { label: 'Shelf' } }, {
    do: 'textToLink',
    table: 'items',
    field: field.id,
    to: 'shelves',
  } as never);
  expect((await home.values('items', 'place')).map((value) => (value as { title: string } | null)?.title)).toEqual([
    'Left',
    undefined,
  ]);
});

test('a JSON list of words is several options, or anything else a person takes it for', async () => {
  const rows = Array.from({ length: 30 }, (_, n) => ({
    name: `n${n}`,
    tags: n % 3 === 0 ? ['a', 'b'] : n % 3 === 1 ? ['b'] : [],
  }));
  const intake = await bring({ name: 'things.json', bytes: JSON.stringify(rows) });
  expect(intake.problem).toBeNull();
  const column = intake.sheets[0]!.columns.findIndex(({ name }) => name === 'tags');
  await correctIntake(place.pool, place.access, intake.id, {
    tables: {},
    columns: { [`0.${column}`]: { as: 'options' } },
  });
  const loaded = await load(intake.id);
  expect(loaded.problem).toBeNull();
  await again();
  expect((await home.values('things', 'tags')).slice(0, 3)).toEqual([['b', 'a'], ['b'], null]);
});

test('a value set aside is seen with its record, and gets a second chance when the type changes', async () => {
  await home.change({
    do: 'addTable',
    label: 'Items',
    fields: [text('Name'), text('Size'), { label: 'Twice', type: 'text' }],
  });
  await home.insert(
    'items',
    { name: 'Saw', size: '12' },
    { name: 'Axe', size: 'large' },
    { name: 'Rope', size: 'long' },
  );
  const toNumber = await home.change({ do: 'changeField', table: 'items', field: 'size', set: { type: 'number' } });
  const access = await home.access();
  const table = access.workspace.model.tables[0]!;
  const shown = await withAside(place.pool, access, table, await readByIds(place.pool, access, table, [1, 2, 3]));
  expect(shown.map(({ aside }) => aside?.size?.text)).toEqual([undefined, 'large', 'long']);
  // One of them was corrected meanwhile: that stands.
  await home.write('items', { update: [{ id: 3, values: { size: 9 } }] });
  const back = await home.change({ do: 'changeField', table: 'items', field: 'size', set: { type: 'text' } });
  expect(await home.values('items', 'size')).toEqual(['12', 'large', '9']);
  const open = async () =>
    (
      await place.pool.query('select text from loom.open_set_aside where workspace = $1 order by id', [
        place.access.workspace.id,
      ])
    ).rows.map(({ text: one }: { text: string }) => one);
  expect(await open()).toEqual([]);
  // Undone, it is set aside again; that undone, too, it is where it was.
  await home.undo(back);
  expect(await home.values('items', 'size')).toEqual([12, null, 9]);
  expect(await open()).toEqual(['large']);
  expect(toNumber).toBeGreaterThan(0);
});

test('errors in a workbook’s cells are in the receipt, each kind counted', async () => {
  const sheet = sheetjs.utils.aoa_to_sheet([['name', 'size'], ...Array.from({ length: 12 }, (_, n) => [`n${n}`, n])]);
  for (const [at, error] of [
    ['B3', 42],
    ['B5', 42],
    ['B6', 7],
  ] as const)
    sheet[at] = { t: 'e', v: error };
  const book = { SheetNames: ['Things'], Sheets: { Things: sheet } };
  const intake = await bring({
    name: 'things.xlsx',
    bytes: sheetjs.write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer,
  });
  const loaded = await load(intake.id);
  expect(loaded.receipt?.sheets[0]?.notes).toEqual([
    '2 cells hold the error #N/A and are blank',
    '1 cell holds the error #DIV/0! and is blank',
  ]);
});

test('a file that was loaded before is said to be the same, until its load is undone', async () => {
  const file = { name: 'things.csv', bytes: 'name,size\na,1\nb,2\nc,3\n' };
  const first = await bring(file);
  expect(first.sheets[0]?.notes).toEqual([]);
  const loaded = await load(first.id);
  expect((await bring({ ...file, name: 'renamed.csv' })).sheets[0]?.notes).toEqual([
    expect.stringMatching(/^this very file was loaded before, on \d{4}-/),
  ]);
  expect((await bring({ ...file, bytes: `${file.bytes}d,4\n` })).sheets[0]?.notes).toEqual([]);
  await undoLoad(place.pool, place.access, loaded.id);
  expect((await bring(file)).sheets[0]?.notes).toEqual([]);
});
