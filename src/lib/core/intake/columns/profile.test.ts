import { describe, expect, test } from 'vitest';
import { patternOf } from './pattern';
import { ColumnProfiler } from './profile';
import { severalIn } from './severalValues';
import { misspellingsIn } from './spellings';

const profileOf = (values: readonly string[], name = 'column') => {
  const profiler = new ColumnProfiler(name);
  for (const value of values) profiler.take(value);
  return profiler.profile();
};
const many = (n: number, make: (i: number) => string) => Array.from({ length: n }, (_, i) => make(i));
const counted = (text: string) =>
  text.split(',').map((one) => {
    const [value = '', count = '1'] = one.split('×');
    return { text: value, count: Number(count) };
  });

describe('kinds beyond numbers, days and words', () => {
  test.each<[string, string[], object]>([
    ['percents', many(20, (i) => `${i},5 %`), { type: 'percent', reading: { decimal: ',' }, misfits: 0 }],
    [
      'amounts with a sign',
      many(20, (i) => `${i}.50 €`),
      { type: 'money', digits: 2, sum: '200', currencies: [{ unit: '€', count: 20 }] },
    ],
    [
      'amounts with a code',
      many(20, (i) => `EUR 1.${100 + i},25`),
      { type: 'money', reading: { decimal: ',' }, currencies: [{ unit: 'EUR', count: 20 }] },
    ],
    [
      'numbers with a unit',
      many(20, (i) => `${i} kg`),
      { type: 'number', units: [{ unit: 'kg', count: 20 }], sum: '190', misfits: 0 },
    ],
    [
      'units mixed',
      [...many(19, (i) => `${i} kg`), '800 g'],
      {
        type: 'number',
        units: [
          { unit: 'kg', count: 19 },
          { unit: 'g', count: 1 },
        ],
        misfits: 1,
      },
    ],
    [
      'days with a time',
      many(20, (i) => `${i + 1}.05.2026 10:30`),
      { type: 'dateTime', reading: { dateOrder: 'dmy' } },
    ],
    [
      'instants',
      many(20, (i) => `2026-05-${String(i + 1).padStart(2, '0')}T10:30:00Z`),
      { type: 'dateTime', reading: { dateOrder: 'ymd' } },
    ],
    ['durations', many(20, (i) => `${i}:30`), { type: 'duration' }],
    ['addresses of mail', many(20, (i) => `k${i}@alderfold.example`), { type: 'email' }],
    ['web addresses', many(20, (i) => `https://alderfold.example/${i}`), { type: 'url' }],
    ['telephone numbers', many(20, (i) => `0${700 + i} 555 0${100 + i}`), { type: 'phone' }],
    ['codes with zeros are no telephone numbers', many(20, (i) => `00${i + 10}`), { type: 'text', leadingZeros: true }],
    ['exponents are codes', many(20, (i) => `${i}E5`), { type: 'text' }],
    ['ranges', many(20, (i) => String(i - 5)), { range: { least: '-5', most: '14' } }],
    [
      'days have ranges',
      ['2026-05-04', '2025-01-31', '2026-02-01'],
      { range: { least: '2025-01-31', most: '2026-05-04' } },
    ],
    ['codes have a pattern', many(20, (i) => `K-${100 + i}`), { type: 'text', pattern: 'K-000' }],
  ])('%s', (_, values, expected) => expect(profileOf(values)).toMatchObject(expected));
});

describe('what stands for blank does so by the column’s evidence', () => {
  test.each<[string, string[], string[]]>([
    ['among numbers', [...many(30, String), 'n/a', '–', 'NA', '?'], ['n/a', '–', 'NA', '?']],
    ['among days', [...many(20, (i) => `2026-05-${String(i + 1).padStart(2, '0')}`), 'tbd'], ['tbd']],
    ['among words, only signs', [...many(20, (i) => `word ${i}`), 'NA', 'x', '–', 'none', 'n/a'], ['–', 'n/a']],
    ['nowhere', many(20, String), []],
  ])('%s', (_, values, words) => {
    const profile = profileOf(values);
    expect(profile.blankWords.map(({ text }) => text)).toEqual(words);
    expect(profile.misfits).toBe(0);
  });
  test('also beyond what is counted', () => {
    const profile = profileOf([...many(20_000, String), 'n/a', 'n/a', 'many']);
    expect(profile).toMatchObject({
      type: 'number',
      blankWords: [{ text: 'n/a', count: 2 }],
      misfits: 1,
      misfitSamples: ['many'],
    });
  });
});

test.each<[string, string, string | null]>([
  ['queen; eggs×5,eggs×9,queen×4,eggs; cups×2,cups×3', '; values', ';'],
  ['queen/eggs×5,eggs×9,queen/cups×4,cups×2', 'strokes', '/'],
  ['1/2×5,3/4×9,1/4×2', 'fractions', null],
  ['Mill Race×9,Low Field×3', 'one each', null],
  ['a; b,c; d,e; f', 'none comes again', null],
  ['the queen was seen; no eggs in the brood box now,calm; the bees were calm all day', 'sentences', null],
])('several values: %s (%s)', (texts, _, separator) => {
  expect(severalIn(counted(texts))?.separator ?? null).toBe(separator);
});
test('the single values are counted, and a comma keeps words apart but not sentences', () => {
  expect(
    severalIn([
      { text: 'queen, eggs', count: 5 },
      { text: 'eggs, cups', count: 2 },
      { text: 'cups', count: 3 },
    ]),
  ).toEqual({
    separator: ',',
    cells: 7,
    values: [
      { text: 'eggs', count: 7 },
      { text: 'cups', count: 5 },
      { text: 'queen', count: 5 },
    ],
  });
});

test.each<[string, [string, string][]]>([
  [
    'long hive×50,Long Hive×3,long  hive×2,frame hive×40',
    [
      ['Long Hive', 'long hive'],
      ['long  hive', 'long hive'],
    ],
  ],
  ['Mill Race×50,Mill Rcae×2,Low Field×30', [['Mill Rcae', 'Mill Race']]],
  ['Brühl×20,Bruhl×1', [['Bruhl', 'Brühl']]],
  ['K-001×50,K-002×2', []],
  ['calm×50,balm×40', []],
  ['cat×50,bat×1', []],
])('misspellings of %s', (texts, expected) => {
  expect(misspellingsIn(counted(texts)).map(({ from, to }) => [from, to])).toEqual(expected);
});

test.each<[string[], string | null]>([
  [['K-001', 'K-002', 'K-113'], 'K-000'],
  [['AB-1', 'CD-2', 'EF-3'], 'AA-0'],
  [['LOT-2026-003', 'LOT-2026-004', 'LOT-2025-001'], 'LOT-0000-000'],
  [['one', 'two', 'six'], null],
  [['123', '456', '789'], null],
  [['K-1', 'K-22', 'K-333', 'x'], null],
  [['K-1', 'K-2'], null],
])('the pattern of %j is %s', (texts, pattern) => expect(patternOf(texts)).toBe(pattern));

describe('a sign that could be that of decimals or of thousands', () => {
  const read = (texts: readonly string[], delimiter?: string) => {
    const profiler = new ColumnProfiler('kg');
    for (const text of texts) profiler.take(text);
    const { reading, ambiguous, sum, evidence } = profiler.profile(delimiter);
    return { decimal: reading.decimal, ambiguous, sum, asked: evidence.includes('please look') };
  };
  test.each<[string, string[], string | undefined, object]>([
    [
      'commas in a file of semicolons',
      ['164,000', '140,000'],
      ';',
      { decimal: ',', ambiguous: true, sum: '304', asked: true },
    ],
    [
      'commas in a file of commas',
      ['164,000', '140,000'],
      ',',
      { decimal: '.', ambiguous: true, sum: '304000', asked: true },
    ],
    [
      'commas in a workbook',
      ['164,000', '140,000'],
      undefined,
      { decimal: '.', ambiguous: true, sum: '304000', asked: true },
    ],
    [
      'points in a file of commas',
      ['30.000', '47.125'],
      ',',
      { decimal: '.', ambiguous: true, sum: '77.125', asked: true },
    ],
    [
      'one number that says it',
      ['164,000', '140,5'],
      ';',
      { decimal: ',', ambiguous: false, sum: '304.5', asked: false },
    ],
    [
      'one number that says the other',
      ['164,000', '140.5'],
      ';',
      { decimal: '.', ambiguous: false, sum: '164140.5', asked: false },
    ],
    ['whole numbers', ['164', '140'], ';', { decimal: '.', ambiguous: false, sum: '304', asked: false }],
  ])('%s', (_, texts, delimiter, expected) => expect(read(texts, delimiter)).toEqual(expected));
});

test.each([
  ['gender', 'option'],
  ['test_group', 'option'],
  ['married', 'yesNo'],
  ['is_open', 'yesNo'],
  ['subgroup', 'option'],
])('0 and 1 of %s: %s', (name, type) => {
  const profiler = new ColumnProfiler(name);
  for (let i = 0; i < 40; i++) profiler.take(String(i % 2));
  expect(profiler.profile().type).toBe(type);
});

test('codes within codes are no numbers, though each reads as one', () => {
  const typeOf = (name: string, texts: readonly string[]) => {
    const profiler = new ColumnProfiler(name, true);
    for (const text of texts) profiler.take(text);
    return profiler.profile().type;
  };
  const inSteps = Array.from({ length: 30 }, (_, at) => `${11 + (at % 3)}.${String(at + 1).padStart(2, '0')}`);
  expect([typeOf('code', inSteps), typeOf('price', inSteps)]).toEqual(['text', 'number']);
});
