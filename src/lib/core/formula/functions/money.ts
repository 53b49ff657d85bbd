import Decimal from 'decimal.js';
import { moneyParts } from '../../fieldTypes/money';
import { canonicalNumber, Exact, mostDecimals, numberLimit } from '../../fieldTypes/number';
import type { Scalar } from '../../types/expression';
import type { FunctionDefinition, Parameter, Signature } from './definition';
import { divide, roundTo } from './numbers';

/** Money of a chosen currency from its parts; blank beyond the limits of stored numbers (see loom.money_of). */
export function moneyOf(amount: Scalar, currency: string): Scalar {
  if (amount === null) return null;
  const exact = new Exact(String(amount));
  return exact.abs().gte(numberLimit) ? null : `${canonicalNumber(exact.toDecimalPlaces(mostDecimals))} ${currency}`;
}

/** The total of several amounts; blank when their currencies differ, or of none. */
export function totalOf(values: readonly Scalar[]): { total: Decimal; currency: string } | null {
  const parts = values.map(moneyParts);
  const [first] = parts;
  if (!first || parts.some(({ currency }) => currency !== first.currency)) return null;
  return { total: parts.reduce((sum, { amount }) => sum.plus(amount), new Exact(0)), currency: first.currency };
}

const differ = 'the currencies differ';

const define = (
  name: string,
  usage: string,
  help: string,
  takes: Signature & { readonly takes: readonly Parameter[] },
  evaluate: FunctionDefinition['evaluate'],
  sql: (a: string, b: string) => string,
  mayBlank?: string,
): FunctionDefinition => ({
  name,
  family: 'numbers',
  usage,
  help,
  signatures: [takes],
  blanks: 'spreads',
  mayBlank,
  evaluate,
  sql: ([a, b]) => sql(String(a), String(b)),
  examples: [],
});

const two: Signature = { takes: ['money', 'money'], gives: 'money' };
const added = (sign: 1 | -1): FunctionDefinition['evaluate'] =>
  function add([a = null, b = null]) {
    const [x, y] = [moneyParts(a), moneyParts(b)];
    return x.currency === y.currency
      ? moneyOf(canonicalNumber(new Exact(x.amount).plus(new Exact(y.amount).times(sign))), x.currency)
      : null;
  };

/** Money whose currency each record chooses. That of a fixed currency is counted with as a number. */
export const moneyFunctions: readonly FunctionDefinition[] = [
  define(
    'money plus',
    'money + money',
    'The sum of two amounts of one currency.',
    two,
    added(1),
    (a, b) => `loom.money_plus(${a}, ${b})`,
    differ,
  ),
  define(
    'money minus',
    'money - money',
    'The difference of two amounts of one currency.',
    two,
    added(-1),
    (a, b) => `loom.money_minus(${a}, ${b})`,
    differ,
  ),
  define(
    'money times',
    'money * number',
    'So many times the amount.',
    { takes: ['money', 'number'], gives: 'money' },
    ([a = null, n]) =>
      moneyOf(canonicalNumber(new Exact(moneyParts(a).amount).times(String(n))), moneyParts(a).currency),
    (a, n) => `loom.money_times(${a}, ${n})`,
  ),
  define(
    'times money',
    'number * money',
    'So many times the amount.',
    { takes: ['number', 'money'], gives: 'money' },
    ([n, a = null]) =>
      moneyOf(canonicalNumber(new Exact(moneyParts(a).amount).times(String(n))), moneyParts(a).currency),
    (n, a) => `loom.money_times(${a}, ${n})`,
  ),
  define(
    'money over',
    'money / number',
    'A part of the amount; blank when divided by 0.',
    { takes: ['money', 'number'], gives: 'money' },
    ([a = null, n]) => moneyOf(divide(new Exact(moneyParts(a).amount), new Exact(String(n))), moneyParts(a).currency),
    (a, n) => `loom.money_over(${a}, ${n})`,
    'it divides by 0',
  ),
  define(
    'money ratio',
    'money / money',
    'How many times one amount is in the other, of one currency.',
    { takes: ['money', 'money'], gives: 'number' },
    ([a = null, b = null]) => {
      const [x, y] = [moneyParts(a), moneyParts(b)];
      return x.currency === y.currency ? divide(new Exact(x.amount), new Exact(y.amount)) : null;
    },
    (a, b) => `loom.money_ratio(${a}, ${b})`,
    'the currencies differ or it divides by 0',
  ),
  define(
    'money rounded',
    'round(money, places)',
    'The amount rounded half away from zero.',
    { takes: ['money', 'number'], optional: 1, gives: 'money' },
    ([a = null, places]) => {
      const { amount, currency } = moneyParts(a);
      const to =
        places === undefined ? 0 : Decimal.max(-30, Decimal.min(30, new Exact(String(places)).trunc())).toNumber();
      return moneyOf(canonicalNumber(roundTo(new Exact(amount), to)), currency);
    },
    (a, places) => `loom.money_round(${a}, ${places === 'undefined' ? '0' : places})`,
  ),
  define(
    'money negated',
    '-money',
    'The amount with its sign turned.',
    { takes: ['money'], gives: 'money' },
    ([a = null]) => moneyOf(canonicalNumber(new Exact(moneyParts(a).amount).neg()), moneyParts(a).currency),
    (a) => `loom.money_times(${a}, -1)`,
  ),
];
