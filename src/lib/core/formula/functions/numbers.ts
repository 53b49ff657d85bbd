import Decimal from 'decimal.js';
import { canonicalNumber, Exact } from '../../fieldTypes/number';
import type { Scalar } from '../../types/expression';
import type { FunctionDefinition, Signature } from './definition';

/** Division keeps 20 significant digits, and never more than 40 decimals (see loom.div in the migrations). */
const Quotient = Decimal.clone({ precision: 20, rounding: Decimal.ROUND_HALF_UP, toExpNeg: -9e15, toExpPos: 9e15 });

const decimal = (value: Scalar | undefined) => new Exact(String(value));
const number = (value: Decimal): Scalar => canonicalNumber(value);

const two: Signature = { takes: ['number', 'number'], gives: 'number' };
const one: Signature = { takes: ['number'], gives: 'number' };

/** a / b to 20 significant digits, blank for b = 0. */
export function divide(a: Decimal, b: Decimal): Scalar {
  if (b.isZero()) return null;
  return number(new Exact(new Quotient(a).div(b)).toDecimalPlaces(40));
}

/** Half away from zero; negative places round to tens, hundreds, … */
export const roundTo = (value: Decimal, places: number): Decimal => roundIn(value, places, Decimal.ROUND_HALF_UP);

function roundIn(value: Decimal, places: number, way: Decimal.Rounding): Decimal {
  if (places >= 0) return value.toDecimalPlaces(places, way);
  const unit = new Exact(10).pow(-places);
  return new Exact(value.div(unit).toDecimalPlaces(0, way)).times(unit);
}

/** Places beyond ±30 mean no more than 30 do; fractions of a place are cut. */
const placesOf = (value: Scalar | undefined) => Decimal.max(-30, Decimal.min(30, decimal(value).trunc())).toNumber();

const operator = (
  name: string,
  help: string,
  evaluate: (a: Decimal, b: Decimal) => Scalar,
  sql: (a: string, b: string) => string,
  example: readonly [string, string],
  mayBlank?: string,
): FunctionDefinition => ({
  name,
  family: 'numbers',
  usage: /^[a-z]/.test(name) ? `${name}(a, b)` : `a ${name} b`,
  help,
  signatures: [two],
  blanks: 'spreads',
  mayBlank,
  evaluate: ([a, b]) => evaluate(decimal(a), decimal(b)),
  sql: ([a, b]) => sql(String(a), String(b)),
  examples: [example],
});

const single = (
  name: string,
  help: string,
  evaluate: (a: Decimal) => Decimal,
  example: readonly [string, string],
): FunctionDefinition => ({
  name,
  family: 'numbers',
  usage: `${name}(x)`,
  help,
  signatures: [one],
  blanks: 'spreads',
  evaluate: ([a]) => number(evaluate(decimal(a))),
  sql: ([a]) => `${name}(${a})`,
  examples: [example],
});

export const numbers: readonly FunctionDefinition[] = [
  operator(
    '+',
    'The sum of two numbers.',
    (a, b) => number(a.plus(b)),
    (a, b) => `(${a} + ${b})`,
    ['0.1 + 0.2', '0.3'],
  ),
  operator(
    '-',
    'The difference of two numbers.',
    (a, b) => number(a.minus(b)),
    (a, b) => `(${a} - ${b})`,
    ['1 - 0.9', '0.1'],
  ),
  operator(
    '*',
    'The product of two numbers.',
    (a, b) => number(a.times(b)),
    (a, b) => `(${a} * ${b})`,
    ['1.1 * 1.1', '1.21'],
  ),
  operator(
    '/',
    'The quotient, to 20 significant digits; blank when divided by 0.',
    divide,
    (a, b) => `loom.div(${a}, ${b})`,
    ['2 / 3', '0.66666666666666666667'],
    'it divides by 0',
  ),
  operator(
    'mod',
    'What is left when a is divided by b, with the sign of a; blank for b = 0.',
    (a, b) => (b.isZero() ? null : number(a.mod(b))),
    (a, b) => `mod(${a}, nullif(${b}, 0))`,
    ['mod(-7, 3)', '-1'],
    'it divides by 0',
  ),
  {
    name: 'negate',
    family: 'numbers',
    usage: '-x',
    help: 'The number with its sign turned.',
    signatures: [one],
    blanks: 'spreads',
    evaluate: ([a]) => number(decimal(a).neg()),
    sql: ([a]) => `(- ${a})`,
    examples: [['-(2)', '-2']],
  },
  single('abs', 'The number without its sign.', (a) => a.abs(), ['abs(-2.5)', '2.5']),
  single('ceil', 'The next whole number upwards.', (a) => a.ceil(), ['ceil(2.1)', '3']),
  single('floor', 'The next whole number downwards.', (a) => a.floor(), ['floor(-2.1)', '-3']),
  {
    name: 'round',
    family: 'numbers',
    usage: 'round(x, places)',
    help: 'Rounded half away from zero; to whole numbers without places.',
    signatures: [{ takes: ['number', 'number'], optional: 1, gives: 'number' }],
    blanks: 'spreads',
    evaluate: ([a, places]) => number(roundTo(decimal(a), places === undefined ? 0 : placesOf(places))),
    sql: ([a, places]) => (places === undefined ? `round(${a})` : `round(${a}, loom.clamp(${places}, 30))`),
    examples: [
      ['round(2.345, 2)', '2.35'],
      ['round(-2.5)', '-3'],
      ['round(1250, -2)', '1300'],
    ],
  },
  {
    name: 'rounddown',
    family: 'numbers',
    usage: 'rounddown(x, places)',
    help: 'Rounded towards zero; to whole numbers without places.',
    signatures: [{ takes: ['number', 'number'], optional: 1, gives: 'number' }],
    blanks: 'spreads',
    evaluate: ([a, places]) =>
      number(roundIn(decimal(a), places === undefined ? 0 : placesOf(places), Decimal.ROUND_DOWN)),
    sql: ([a, places]) => (places === undefined ? `trunc(${a})` : `trunc(${a}, loom.clamp(${places}, 30))`),
    examples: [
      ['rounddown(-2.79, 1)', '-2.7'],
      ['rounddown(1299, -2)', '1200'],
    ],
  },
  {
    name: 'roundup',
    family: 'numbers',
    usage: 'roundup(x, places)',
    help: 'Rounded away from zero; to whole numbers without places.',
    signatures: [{ takes: ['number', 'number'], optional: 1, gives: 'number' }],
    blanks: 'spreads',
    evaluate: ([a, places]) =>
      number(roundIn(decimal(a), places === undefined ? 0 : placesOf(places), Decimal.ROUND_UP)),
    sql: ([a, places]) => `loom.round_up(${a}, ${places ?? '0'})`,
    examples: [
      ['roundup(2.01)', '3'],
      ['roundup(-1201, -2)', '-1300'],
    ],
  },
];
