import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { tableNamed } from '../model/model';
import { blankReasons } from './findings/blankReasons';
import { checkCondition, checkFormula } from './checker';
import { typeWord } from '../types/expression';
import { parseFormula } from './parser';
import { printFormula } from './printer';

const model = alderfold();
const hives = tableNamed(model, 'hives')!;
const check = (text: string) => checkFormula(model, hives.id, text);

describe('formulas are read, typed and printed', () => {
  test.each([
    ['max(inspections.day)', 'date', 'max(inspections.day)'],
    ['today() - last_inspected', 'number', 'today() - last_inspected'],
    ['MAX( inspections . day )', 'date', 'max(inspections.day)'],
    ['"Last inspected" + 14', 'date', 'last_inspected + 14'],
    ["case when state = 'strong' then 1 else 0 end", 'number', "case when state = 'strong' then 1 else 0 end"],
    ["case state when 'weak' then 'help' end", 'text', "case when state = 'weak' then 'help' end"],
    ["number || ' at ' || coalesce(apiary.name, '?')", 'text', "number || ' at ' || coalesce(apiary.name, '?')"],
    ['(1 + 2) * 3 - (4 - 5)', 'number', '(1 + 2) * 3 - (4 - 5)'],
    ['not (1 = 2 or 3 = 4) and 5 = 5', 'yes/no', 'not (1 = 2 or 3 = 4) and 5 = 5'],
    [
      'count(inspections) filter (where inspections.frames > 3) * 1.0 / nullif(count(inspections), 0)',
      'number',
      'count(inspections) filter (where inspections.frames > 3) * 1 / nullif(count(inspections), 0)',
    ],
    [
      "string_agg(distinct inspections.keeper.name, ', ' order by inspections.keeper.name)",
      'text',
      "string_agg(distinct inspections.keeper.name, ', ' order by inspections.keeper.name)",
    ],
    [
      "state in ('strong', 'weak') and last_inspected >= today() - 60",
      'yes/no',
      "state in ('strong', 'weak') and last_inspected >= today() - 60",
    ],
    [
      'exists(inspections) filter (where inspections.keeper is null)',
      'yes/no',
      'exists(inspections) filter (where inspections.keeper is null)',
    ],
    ["last_inspected + interval '1 month'", 'date', "last_inspected + interval '1 months'"],
    ["last_inspected < '2026-01-01'", 'yes/no', "last_inspected < date '2026-01-01'"],
    ['-weight * -(2)', 'number', '-weight * -2'],
    ['weight not between 1 and 2', 'yes/no', 'not weight between 1 and 2'],
    [
      'first(inspections.day order by inspections.frames desc)',
      'date',
      'first(inspections.day order by inspections.frames desc)',
    ],
    ['count(distinct apiary.hives.state)', 'number', 'count(distinct apiary.hives.state)'],
    ['extract(year from last_inspected) -- the year', 'number', 'extract(year from last_inspected)'],
    ['cast(weight as text)', 'text', 'cast(weight as text)'],
  ])('%s', (text, type, printed) => {
    const { expression, problems } = check(text);
    expect(problems).toEqual([]);
    expect(typeWord(expression!.type)).toBe(type);
    expect(printFormula(model, expression!)).toBe(printed);
    expect(check(printed).expression).toEqual(expression);
  });
});

describe('problems say what, where and what would be right', () => {
  test.each([
    ['weigth * 2', 'Hives has no field “weigth”', 'weight', 0, 6],
    ['inspections.day', 'leads to many records', 'max(inspections.day)', 0, 15],
    ['max(weight)', 'nothing here leads to many', 'max(inspections.…)', 0, 11],
    ['weight + number', 'does not take number and text', 'a + b', 7, 8],
    ['weight +', 'missing at the end', 'Write', 8, 8],
    ['(weight', 'bracket needs “)”', 'Write )', 7, 7],
    ["number || 'open", 'not closed', 'Put a', 10, 15],
    ['weight weight', 'does not belong here', 'sign', 7, 13],
    ["state = 'strnog'", 'no option of State', 'strong', 8, 16],
    ['sum(inspections.day)', 'sum needs a number; this is a date', 'Take', 4, 19],
    ['sum(max(inspections.frames))', 'inside another aggregate', 'field of its own', 4, 27],
    ['apiary.nmae', 'Apiaries has no field “nmae”', 'name', 7, 11],
    ['weight.day', 'is no link', 'End the path', 0, 6],
    ['cuont(inspections)', 'no function “cuont”', 'count', 0, 5],
    ["last_inspected > '2026-02-30'", 'not in the calendar', 'Correct', 17, 29],
    ["interval '3 moons'", 'no interval', 'months', 0, 18],
    ['weight; 3', '“;” has no meaning', 'commas', 6, 7],
    ['case when weight then 1 end', 'condition is yes or no', 'Compare', 10, 16],
    ["case when weight > 1 then 1 else 'a' end", 'results differ: number, text', 'cast', 0, 40],
    ['extract(moon from last_inspected)', 'no part “moon”', 'quarter', 8, 12],
    ['extract(hour from last_inspected)', 'no part “hour”', 'quarter', 8, 12],
    ['inspections', 'leads to many records', 'count', 0, 11],
    ['', 'missing at the end', 'Write', 0, 0],
    ['cast(weight as moon)', 'Nothing can be cast', 'text, number', 0, 20],
    ['lower(distinct number)', 'takes no distinct', 'aggregates', 0, 22],
    ['sum(inspections.frames) filter (where 3)', 'filter is neither', 'Compare', 0, 40],
  ])('%s', (text, message, fix, from, to) => {
    const { expression, problems } = check(text);
    expect(expression).toBeNull();
    const [problem] = problems;
    expect(problem?.message).toContain(message);
    expect(problem?.fix ?? '').toContain(fix);
    if (to > 0) expect(problem?.at).toEqual({ from, to });
  });

  test('every problem of a formula is found, not only the first', () => {
    expect(check('weigth + apairy.name + sum()').problems.length).toBeGreaterThanOrEqual(3);
  });

  test('a condition must be yes or no', () => {
    expect(checkCondition(model, hives.id, 'weight').problems[0]?.message).toContain('yes or no');
    expect(checkCondition(model, hives.id, 'weight > 1').problems).toEqual([]);
  });

  test.each([
    ['('.repeat(10_000) + '1' + ')'.repeat(10_000)],
    ['not '.repeat(4_000) + 'true'],
    ['-'.repeat(1) + ' -'.repeat(5_000) + '1'],
    ['1 + '.repeat(6_000) + '1'],
    ['1 + '.repeat(4_000) + '1'],
  ])('a monstrous formula is answered at once', (text) => {
    const started = performance.now();
    expect(check(text).problems.length).toBeGreaterThan(0);
    expect(performance.now() - started).toBeLessThan(1000);
  });

  test('reading never throws, whatever is cut out of a formula', () => {
    const whole =
      "case when state in ('strong') and sum(inspections.frames) filter (where inspections.day >= today() - 90) > 3 then \"Number\" || 'x' else cast(weight as text) end";
    for (let from = 0; from < whole.length; from++)
      for (const length of [1, 7, 30]) {
        const cut = whole.slice(0, from) + whole.slice(from + length);
        expect(() => check(cut)).not.toThrow();
        expect(parseFormula(cut).syntax).toBeDefined();
      }
  });
});

test('a formula says why it can be blank', () => {
  expect(blankReasons(model, check('max(inspections.day)').expression!)).toContain('max of no records is blank');
  expect(blankReasons(model, check('weight / 2').expression!)).toContain('“Weight” may be blank');
  expect(blankReasons(model, check('count(inspections)').expression!)).toEqual([]);
  expect(blankReasons(model, check('count(inspections) filter (where inspections.frames > 7)').expression!)).toEqual(
    [],
  );
});
