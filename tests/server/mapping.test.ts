import { stringify } from 'csv-stringify/sync';
import { describe, expect, test } from 'vitest';
import type { Decisions } from '$core/intake/intake';
import { correctIntake, splitByHand } from '$server/intake/intakes';
import { dryRun, misfitRows, undoLoad } from '$server/intake/load/loading';
import { distributionOf } from '$server/intake/staged/stagedRows';
import { nearTargets } from '$server/intake/load/nearTargets';
import { fixSetAside, setAsideGroups, setAsideTexts } from '$server/entry/setAside';
import { undoBatch } from '$server/history/undo';
import { newId } from '$core/types/identity';
import { changeNow } from './changes';
import { intaking, refusalOf } from './intaking';

const { place, newAccess, again, bring, load, stored } = intaking('mapping');
const csv = (name: string, ...rows: string[]) => ({ name: `${name}.csv`, bytes: rows.join('\n') + '\n' });
const correct = (id: number, decisions: Partial<Decisions>) =>
  correctIntake(place.pool, place.access, id, { tables: {}, columns: {}, ...decisions });
const tableNamed = (label: string) => place.access.workspace.model.tables.find((table) => table.label === label);
const fieldsOf = (label: string) =>
  tableNamed(label)?.fields.filter(
    ({ type }) => !['createdAt', 'createdBy', 'changedAt', 'changedBy'].includes(type.kind),
  ) ?? [];

const extractions = csv(
  'extractions',
  'lot,date,kilograms',
  'L-1,2026-05-01,120.5',
  'L-2,2026-05-02,80',
  'L-1,2026-05-09,60.25',
);
const fillings = csv('fillings', 'lot_no,filled_on,kg,jars', 'L-1,2026-06-01,30,60', 'L-2,2026-06-03,12.125,25');

describe('several sheets become one table', () => {
  const joined: Partial<Decisions> = {
    tables: {
      0: { label: 'Movements', mark: { field: 'Kind', text: 'extraction' } },
      1: { with: 0, mark: { field: 'Kind', text: 'filling' } },
    },
    columns: {
      '1.1': { field: 'f0.1' },
      '1.2': { field: 'f0.2', formula: "'-' || value" },
    },
  };

  test('lined up by name and by hand, each marked, with a sign turned by a formula; undone whole', async () => {
    await newAccess();
    const { id } = await bring(extractions, fillings);
    const settled = await correct(id, joined);
    expect(settled.sheets[1]?.columns[2]).toMatchObject({
      sum: '-42.125',
      samples: ['-30', '-12.125'],
      cleaned: { by: "'-' || value" },
    });
    expect(settled.proposal?.changes.filter((change) => change.do === 'addTable')).toHaveLength(1);
    // The proposal keeps its identities through further corrections.
    const once = settled.proposal?.mappings.flatMap(({ table, columns }) => [
      table,
      ...columns.map(({ field }) => field),
    ]);
    const further = await correct(id, joined);
    expect(
      further.proposal?.mappings.flatMap(({ table, columns }) => [table, ...columns.map(({ field }) => field)]),
    ).toEqual(once);

    const loaded = await load(id);
    expect(loaded.problem).toBeNull();
    expect(loaded.receipt?.sheets).toMatchObject([
      { read: 3, added: 3, sums: [{ field: 'Kilograms', read: '260.75', stored: '260.75' }] },
      {
        read: 2,
        added: 2,
        sums: expect.arrayContaining([{ field: 'Kilograms', read: '-42.125', stored: '-42.125' }]) as unknown,
      },
    ]);
    expect(fieldsOf('Movements').map(({ label }) => label)).toEqual(['Lot', 'Date', 'Kilograms', 'Kind', 'Jars']);
    expect(
      await stored('movements', 'lot, date_field::text as day, trim_scale(kilograms)::text as kg, kind, jars::int'),
    ).toEqual([
      { lot: 'L-1', day: '2026-05-01', kg: '120.5', kind: 'extraction', jars: null },
      { lot: 'L-2', day: '2026-05-02', kg: '80', kind: 'extraction', jars: null },
      { lot: 'L-1', day: '2026-05-09', kg: '60.25', kind: 'extraction', jars: null },
      { lot: 'L-1', day: '2026-06-01', kg: '-30', kind: 'filling', jars: 60 },
      { lot: 'L-2', day: '2026-06-03', kg: '-12.125', kind: 'filling', jars: 25 },
    ]);
    await undoLoad(place.pool, place.access, id);
    await again();
    expect(place.access.workspace.model.tables).toEqual([]);
    expect((await load(id)).state).toBe('loaded');
  });

  test('files of the same shape are recognised and go where the last ones went, as they were mapped', async () => {
    await newAccess();
    const { id } = await bring(extractions, fillings);
    await correct(id, joined);
    await load(id);
    const next = await bring(csv('fillings of june', 'lot_no,filled_on,kg,jars', 'L-1,2026-06-11,7.5,15'));
    expect(next.sheets[0]?.remembered?.by).toBe('Ida');
    expect(next.proposal?.mappings).toMatchObject([
      { table: tableNamed('Movements')?.id, constants: [{ text: 'filling' }] },
    ]);
    expect((await load(next.id)).problem).toBeNull();
    expect((await stored('movements', 'lot, kind, trim_scale(kilograms)::text as kg')).at(-1)).toEqual({
      lot: 'L-1',
      kind: 'filling',
      kg: '-7.5',
    });
    // Nothing is remembered of what is gone.
    await undoLoad(place.pool, place.access, next.id);
    await undoLoad(place.pool, place.access, id);
    await again();
    const later = await bring(fillings);
    expect([later.sheets[0]?.remembered, later.proposal?.mappings[0]?.into]).toEqual([undefined, undefined]);
  });
});

describe('formulas over the rows of a sheet', () => {
  test.each<[string, string, string[], string]>([
    ['parts put together', "first || ' ' || last", ['Ida Vale', 'Tom Orrin'], 'text'],
    ['a part of it', "left(code, 1) || '-' || right(code, 3)", ['K-014', 'K-002'], 'text'],
    ['replaced', "replace(value, 'K', 'M')", ['M014', 'M002'], 'text'],
    ['letter case', 'upper(value)', ['K014', 'K002'], 'text'],
    ['counted with', 'cast(right(value, 3) as number) * 2', ['28', '4'], 'number'],
    ['a day out of parts', 'date(2026, cast(right(value, 1) as number), 1)', ['2026-04-01', '2026-02-01'], 'date'],
    ['yes or no', "value = 'K014'", ['yes', 'no'], 'yesNo'],
  ])('%s', async (_, formula, samples, type) => {
    await newAccess();
    const { id } = await bring(csv('keepers', 'code,first,last', 'K014,Ida,Vale', 'K002,Tom,Orrin'));
    const { sheets } = await correct(id, { columns: { '0.0': { formula } } });
    expect(sheets[0]?.columns[0]).toMatchObject({ samples, type });
    const loaded = await load(id);
    expect(loaded.problem).toBeNull();
    expect(loaded.receipt?.sheets[0]).toMatchObject({ read: 2, added: 2, setAside: 0 });
    // Undone, the column is what it was.
    await undoLoad(place.pool, place.access, id);
    await again();
    const { sheets: before } = await correct(id, {});
    expect(before[0]?.columns[0]).toMatchObject({ samples: ['K014', 'K002'], type: 'text' });
  });

  test.each([
    ['replace(vlue, 1, 2)', /vlue/],
    ['sum(code)', /many records|aggregate|set/i],
    ['code +', /./],
  ])('%s is refused with its place', async (formula, message) => {
    await newAccess();
    const { id } = await bring(csv('keepers', 'code,first', 'K014,Ida', 'K002,Tom'));
    expect(await refusalOf(correct(id, { columns: { '0.0': { formula } } }))).toMatch(message);
  });

  test('what a formula makes alike becomes a link', async () => {
    await newAccess();
    const { id, proposal } = await bring(
      csv('hives', 'number,type', 'H-1,long', 'H-2,long', 'H-3,short'),
      csv('visits', 'hive,day', '1,2026-05-01', '2,2026-05-02', '2,2026-05-03'),
    );
    expect(proposal?.links).toEqual([]);
    const after = await correct(id, { columns: { '1.0': { formula: "'H-' || value" } } });
    expect(after.proposal?.links).toMatchObject([
      { from: { sheet: 1, column: 0 }, to: { sheet: 0, column: 0 }, matching: 3, missing: 0 },
    ]);
    const loaded = await load(id);
    expect(loaded.receipt?.sheets[1]?.links).toEqual([{ field: 'Hive', made: 3, missed: 0 }]);
  });
});

const plants = csv('plants', 'name,flowers', 'willow,March', 'lime,June', 'heather,August', 'ivy,September');
const apiaries = csv(
  'apiaries',
  'name,forage',
  'Low Meadow,willow; lime',
  'Fell Gate,heather',
  'Mill Race,"lime; ivy; hedera"',
  'Long Acre,',
  'Old Orchard,willow;  ivy',
  'High Pasture,heather; lime',
);

describe('columns split off by hand', () => {
  const visits = csv(
    'visits',
    'day,place,owner,frames',
    ...Array.from(
      { length: 12 },
      (_, i) => `2026-05-${String(i + 1).padStart(2, '0')},place ${i % 5},owner ${(i * 7) % 12},${i}`,
    ),
  );

  test('become a table and a link; rows that disagree are told, however many', async () => {
    await newAccess();
    const { id, sheets } = await bring(visits);
    expect(sheets).toHaveLength(1);
    const split = await splitByHand(place.pool, place.access, id, { sheet: 0, determinant: 1, dependents: [2] });
    expect(split.sheets[1]).toMatchObject({
      rows: 5,
      derived: { sheet: 0, determinant: 1, dependents: [2], exceptions: [{ column: 2, rows: 7 }] },
    });
    const loaded = await load(id);
    expect(loaded.receipt?.sheets).toMatchObject([
      { read: 12, added: 12, links: [{ made: 12, missed: 0 }] },
      { read: 5, added: 5 },
    ]);
  });

  test('follow a formula that is written later', async () => {
    await newAccess();
    const { id } = await bring(visits);
    await splitByHand(place.pool, place.access, id, { sheet: 0, determinant: 1, dependents: [2] });
    const after = await correct(id, { columns: { '0.1': { formula: 'upper(value)' } } });
    expect(after.sheets[1]?.columns[0]?.samples[0]).toBe('PLACE 0');
    expect((await load(id)).receipt?.sheets[0]?.links).toEqual([{ field: 'Place', made: 12, missed: 0 }]);
  });

  test.each([
    [{ sheet: 0, determinant: 1, dependents: [1] }, /needs a column/],
    [{ sheet: 0, determinant: 9, dependents: [1] }, /no such sheet or column/],
    [{ sheet: 3, determinant: 1, dependents: [2] }, /no such sheet or column/],
  ])('%j is refused', async (wish, message) => {
    await newAccess();
    const { id } = await bring(visits);
    expect(await refusalOf(splitByHand(place.pool, place.access, id, wish))).toMatch(message);
  });
});

describe('cells with several values', () => {
  test('become links to many, each word to its record; what names nothing is set aside', async () => {
    await newAccess();
    const { id, proposal } = await bring(plants, apiaries);
    expect(proposal?.links).toMatchObject([
      { from: { sheet: 1, column: 1 }, to: { sheet: 0, column: 0 }, separator: ';', matching: 9, missing: 1 },
    ]);
    const loaded = await load(id);
    expect(loaded.receipt?.sheets[1]).toMatchObject({
      read: 6,
      added: 5,
      setAside: 1,
      refused: 0,
      links: [{ field: 'Forage', made: 9, missed: 1 }],
    });
    const forage = fieldsOf('Apiaries').find(({ label }) => label === 'Forage');
    const pairs = place.access.workspace.model.tables.find(
      (table) => forage?.type.kind === 'counterpart' && table.id === forage.type.from,
    );
    expect(await stored(pairs?.key ?? '', 'apiaries as a, plants as p', '1, 2')).toHaveLength(9);
    expect(fieldsOf('Plants').map(({ label }) => label)).toEqual(['Name', 'Flowers', 'Apiaries']);
    await undoLoad(place.pool, place.access, id);
    await again();
    expect(place.access.workspace.model.tables).toEqual([]);
  });

  test('say all targets of a record that stands; an undo brings back those it had', async () => {
    await newAccess();
    await load((await bring(plants, apiaries)).id);
    const forage = fieldsOf('Apiaries').find(({ label }) => label === 'Forage');
    const pairs =
      place.access.workspace.model.tables.find(
        (table) => forage?.type.kind === 'counterpart' && table.id === forage.type.from,
      )?.key ?? '';
    const before = await stored(pairs, 'apiaries as a, plants as p', '1, 2');
    const next = await bring(csv('apiaries', 'name,forage', 'Low Meadow,ivy; lime', 'Fell Gate,', 'New Place,heather'));
    const loaded = await load(next.id);
    expect(loaded.receipt?.sheets[0]).toMatchObject({
      read: 3,
      added: 1,
      refused: 0,
      links: [{ field: 'Forage', made: 3, missed: 0 }],
    });
    const after = await stored(pairs, 'apiaries as a, plants as p', '1, 2');
    expect(after.filter(({ a }) => a === 1)).toEqual([
      { a: 1, p: 2 },
      { a: 1, p: 4 },
    ]);
    // A blank cell leaves what stands.
    expect(after.filter(({ a }) => a === 2)).toEqual([{ a: 2, p: 3 }]);
    await undoLoad(place.pool, place.access, next.id);
    expect(await stored(pairs, 'apiaries as a, plants as p', '1, 2')).toEqual(before);
  });
});

test('two columns together tell a target that neither tells alone', async () => {
  await newAccess();
  const stands = csv(
    'stands',
    'apiary,stand,shade',
    ...['Low Meadow', 'Fell Gate', 'Mill Race'].flatMap((name) =>
      [1, 2, 3, 4].map((n) => `${name},${n},${n % 2 ? 'sun' : 'half'}`),
    ),
  );
  const hives = csv(
    'hives',
    'number,apiary,stand',
    'H-1,Low Meadow,1',
    'H-2,Low Meadow,2',
    'H-3,Fell Gate,1',
    'H-4,Mill Race,3',
    'H-5,Mill Race,9',
    'H-6,Fell Gate,4',
  );
  const { id, proposal } = await bring(stands, hives);
  expect(proposal?.links).toMatchObject([
    { from: { sheet: 1, column: 2 }, to: { sheet: 0, column: 1 }, also: { from: 1, to: 0 }, matching: 5, missing: 1 },
  ]);
  expect(proposal?.links[0]?.misfits).toEqual([{ text: '9 · Mill Race', count: 1 }]);
  const loaded = await load(id);
  expect(loaded.receipt?.sheets[1]).toMatchObject({
    added: 5,
    setAside: 1,
    links: [{ field: 'Stand', made: 5, missed: 1 }],
  });
  expect(await stored('hives', 'stand')).toEqual([
    { stand: 1 },
    { stand: 2 },
    { stand: 5 },
    { stand: 11 },
    { stand: null },
    { stand: 8 },
  ]);
  // From then on both together are unique, so that the next file finds its stands by them.
  expect(tableNamed('Stands')?.rules).toMatchObject([
    { kind: 'unique', message: 'There is a record with this stand and apiary already.' },
  ]);
  const next = await bring(
    csv('moved', 'when,apiary,stand', '2026-05-01,Fell Gate,2', '2026-05-02,Mill Race,1', '2026-05-03,Low Meadow,7'),
  );
  expect(next.sheets[0]?.standing?.find(({ also }) => also)).toMatchObject({
    column: 2,
    also: { column: 1 },
    matching: 2,
    missing: 1,
  });
  await undoLoad(place.pool, place.access, id);
  await again();
  expect(place.access.workspace.model.tables).toEqual([]);
});

test('two columns together tell a record of a table that stands, by its rule', async () => {
  await newAccess();
  const apiaryNames = ['Low Meadow', 'Fell Gate', 'Mill Race'];
  await load(
    (
      await bring(
        csv('apiaries', 'name,height', ...apiaryNames.map((name, i) => `${name},${200 + i}`)),
        csv(
          'stands',
          'apiary,stand,shade',
          ...apiaryNames.flatMap((name) => [1, 2, 3, 4].map((n) => `${name},${n},half`)),
        ),
      )
    ).id,
  );
  const stands = tableNamed('Stands');
  const [apiary, stand] = ['apiary', 'stand'].map((key) => stands?.fields.find((field) => field.key === key)?.id ?? '');
  await changeNow(place.pool, place.access, [
    {
      do: 'addRule',
      table: stands?.id ?? '',
      at: 0,
      rule: { id: newId('r'), kind: 'unique', fields: [apiary ?? '', stand ?? ''], message: 'Each stand once.' },
    },
  ]);
  await again();
  const { id, sheets } = await bring(
    csv(
      'hives',
      'number,apiary,stand',
      'H-1,Low Meadow,1',
      'H-2,Fell Gate,1',
      'H-3,Mill Race,4',
      'H-4,Mill Race,9',
      'H-5,Fell Gate,2',
    ),
  );
  expect(sheets[0]?.standing?.find(({ also }) => also)).toMatchObject({
    column: 2,
    field: stand,
    also: { column: 1, field: apiary },
    matching: 4,
    missing: 1,
    misfits: [{ text: '9 · Mill Race' }],
  });
  const loaded = await load(id);
  expect(loaded.receipt?.sheets[0]?.links).toEqual([
    { field: 'Apiary', made: 5, missed: 0 },
    { field: 'Stand', made: 4, missed: 1 },
  ]);
  expect(await stored('hives', 'stand')).toEqual([
    { stand: 1 },
    { stand: 5 },
    { stand: 12 },
    { stand: null },
    { stand: 6 },
  ]);
});

describe('a link whose target is missing', () => {
  const hives = csv(
    'hives',
    'number,type',
    ...Array.from({ length: 12 }, (_, i) => `H-${String(i + 1).padStart(2, '0')},long`),
  );
  const visits = csv(
    'visits',
    'hive,frames',
    ...['H-01', 'H-02', 'h-03', 'H-4', 'H-05', 'H-77', 'H-06', 'H-07', 'H-08', 'H-77', 'H-09'].map(
      (hive, i) => `${hive},${i}`,
    ),
  );

  test.each<['setAside' | 'create' | 'refuse', object, number]>([
    ['setAside', { read: 11, added: 7, setAside: 4, refused: 0, links: [{ field: 'Hive', made: 7, missed: 4 }] }, 12],
    ['create', { read: 11, added: 11, setAside: 0, refused: 0, links: [{ field: 'Hive', made: 11, missed: 0 }] }, 15],
    ['refuse', { read: 11, added: 7, setAside: 0, refused: 4 }, 12],
  ])('%s', async (missing, expected, hiveCount) => {
    await newAccess();
    const { id } = await bring(hives, visits);
    await correct(id, { columns: { '1.0': { missing } } });
    const tried = await dryRun(place.pool, place.access, id);
    expect(tried.receipt?.sheets[1]).toMatchObject(expected);
    const loaded = await load(id);
    expect(loaded.receipt?.sheets[1]).toMatchObject(expected);
    expect(await stored('hives', '_id')).toHaveLength(hiveCount);
    await undoLoad(place.pool, place.access, id);
    await again();
    expect(place.access.workspace.model.tables).toEqual([]);
  });

  test('is made only for rows that come in, and the receipt says how many were made', async () => {
    await newAccess();
    const keepers = csv('keepers', 'code,name', ...Array.from({ length: 12 }, (_, i) => `K-${i + 10},Keeper ${i}`));
    const both = csv(
      'visits',
      'hive,keeper,frames',
      ...Array.from({ length: 12 }, (_, i) => `H-${String(i + 1).padStart(2, '0')},K-${i + 10},${i}`),
      'H-77,K-99,1',
      'H-88,K-10,2',
    );
    const { id } = await bring(hives, keepers, both);
    await correct(id, { columns: { '2.0': { missing: 'create' }, '2.1': { missing: 'refuse' } } });
    const loaded = await load(id);
    expect(loaded.receipt?.sheets[2]).toMatchObject({
      read: 14,
      added: 13,
      refused: 1,
      madeBeside: [{ field: 'Hive', table: 'Hives', count: 1 }],
    });
    expect((await stored('hives', 'number')).map(({ number }) => number)).toHaveLength(13);
  });

  test('near misses are shown and confirmed; what is confirmed finds its target', async () => {
    await newAccess();
    const { id } = await bring(hives, visits);
    const near = await nearTargets(place.pool, place.access, id, { sheet: 1, column: 0, limit: 100 });
    expect(near).toMatchObject({
      missing: 3,
      near: 2,
      texts: [
        { text: 'h-03', count: 1, candidates: [{ key: 'H-03', score: 1 }] },
        { text: 'H-4', count: 1, candidates: [{ key: 'H-04' }] },
        { text: 'H-77', count: 2, candidates: [] },
      ],
    });
    const replace = near.texts.flatMap(({ text, candidates: [best] }) => (best ? [{ from: text, to: best.key }] : []));
    await correct(id, { columns: { '1.0': { replace } } });
    const loaded = await load(id);
    expect(loaded.receipt?.sheets[1]).toMatchObject({ added: 9, setAside: 2, links: [{ made: 9, missed: 2 }] });
  });

  test('very many confirmed spellings are looked up as well as few', async () => {
    await newAccess();
    const { id } = await bring(
      hives,
      csv(
        'visits',
        'hive,frames',
        ...Array.from({ length: 40 }, (_, i) => `${i < 25 ? `H-0${1 + (i % 9)}` : `hive ${i}`},${i}`),
      ),
    );
    const replace = Array.from({ length: 40 }, (_, i) => ({ from: `hive ${i}`, to: `H-0${1 + (i % 9)}` }));
    await correct(id, { columns: { '1.0': { replace } } });
    expect((await load(id)).receipt?.sheets[1]?.links).toEqual([{ field: 'Hive', made: 40, missed: 0 }]);
  });

  test('misfits come back as a file; corrected and brought in, they fill the gaps', async () => {
    await newAccess();
    const { id } = await bring(
      hives,
      csv(
        'visits',
        'hive,frames',
        'H-01,3',
        'H-02,4',
        'H-77,5',
        'H-04,many',
        'H-05,1',
        'H-06,2',
        'H-07,3',
        'H-08,4',
        'H-09,4',
        'H-10,4',
        'H-11,4',
      ),
    );
    await correct(id, { columns: { '1.0': { missing: 'refuse' } } });
    await load(id);
    const rows = await misfitRows(place.pool, place.access, id, 1);
    expect(rows).toEqual([
      ['hive', 'frames', '_intake', '_record', '_why'],
      ['H-77', '5', `${id}.1`, '', '“Hive”: no record of Hives is H-77'],
      ['H-04', 'many', `${id}.1`, '4', 'many: is no number'],
    ]);
    const corrected = rows.map((row, index) =>
      index === 1 ? ['H-12', ...row.slice(1)] : index === 2 ? ['H-04', '7', ...row.slice(2)] : row,
    );
    const again = await bring({ name: 'misfits.csv', bytes: stringify(corrected) });
    expect(again.proposal?.mappings[0]).toMatchObject({
      table: tableNamed('Visits')?.id,
      into: { record: 3, mode: 'both' },
    });
    expect(again.sheets[0]?.remembered?.by).toBe('Ida');
    expect(await setAsideGroups(place.pool, place.access)).toHaveLength(1);
    const filled = await load(again.id);
    expect(filled.receipt?.sheets[0]).toMatchObject({ read: 2, added: 1, changed: 1, setAside: 0, refused: 0 });
    expect(await setAsideGroups(place.pool, place.access)).toEqual([]);
    expect(await stored('visits', 'frames::int')).toHaveLength(11);
    // Undone, the gap is there again, and so is what was set aside.
    await undoLoad(place.pool, place.access, again.id);
    expect(await setAsideGroups(place.pool, place.access)).toHaveLength(1);
  });
});

describe('what was set aside', () => {
  async function withMisfits() {
    await newAccess();
    const { id } = await bring(
      csv('hives', 'number,type', ...Array.from({ length: 12 }, (_, i) => `H-${String(i + 1).padStart(2, '0')},long`)),
      csv(
        'visits',
        'hive,frames,day',
        ...Array.from(
          { length: 60 },
          (_, i) =>
            `${i < 57 ? `H-0${1 + (i % 9)}` : 'H-99'},${i % 30 === 4 ? 'four' : i % 30 === 9 ? '7 or so' : i},${i % 20 === 3 ? '12/31/2025' : i % 10 === 1 ? '31.12.2025' : '2026-05-0' + (1 + (i % 9))}`,
        ),
      ),
    );
    const intake = await load(id);
    return { id, intake };
  }
  const groups = async () => (await setAsideGroups(place.pool, place.access)).map(({ field, count }) => [field, count]);

  test('stands by field and text, with its records', async () => {
    await withMisfits();
    expect(await groups()).toEqual(
      expect.arrayContaining([
        ['frames', 4],
        ['day', 3],
        ['hive', 3],
      ]),
    );
    const table = tableNamed('Visits');
    const frames = table?.fields.find(({ key }) => key === 'frames');
    expect(table && frames && (await setAsideTexts(place.pool, place.access, table, frames))).toMatchObject({
      different: 2,
      values: 4,
      texts: [
        { text: '7 or so', count: 2, records: [{ id: 10 }, { id: 40 }] },
        { text: 'four', count: 2, records: [{ id: 5 }, { id: 35 }] },
      ],
    });
  });

  test('is replaced, read another way, made over, pointed at a record, or left; each undone', async () => {
    await withMisfits();
    const { pool } = place;
    const replaced = await fixSetAside(pool, place.access, 'visits', 'frames', {
      do: 'replace',
      text: 'four',
      value: '4',
    });
    expect(replaced).toMatchObject({ fixed: 2, left: 0 });
    expect(await groups()).toEqual(expect.arrayContaining([['frames', 2]]));
    expect((await stored('visits', 'frames::int'))[4]).toEqual({ frames: 4 });
    await undoBatch(pool, place.access, replaced.batch ?? 0);
    expect(await groups()).toEqual(expect.arrayContaining([['frames', 4]]));

    expect(
      await fixSetAside(
        pool,
        place.access,
        'visits',
        'day',
        { do: 'read', reading: { decimal: '.', dateOrder: 'mdy' } },
        true,
      ),
    ).toMatchObject({
      batch: null,
      fixed: 3,
    });
    expect(
      await fixSetAside(pool, place.access, 'visits', 'day', {
        do: 'read',
        reading: { decimal: '.', dateOrder: 'mdy' },
      }),
    ).toMatchObject({
      fixed: 3,
      left: 0,
    });
    expect((await stored('visits', 'day::text as day'))[3]).toEqual({ day: '2025-12-31' });

    expect(
      await fixSetAside(pool, place.access, 'visits', 'frames', {
        do: 'formula',
        formula: "replace(value, ' or so', '')",
      }),
    ).toMatchObject({
      fixed: 2,
      left: 2,
    });
    expect(
      await fixSetAside(pool, place.access, 'visits', 'hive', { do: 'replace', text: 'H-99', value: 12 }),
    ).toMatchObject({ fixed: 3 });
    expect((await stored('visits', 'hive')).slice(-3)).toEqual([{ hive: 12 }, { hive: 12 }, { hive: 12 }]);
    const left = await fixSetAside(pool, place.access, 'visits', 'frames', { do: 'leave', text: 'four' });
    expect(await groups()).toEqual([]);
    await undoBatch(pool, place.access, left.batch ?? 0);
    expect(await groups()).toEqual([['frames', 2]]);
    expect(
      await refusalOf(
        fixSetAside(pool, place.access, 'visits', 'frames', { do: 'replace', text: 'four', value: 'fore' }),
      ),
    ).toMatch(/number/);
  });
});

describe('how a column spreads over all rows', () => {
  const rows = Array.from(
    { length: 60 },
    (_, i) =>
      `H-${i},${i % 4},${i * 2.5},2026-01-${String(1 + (i % 28)).padStart(2, '0')},${['calm', 'wild', 'fair'][i % 3]}`,
  );
  const sums = async (column: number) => {
    const { id } = await bring(csv('visits', 'hive,frames,weight,day,mood', ...rows, 'H-60,,many,,'));
    const { bars, ...rest } = await distributionOf(place.pool, place.access, id, 0, column);
    return { ...rest, bars: bars.length, counted: bars.reduce((sum, { count }) => sum + count, 0), first: bars[0] };
  };
  test.each<[string, number, object]>([
    [
      'few whole numbers each have a bar',
      1,
      { kind: 'number', bars: 4, counted: 60, blank: 1, misfits: 0, first: { label: '0', count: 15 } },
    ],
    [
      'others are cut into bars of one width',
      2,
      { kind: 'number', bars: 24, counted: 60, blank: 0, misfits: 1, first: { label: '0 – 6.146', count: 3 } },
    ],
    ['days, too', 3, { kind: 'date', bars: 24, counted: 60, blank: 1, misfits: 0 }],
    [
      'words by how often',
      4,
      { kind: 'text', bars: 3, counted: 60, blank: 1, others: 0, first: { label: 'calm', count: 20 } },
    ],
    ['many words by the most frequent', 0, { kind: 'text', bars: 20, others: 41, first: { label: 'H-0', count: 1 } }],
  ])('%s', async (_, column, expected) => {
    await newAccess();
    expect(await sums(column)).toMatchObject(expected);
  });
});

describe('rows that come into a table that stands', () => {
  const hives = csv('hives', 'number;kg;mood', 'H-1;10;calm', 'H-2;20;wild', 'H-3;;calm');
  const stand = async () => {
    await newAccess();
    await load((await bring(hives)).id);
    return tableNamed('Hives')?.id ?? '';
  };

  test('bring new fields along where a person says so, links too', async () => {
    const table = await stand();
    await load((await bring(csv('keepers', 'code;name', 'K-01;Ada', 'K-02;Bram', 'K-03;Cilla'))).id);
    const rows = ['H-1;11;blue;K-01', 'H-2;20;green;K-03', 'H-9;5;blue;K-02'];
    const { id } = await bring(csv('more', 'number;kg;colour;keeper', ...rows));
    const first = await correct(id, { tables: { 0: { into: table } } });
    expect(first.proposal?.changes).toEqual([]);
    const columns = {
      '0.2': { field: 'new', label: 'Paint' },
      '0.3': { field: 'new', as: 'link' as const, to: tableNamed('Keepers')?.id ?? '' },
    };
    const settled = await correct(id, { tables: { 0: { into: table } }, columns });
    const made = settled.proposal?.changes.flatMap((change) => (change.do === 'addField' ? [change.field] : []));
    expect(made).toMatchObject([
      { label: 'Paint', type: { kind: 'text' } },
      { label: 'Keeper', type: { kind: 'link' } },
    ]);
    // A further correction keeps their identities.
    const anew = await correct(id, { tables: { 0: { into: table } }, columns });
    expect(anew.proposal?.changes).toEqual(settled.proposal?.changes);
    const { receipt, problem } = await load(id);
    expect(problem).toBeNull();
    expect(receipt?.sheets[0]).toMatchObject({ added: 1, changed: 2, setAside: 0, links: [{ made: 3, missed: 0 }] });
    expect(await stored('hives', 'number, kg::float8 as kg, keeper::int as keeper')).toEqual([
      { number: 'H-1', kg: 11, keeper: 1 },
      { number: 'H-2', kg: 20, keeper: 3 },
      { number: 'H-3', kg: null, keeper: null },
      { number: 'H-9', kg: 5, keeper: 2 },
    ]);
    expect(fieldsOf('Hives').map(({ label }) => label)).toEqual(['Number', 'Kg', 'Mood', 'Paint', 'Keeper']);
    await undoLoad(place.pool, place.access, id);
    await again();
    expect(fieldsOf('Hives').map(({ label }) => label)).toEqual(['Number', 'Kg', 'Mood']);
    expect(await stored('hives', 'number, kg::float8 as kg')).toMatchObject([{ kg: 10 }, { kg: 20 }, { kg: null }]);
  });

  test.each(['keep', 'clear'] as const)('single differences are not taken, blank cells %s', async (blanks) => {
    const table = await stand();
    const { id } = await bring(csv('news', 'number;kg;mood', 'H-1;12;wild', 'H-2;25;', 'H-3;7;calm'));
    const settle = (keep?: { row: number; column: number }[]) =>
      correct(id, { tables: { 0: { into: table, blanks, ...(keep ? { keep } : {}) } } });
    await settle();
    const tried = await dryRun(place.pool, place.access, id);
    const differ = tried.receipt?.sheets[0]?.changes?.map(({ row, column, before, after }) => ({
      row,
      column,
      before,
      after,
    }));
    expect(differ).toEqual([
      { row: 1, column: 1, before: '10', after: '12' },
      { row: 1, column: 2, before: 'calm', after: 'wild' },
      { row: 2, column: 1, before: '20', after: '25' },
      ...(blanks === 'clear' ? [{ row: 2, column: 2, before: 'wild', after: '' }] : []),
      { row: 3, column: 1, before: '', after: '7' },
    ]);
    await settle([
      { row: 1, column: 2 },
      { row: 2, column: 1 },
      { row: 2, column: 2 },
      { row: 3, column: 1 },
    ]);
    const { receipt } = await load(id);
    expect(receipt?.sheets[0]).toMatchObject({ changed: 1, unchanged: 2, setAside: 0 });
    expect(receipt?.sheets[0]?.cells?.map(({ filled, written, leftOut }) => [filled, written, leftOut])).toEqual([
      [3, 3, 0],
      [3, 1, 2],
      [2, 1, 1],
    ]);
    expect((await stored('hives', 'kg::float8 as kg')).map(({ kg }) => kg)).toEqual([12, 20, null]);
    expect(receipt?.sheets[0]?.sums).toEqual([{ field: 'Kg', read: '44', stored: '12' }]);
  });
});
