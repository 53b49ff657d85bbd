import Decimal from 'decimal.js';
import { bad, good, type Result } from '../problem';
import type { Scalar } from '../formula/expression';
import type { ValueKind } from './kind';

/** Decimals wide enough that + - * never round: each side has at most 30 + 30 digits. */
export const Exact = Decimal.clone({ precision: 1000, rounding: Decimal.ROUND_HALF_UP, toExpNeg: -9e15, toExpPos: 9e15 });

/** Numbers stay below 10^30 and keep at most 30 decimals; what a formula makes beyond that is blank, with a reason. */
export const numberLimit = new Exact('1e30');
export const mostDecimals = 30;

/** The one way a number is written as a value: no exponent, no needless zeros, no -0. */
export function canonicalNumber(number: Decimal): string {
  return number.isZero() ? '0' : number.toFixed();
}

function withinLimits(written: string, digits: number | null): Result<Scalar> {
  const number = new Exact(written);
  if (number.abs().gte(numberLimit)) return bad('The number has more than 30 digits before the point.');
  const decimals = number.decimalPlaces();
  const most = digits ?? mostDecimals;
  if (decimals > most)
    return bad(
      most === 0 ? `${written} is no whole number.` : `${written} has ${decimals} decimals; ${most} is the most here.`,
      most === 0 ? 'Round it, or let the field keep decimals.' : 'Round it, or let the field keep more.',
    );
  return good(canonicalNumber(number));
}

const plain = /^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$/;
const groupedByComma = /^[+-]?\d{1,3}(?:,\d{3})+(?:\.\d+)?$/;
const groupedByPoint = /^[+-]?\d{1,3}(?:\.\d{3})+(?:,\d+)?$/;

export const number: ValueKind<'number'> = {
  parse(written, type, { decimal }) {
    // Exponents are not read: `7E5` in a team's sheet is a stand's code far more often than a number.
    let plainly = written.replace(/^−/, '-');
    if (decimal === ',') {
      if (groupedByPoint.test(plainly)) plainly = plainly.replaceAll('.', '');
      else if (plainly.includes('.')) return bad(`“${written}” is no number with a decimal comma.`);
      plainly = plainly.replace(',', '.');
    } else if (groupedByComma.test(plainly)) plainly = plainly.replaceAll(',', '');
    if (!plain.test(plainly)) return bad(`“${shorten(written)}” is no number.`, 'Write digits, such as 12.5.');
    return withinLimits(plainly, type.digits);
  },
  take(value, type) {
    if (typeof value === 'number') {
      if (!Number.isFinite(value)) return bad('This is no finite number.');
      return withinLimits(new Exact(value).toFixed(), type.digits);
    }
    if (typeof value === 'string') return number.parse(value.trim(), type, { decimal: '.', dateOrder: 'ymd' });
    return bad('This is no number.');
  },
  print: (value, type) => (type.digits === null ? String(value) : new Exact(String(value)).toFixed(type.digits)),
  compare: (a, b) => new Exact(String(a)).comparedTo(new Exact(String(b))),
  sample: (random, type) => canonicalNumber(new Exact(random() * 100).toDecimalPlaces(type.digits ?? 1)),
};

/** Long values are cut in messages. */
export const shorten = (written: string): string => (written.length > 60 ? `${written.slice(0, 57)}…` : written);
