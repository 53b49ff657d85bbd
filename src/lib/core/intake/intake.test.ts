import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { Exact, canonicalNumber } from '../fieldTypes/number';
import { parseValue, type EnteredType } from '../fieldTypes/registry';
import { ExactSum, readingsOf, reads } from './columns/classify';
import { speaksOf } from './calledAfter';
import { linkCandidates } from './discover';
import { keysOf } from './keys';
import { linkWeight } from './linkEvidence';
import type { IntakeSheet } from './intake';
import { ColumnProfiler } from './columns/profile';
import { labelFromName } from './naming';
import { optionsOf } from './proposal/fieldType';

const profileOf = (values: readonly string[]) => {
  const profiler = new ColumnProfiler('column');
  for (const value of values) profiler.take(value);
  return profiler.profile();
};
const many = (n: number, make: (i: number) => string) => Array.from({ length: n }, (_, i) => make(i));

describe('a column is taken for what most of it is', () => {
  test.each<[string, string[], object]>([
    ['leading zeros', many(50, (i) => String(i).padStart(4, '0')), { type: 'text', leadingZeros: true, misfits: 0 }],
    ['whole numbers', many(50, (i) => String(i * 7)), { type: 'number', digits: 0, misfits: 0, sum: '8575' }],
    [
      'decimal commas',
      many(50, (i) => `${i},5`),
      { type: 'number', reading: { decimal: ',' }, digits: 1, sum: '1250' },
    ],
    [
      'numbers with misfits',
      [...many(48, (i) => `${i}.25`), 'n/a', '–'],
      {
        type: 'number',
        misfits: 0,
        blankWords: [
          { text: 'n/a', count: 1 },
          { text: '–', count: 1 },
        ],
        digits: 2,
      },
    ],
    [
      'numbers with words',
      [...many(48, (i) => `${i}.25`), 'some', 'many'],
      { type: 'number', misfits: 2, misfitSamples: ['some', 'many'] },
    ],
    [
      'ISO dates',
      many(40, (i) => `2026-05-${String((i % 28) + 1).padStart(2, '0')}`),
      { type: 'date', ambiguous: false, reading: { dateOrder: 'ymd' } },
    ],
    [
      'day first',
      ['13.04.2026', '01.02.2026', '28.12.2025'],
      { type: 'date', reading: { dateOrder: 'dmy' }, ambiguous: false },
    ],
    ['month first', ['04/13/2026', '01/02/2026', '12/28/2025'], { type: 'date', reading: { dateOrder: 'mdy' } }],
    ['either order', ['03/04/2026', '01/02/2026'], { type: 'date', ambiguous: true }],
    ['yes and no', ['yes', 'no', 'Yes', ''], { type: 'yesNo', blanks: 1 }],
    ['zeros and ones', many(30, (i) => String(i % 2)), { type: 'yesNo' }],
    ['few words', many(60, (i) => ['calm', 'wild', 'fair'][i % 3] as string), { type: 'option', distinct: 3 }],
    ['many words', many(60, (i) => `word ${i}`), { type: 'text', distinct: 60 }],
    ['nothing', ['', ''], { type: 'text', filled: 0, evidence: 'every row is blank' }],
    ['half dates', [...many(5, () => '2026-05-16'), ...many(5, (i) => `word ${i}`)], { type: 'text' }],
  ])('%s', (_, values, expected) => expect(profileOf(values)).toMatchObject(expected));

  test('memory stays bounded, and what was counted stays exact', () => {
    const profiler = new ColumnProfiler('id');
    for (let i = 0; i < 30_000; i++) profiler.take(`K-${i}`);
    expect(profiler.mayBeKey).toBe(true);
    expect(profiler.profile()).toMatchObject({ distinct: 30_000, filled: 30_000, type: 'text' });
    profiler.take('K-7');
    expect(profiler.mayBeKey).toBe(false);
    expect(profiler.profile()).toMatchObject({ distinct: null });
  });
});

test('the quick readings agree with the kinds’ own parsing', () => {
  const piece = fc.constantFrom(
    '1',
    '0',
    '12',
    '.',
    ',',
    '-',
    '/',
    '+',
    '2026',
    '05',
    '31',
    '29',
    '02',
    'yes',
    'no',
    'x',
    ' ',
    '1,234',
    '1.234',
    '9',
    'E',
  );
  const checks: [number, EnteredType, { decimal: '.' | ','; dateOrder: 'ymd' | 'dmy' | 'mdy' }][] = [
    [reads.numberPoint, { kind: 'number', digits: null }, { decimal: '.', dateOrder: 'ymd' }],
    [reads.numberComma, { kind: 'number', digits: null }, { decimal: ',', dateOrder: 'ymd' }],
    [reads.ymd | reads.compactDay, { kind: 'date' }, { decimal: '.', dateOrder: 'ymd' }],
    [reads.dmy | reads.compactDay, { kind: 'date' }, { decimal: '.', dateOrder: 'dmy' }],
    [reads.mdy | reads.compactDay, { kind: 'date' }, { decimal: '.', dateOrder: 'mdy' }],
    [reads.yesNo, { kind: 'yesNo' }, { decimal: '.', dateOrder: 'ymd' }],
  ];
  fc.assert(
    fc.property(fc.array(piece, { minLength: 1, maxLength: 5 }), (pieces) => {
      const text = pieces.join('').trim();
      if (text === '') return;
      for (const [bit, type, reading] of checks) {
        // Eight or more signs make a date for the quick test; a shorter one such as 2026-5-6 has eight too.
        const parsed = parseValue(text, type, reading);
        expect((readingsOf(text) & bit) !== 0, `${text} as ${JSON.stringify([type.kind, reading])}`).toBe(parsed.ok);
      }
    }),
    { numRuns: 3000 },
  );
});

test('sums are exact', () => {
  const amount = fc
    .tuple(fc.bigInt({ min: -(10n ** 20n), max: 10n ** 20n }), fc.nat(8))
    .map(([units, decimals]) => canonicalNumber(new Exact(units.toString()).div(new Exact(10).pow(decimals))));
  fc.assert(
    fc.property(fc.array(amount, { maxLength: 60 }), (amounts) => {
      const sum = new ExactSum();
      amounts.forEach((one) => sum.add(one, '.'));
      expect(canonicalNumber(new Exact(sum.toString()))).toBe(
        canonicalNumber(amounts.reduce((total, one) => total.plus(one), new Exact(0))),
      );
    }),
  );
});

test('names, options and accidental links', () => {
  expect(['hive_no', 'HiveCode', ' weight  kg ', ''].map(labelFromName)).toEqual([
    'Hive no',
    'Hive code',
    'Weight kg',
    'Column',
  ]);
  expect(optionsOf(['Calm', 'calm', 'Wild!', 'wild']).map(({ id, label }) => [id, label])).toEqual([
    ['calm', 'Calm'],
    ['wild', 'Wild!'],
    ['wild_2', 'wild'],
  ]);
  expect([speaksOf('hive_no', 'hives', 'number'), speaksOf('frames', 'hives', 'no')]).toEqual([true, false]);
  const column = (name: string, values: string[]) => ({ ...profileOf(values), name });
  const sheet = (name: string, columns: IntakeSheet['columns'], keys: number[]): IntakeSheet => ({
    name,
    rows: 3,
    file: 0,
    read: { kind: 'delimited text', encoding: 'utf-8', delimiter: ',' },
    heading: { preamble: 0, rows: 1 },
    notes: [],
    columns,
    keys,
    unique: keys,
    staged: name,
  });
  const sheets = [
    sheet('hives', [column('id', ['1', '2', '3'])], [0]),
    sheet('visits', [column('hive_id', ['1', '1', '2']), column('frames', ['3', '2', '1'])], []),
  ];
  // Small whole numbers lie in any key of small numbers: only the column that speaks of hives weighs enough.
  const met = { matching: 3, missing: 0, distinct: 3, distinctMissing: 0 };
  expect(linkCandidates(sheets).filter((one) => linkWeight(sheets, one, met) > 0)).toMatchObject([
    { from: { sheet: 1, column: 0 }, to: { sheet: 0, column: 0 } },
  ]);
  // What is counted is no key, though no value is met twice.
  const stock = [column('article', ['a', 'b', 'c']), column('qty', ['1', '2', '3'])];
  expect(keysOf({ columns: stock }, [0, 1])).toEqual([0]);
});
