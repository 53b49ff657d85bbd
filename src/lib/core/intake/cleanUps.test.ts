import { expect, test } from 'vitest';
import { cleanUps } from './cleanUps';
import { checkRowFormula, rowText } from './rowFormula';

const names = ['code', 'first name', 'value'];

/** Each clean-up with what was said for it, a row's texts, and what the first column becomes. */
test.each<[string, string[], (string | null)[], string | null]>([
  ['upper', [], ['k-014 ä', 'Ida', null], 'K-014 Ä'],
  ['lower', [], ['K-014', 'Ida', null], 'k-014'],
  ['proper', [], ['low MEADOW', 'Ida', null], 'Low Meadow'],
  ['replace', ['-', ''], ['K-0-14', 'Ida', null], 'K014'],
  ['replace', ["'", '’'], ["bee's", 'Ida', null], 'bee’s'],
  ['before', ['('], ['Fell Gate (north)', 'Ida', null], 'Fell Gate'],
  ['before', ['('], ['Fell Gate', 'Ida', null], 'Fell Gate'],
  ['after', [': '], ['hive: 12', 'Ida', null], '12'],
  ['first', ['2'], ['heather', 'Ida', null], 'he'],
  ['last', ['3'], ['K-014', 'Ida', null], '014'],
  ['last', ['many'], ['K-014', 'Ida', null], '4'],
  ['prefix', ['H-'], ['0042', 'Ida', null], 'H-0042'],
  ['suffix', [' kg'], ['12', 'Ida', null], '12 kg'],
  ['sign', [], ['12.5', 'Ida', null], '-12.5'],
  ['sign', [], ['-12.5', 'Ida', null], '12.5'],
  ['brackets', [], ['(12)', 'Ida', null], '-12'],
  ['brackets', [], ['12', 'Ida', null], '12'],
  ['blank', ['first_name'], [null, 'Ida', null], 'Ida'],
  ['blank', ['first_name'], ['K-014', 'Ida', null], 'K-014'],
  ['together', ['first_name', ', '], ['K-014', 'Ida', null], 'K-014, Ida'],
  ['together', ['first_name', ', '], ['K-014', null, null], 'K-014'],
  ['upper', [], [null, 'Ida', null], null],
])('%s %j of %j', (id, parts, row, expected) => {
  const formula = cleanUps.find((one) => one.id === id)?.write(parts) ?? '';
  const { expression, problems } = checkRowFormula(names, 0, formula);
  expect(problems).toEqual([]);
  expect(expression && rowText(expression, row)).toBe(expected);
});

test('each clean-up is tried', () => {
  expect(new Set(cleanUps.map(({ id }) => id)).size).toBe(cleanUps.length);
  for (const { write, asks } of cleanUps)
    expect(
      checkRowFormula(names, 0, write(asks.map(({ kind, start }) => (kind === 'column' ? 'first_name' : start))))
        .problems,
    ).toEqual([]);
});

test('a column may be called like the text of the column itself', () => {
  const { expression } = checkRowFormula(names, 0, 'value || value_2');
  expect(expression && rowText(expression, ['a', 'b', 'c'])).toBe('ac');
});
