import { expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { tableNamed } from '../model/model';
import { checkFormula } from './checker';

const model = alderfold();
const hives = tableNamed(model, 'hives')!;
const many = (text: string, times: number, between = '') => Array.from({ length: times }, () => text).join(between);

test.each<[what: string, formula: string, message: RegExp, fix: RegExp]>([
  ['100 kB', many('weight', 14_300, '+'), /100099 characters; 20000 is the most/, /Split it/],
  ['brackets 9,000 deep', many('(', 9000) + '1' + many(')', 9000), /nested more than 100 levels deep/, /Split it/],
  ['calls 3,900 deep', `${many('abs(', 3900)}1${many(')', 3900)}`, /nested more than 100 levels deep/, /Split it/],
  ['signs 9,000 deep', `${many('- ', 9000)}1`, /nested more than 100 levels deep/, /Split it/],
  [
    'cases 600 deep',
    `${many('case when true then ', 600)}1${many(' end', 600)}`,
    /nested more than 100 levels deep/,
    /Split it/,
  ],
  ['a chain of 2,000 signs', many('1', 2000, '+'), /More than 500 signs in a row/, /Split/],
  [
    '1,200 products',
    many(`(${many('weight', 120, '*')})`, 11, '+'),
    /multiplies 1309 times; 1000 is the most/,
    /Split/,
  ],
  ['a name with the nearest', 'last_inspectd', /Hives has no field “last_inspectd”/, /Did you mean last_inspected/],
  ['a function with the nearest', 'rond(weight, 2)', /There is no function “rond”/, /Did you mean round/],
  [
    'a path to many outside of an aggregate',
    'inspections.day',
    /leads to many records/,
    /Gather them: max\(inspections\.day\)/,
  ],
  ['two types that do not meet', 'weight + last_inspected', /does not take number and date/, /It is written/],
  ['results of two types', "case when weight > 1 then weight else 'x' end", /number, text/, /one type/],
  [
    'a filter that never holds',
    'count(inspections) filter (where inspections.day is null and inspections.day = today())',
    /never holds/,
    /“or”/,
  ],
  [
    'an aggregate in an aggregate',
    'max(inspections.day + count(inspections))',
    /inside another aggregate/,
    /field of its own/,
  ],
  ['a number of 100 digits', many('9', 100), /too long/, /30 digits/],
])('%s is refused at once, with its place and what to do', (_, formula, message, fix) => {
  const started = performance.now();
  const { expression, problems } = checkFormula(model, hives.id, formula);
  // The bound is wide, as machines are slow at times; what it keeps out takes minutes, or a stack.
  expect(performance.now() - started).toBeLessThan(2000);
  expect(expression).toBeNull();
  const [first] = problems;
  expect(first?.message).toMatch(message);
  expect(first?.fix).toMatch(fix);
  expect(first?.at).toMatchObject({ from: expect.any(Number) as number, to: expect.any(Number) as number });
});

test('what could stand instead is offered, the nearest first, three at most', () => {
  const { problems } = checkFormula(model, hives.id, 'wieght');
  expect(problems[0]?.instead?.[0]).toBe('weight');
  expect(problems[0]?.instead?.length).toBeLessThanOrEqual(3);
  expect(checkFormula(model, hives.id, 'inspections.day').problems[0]?.instead).toEqual(['max(inspections.day)']);
});
