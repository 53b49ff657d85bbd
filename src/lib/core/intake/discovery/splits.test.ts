import { describe, expect, test } from 'vitest';
import { thingsNamed } from '../naming';
import { ColumnProfiler } from '../columns/profile';
import { encodeTable } from './encoded';
import { discover } from './search';
import { splitsOf } from './splits';

/** Splits of a made-up sheet, in words: `keeper_code: keeper, village`. */
function splits(names: readonly string[], rows: readonly (readonly string[])[]): string[] {
  const profiles = names.map((name, column) => {
    const profiler = new ColumnProfiler(name);
    for (const row of rows) profiler.take(row[column] ?? '');
    return profiler.profile();
  });
  const { dependencies } = discover(encodeTable(names, rows), rows.length);
  return splitsOf(profiles, dependencies, rows.length).map(
    ({ determinant, dependents }) =>
      `${names[determinant]}: ${dependents.map(({ column, exceptions }) => names[column] + (exceptions > 0 ? ` −${exceptions}` : '')).join(', ')}`,
  );
}
const many = (count: number, row: (i: number, random: (most: number) => number) => readonly string[]) => {
  let state = 11;
  const random = (most: number) => (state = (Math.imul(state, 1103515245) + 12345) & 0x7fffffff) % most;
  return Array.from({ length: count }, (_, i) => row(i, random));
};
const villages = ['Ashbeck', 'Mossgill', 'Thornby', 'Wethersett', 'Fellside'];

describe('a flat sheet is taken apart as a sensible person would', () => {
  test('each column goes to the nearest thing that determines it', () => {
    const rows = many(1200, (_, random) => {
      const hive = random(60);
      const apiary = hive % 8;
      const keeper = hive % 23;
      return [
        `H-${String(hive).padStart(4, '0')}`,
        ['long hive', 'frame hive', 'skep'][hive % 3] ?? '',
        ['Mill Race', 'Low Field', 'High Field', 'Old Quarry', 'Brook End', 'Long Acre', 'Far Side', 'Gate'][apiary] ??
          '',
        [
          'Pell Ashlock',
          'Ulla Rigg',
          'Nils Lowther',
          'Orla Millbeck',
          'Ida Vale',
          'Zander Uldale',
          'Märta Wetheral',
          'Perrin Tarn',
        ][apiary] ?? '',
        `K-${String(keeper).padStart(3, '0')}`,
        `keeper ${keeper}`,
        villages[keeper % 5] ?? '',
        `2026-0${1 + random(9)}-1${random(9)}`,
        String(random(11)),
        random(5) === 0 ? '' : (['calm', 'restless', 'wild'][random(3)] ?? ''),
        `note ${random(100_000)}`,
      ];
    });
    expect(
      splits(
        [
          'hive_no',
          'hive_type',
          'apiary',
          'apiary_owner',
          'keeper_code',
          'keeper',
          'village',
          'day',
          'frames',
          'temper',
          'notes',
        ],
        rows,
      ),
    ).toEqual(['hive_no: hive_type, apiary, keeper_code', 'keeper_code: keeper, village', 'apiary: apiary_owner']);
  });

  test('with small disagreements', () => {
    const rows = many(900, (i, random) => {
      const keeper = random(30);
      return [
        `K-${100 + keeper}`,
        i % 150 === 7 ? 'misspelt' : `keeper ${keeper}`,
        villages[keeper % 5] ?? '',
        String(random(1000)),
      ];
    });
    expect(splits(['keeper_code', 'keeper', 'village', 'kg'], rows)).toEqual(['keeper_code: keeper −6, village']);
  });

  test.each<[string, string[], (i: number, random: (most: number) => number) => string[]]>([
    ['a column that is nearly unique', ['code', 'a', 'b'], (i) => [`C-${i}`, String(i % 7), String(i % 3)]],
    ['constants', ['code', 'country', 'year'], (_, random) => [`C-${random(20)}`, 'Alder', '2026']],
    [
      'measures that agree by accident',
      ['kg', 'grams', 'pounds'],
      (_, random) => ((kg) => [String(kg), String(kg * 1000), String(kg * 2)])(random(40)),
    ],
    ['nothing that depends', ['a_code', 'b_code'], (_, random) => [`A-${random(9)}`, `B-${random(9)}`]],
    [
      'a thing met hardly more than once',
      ['code', 'name', 'place'],
      (i) => [`C-${i - (i % 4 === 3 ? 1 : 0)}`, `name ${i - (i % 4 === 3 ? 1 : 0)}`, villages[i % 5] ?? ''],
    ],
  ])('no split on %s', (_, names, row) => expect(splits(names, many(300, row))).toEqual([]));
});

test.each([
  ['keeper_code', 'keepers'],
  ['Hive no', 'Hives'],
  ['apiary', 'apiaries'],
  ['box', 'boxes'],
  ['HiveCode', 'Hives'],
  ['code', 'codes'],
  ['gap_species_code', 'gap_species'],
  ['shelf_no', 'shelves'],
  ['person_id', 'people'],
  ['Codice Regione', 'Regione'],
  ['Straße', 'Straße'],
  ['sales_lines', 'sales_lines'],
  ['address', 'address'],
  ['keeper name', 'keepers'],
])('the things of %s are %s', (column, things) => expect(thingsNamed(column)).toBe(things));

test('a name that says nothing is that of its sheet with it behind', () => {
  expect(thingsNamed('name', 'pizzas')).toBe('pizza names');
  expect(thingsNamed('keeper_code', 'hives')).toBe('keepers');
});
