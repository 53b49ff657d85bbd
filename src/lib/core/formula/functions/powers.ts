import Decimal from 'decimal.js';
import { canonicalNumber } from '../../fieldTypes/number';
import type { Scalar } from '../../types/expression';
import type { FunctionDefinition, Signature } from './definition';

/** Worked out with 40 digits more than are kept, as PostgreSQL does, so that both round alike. */
const Precise = Decimal.clone({ precision: 60, rounding: Decimal.ROUND_HALF_UP, toExpNeg: -9e15, toExpPos: 9e15 });
const Kept = Decimal.clone({ precision: 20, rounding: Decimal.ROUND_HALF_UP, toExpNeg: -9e15, toExpPos: 9e15 });

const precise = (value: Scalar | undefined) => new Precise(String(value));

/** To 20 significant digits, at most 40 decimals (see loom.significant in the migrations). */
const significant = (value: Decimal): Scalar => canonicalNumber(new Kept(value).plus(0).toDecimalPlaces(40));

/** Beyond e^200 no number is of use here; below e^-200 it is 0 to 40 decimals. */
const mostExponent = 200;
const exponential = (x: Decimal): Decimal | null =>
  x.lt(-mostExponent) ? new Precise(0) : x.lte(mostExponent) ? x.exp() : null;

function power(x: Decimal, y: Decimal): Scalar {
  if (y.isZero()) return '1';
  if (x.isZero()) return y.gt(0) ? '0' : null;
  if (x.lt(0) && !y.isInteger()) return null;
  const made = exponential(x.abs().ln().times(y));
  return made && significant(x.lt(0) && !y.mod(2).isZero() ? made.neg() : made);
}

const one: Signature = { takes: ['number'], gives: 'number' };

export const powers: readonly FunctionDefinition[] = [
  {
    name: 'power',
    family: 'numbers',
    usage: 'power(x, y)',
    help: 'x to the power of y, to 20 significant digits.',
    signatures: [{ takes: ['number', 'number'], gives: 'number' }],
    blanks: 'spreads',
    mayBlank: 'this power has no value',
    evaluate: ([x, y]) => power(precise(x), precise(y)),
    sql: ([x, y]) => `loom.power_of(${x}, ${y})`,
    examples: [
      ['power(2, 10)', '1024'],
      ['power(-2, 3)', '-8'],
      ['power(-2, 0.5)', ''],
      ['power(1.05, 12)', '1.7958563260221291504'],
    ],
  },
  {
    name: 'sqrt',
    family: 'numbers',
    usage: 'sqrt(x)',
    help: 'The square root, to 20 significant digits; blank for a negative number.',
    signatures: [one],
    blanks: 'spreads',
    mayBlank: 'a negative number has no root',
    evaluate: ([x]) => (precise(x).lt(0) ? null : significant(precise(x).sqrt())),
    sql: ([x]) => `loom.square_root(${x})`,
    examples: [
      ['sqrt(2)', '1.4142135623730950488'],
      ['sqrt(-1)', ''],
    ],
  },
  {
    name: 'exp',
    family: 'numbers',
    usage: 'exp(x)',
    help: 'e to the power of x, to 20 significant digits.',
    signatures: [one],
    blanks: 'spreads',
    mayBlank: 'it is beyond e to the power of 200',
    evaluate: ([x]) => {
      const made = exponential(precise(x));
      return made && significant(made);
    },
    sql: ([x]) => `loom.exponential(${x})`,
    examples: [
      ['exp(1)', '2.7182818284590452354'],
      ['exp(0)', '1'],
    ],
  },
  {
    name: 'ln',
    family: 'numbers',
    usage: 'ln(x)',
    help: 'The natural logarithm, to 20 significant digits; blank unless x is above 0.',
    signatures: [one],
    blanks: 'spreads',
    mayBlank: 'only numbers above 0 have a logarithm',
    evaluate: ([x]) => (precise(x).gt(0) ? significant(precise(x).ln()) : null),
    sql: ([x]) => `loom.natural_log(${x})`,
    examples: [
      ['ln(10)', '2.302585092994045684'],
      ['ln(0)', ''],
    ],
  },
  {
    name: 'log',
    family: 'numbers',
    usage: 'log(base, x)',
    help: 'The logarithm of x to a base; to base 10 when x stands alone.',
    signatures: [one, { takes: ['number', 'number'], gives: 'number' }],
    blanks: 'spreads',
    mayBlank: 'only numbers above 0 have a logarithm',
    evaluate([a, b]) {
      const [base, x] = b === undefined ? [new Precise(10), precise(a)] : [precise(a), precise(b)];
      return x.gt(0) && base.gt(0) && !base.eq(1) ? significant(x.ln().div(base.ln())) : null;
    },
    sql: ([a, b]) => (b === undefined ? `loom.log_to(10, ${a})` : `loom.log_to(${a}, ${b})`),
    examples: [
      ['log(1000)', '3'],
      ['log(2, 8)', '3'],
    ],
  },
];
