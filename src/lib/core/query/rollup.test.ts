import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { checkFormula } from '../formula/checker';
import { printFormula } from '../formula/printer';
import { readingOf } from '../formula/reading';
import { tableNamed } from '../model/model';
import { gatheredSets, readRollup, writeRollup } from './rollup';

const model = alderfold();
const apiaries = tableNamed(model, 'apiaries')!;
const hives = tableNamed(model, 'hives')!;

const chosen: readonly (readonly [table: typeof hives, formula: string, reading: string])[] = [
  [hives, 'count(inspections)', 'how many of the inspections linked here there are'],
  [hives, 'max(inspections.day)', 'the latest day of the inspections linked here, blank when there are none'],
  [
    hives,
    'max(inspections.day) filter (where inspections.day < today())',
    'the latest day of the inspections linked here where day is below today, blank when there are none',
  ],
  [
    apiaries,
    'max(hives.inspections.day)',
    'the latest day of the inspections of the hives linked here, blank when there are none',
  ],
  [apiaries, 'sum(hives.weight)', 'the sum of weight over the hives linked here'],
  [
    apiaries,
    "string_agg(distinct hives.number, ', ' order by hives.number)",
    'the list of each different number of the hives linked here in the order of number, blank when there are none',
  ],
  [
    apiaries,
    'share(hives) filter (where hives.weight > 20)',
    'the share of the hives linked here for which weight is above 20',
  ],
  [
    apiaries,
    'first(hives.number order by hives.weight desc)',
    'the first number of the hives linked here in the order of weight, descending, blank when there are none',
  ],
];

describe('a rollup by choosing', () => {
  test.each(chosen)('%#: %s %s', (table, formula, reading) => {
    const rollup = readRollup(model, table, formula);
    expect(rollup).not.toBeNull();
    expect(writeRollup(model, table, rollup!)).toEqual({ ok: true, value: formula });
    const { expression } = checkFormula(model, table.id, formula);
    expect(readingOf(model, expression!)).toBe(reading);
    const labelled = printFormula(model, expression!, 'labels');
    expect(labelled).toContain('"');
    expect(checkFormula(model, table.id, labelled).expression).toEqual(expression);
  });

  test.each([
    ['last_inspected + 14', 'last inspected plus 14 days'],
    ['today() - last_inspected', 'today less last inspected'],
    ['round((weight + 1) * 2, 1)', '(weight plus 1) times 2 rounded to 1 decimals'],
    ["case when weight > 20 then 'strong' else 'weak' end", "'strong' where weight is above 20, else 'weak'"],
  ])('%s is read as: %s', (formula, reading) =>
    expect(readingOf(model, checkFormula(model, hives.id, formula).expression!)).toBe(reading),
  );

  test.each([
    'weight + 1',
    'max(inspections.day) + 1',
    'sum(inspections.frames * weight)',
    "string_agg(inspections.notes, ' / ')",
  ])('%s says more than that', (formula) => expect(readRollup(model, hives, formula)).toBeNull());

  test('what is not chosen yet is said', () => {
    const rollup = {
      gathers: 'sum',
      set: 'hives',
      of: '',
      where: '',
      by: '',
      descending: false,
      distinct: false,
    } as const;
    expect(writeRollup(model, apiaries, rollup)).toMatchObject({
      ok: false,
      problem: { message: 'Choose the field that is gathered.' },
    });
    expect(writeRollup(model, apiaries, { ...rollup, gathers: 'share' })).toMatchObject({ ok: false });
    expect(gatheredSets(model, apiaries).map(({ path }) => path)).toEqual(
      expect.arrayContaining(['hives', 'hives.inspections']),
    );
  });
});
