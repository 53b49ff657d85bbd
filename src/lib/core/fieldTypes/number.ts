import Decimal from 'decimal.js';
import { bad, good, type Result } from '../base/problem';
import type { Scalar } from '../types/expression';
import type { Reading, ValueKind } from './kind';
import { shorten } from './text';
import { numberText } from './numberText';

/** Decimals wide enough that + - * never round: each side has at most 30 + 30 digits. */
export const Exact = Decimal.clone({
  precision: 1000,
  rounding: Decimal.ROUND_HALF_UP,
  toExpNeg: -9e15,
  toExpPos: 9e15,
});

/** Numbers stay below 10^30 and keep at most 30 decimals; what a formula makes beyond that is blank, with a reason. */
export const numberLimit = new Exact('1e30');
export const mostDecimals = 30;

/** The one way a number is written as a value: no exponent, no needless zeros, no -0. */
export function canonicalNumber(number: Decimal): string {
  return number.isZero() ? '0' : number.toFixed();
}

function withinLimits(written: string, digits: number | null): Result<string> {
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

/** With an exponent that is no code: `1e5`, `2.5E3`, `1E-3`, but not `7E5`, as a stand is called. */
const exponential = /^[+-]?(?:\d+(?:[.,]\d+)?e[+-]?\d{1,2}|\d+[.,]\d+E\d{1,2}|\d+(?:[.,]\d+)?E[+-]\d{1,2})$/;
/** As accounts write what is less than nothing. */
const bracketed = /^\( ?([\d.,]+) ?\)$/;

/** Reads digits with an optional sign and groups; at most `digits` decimals, null for as many as can be stored. */
export function readNumber(
  written: string,
  digits: number | null,
  { decimal }: Pick<Reading, 'decimal'>,
): Result<string> {
  let plainly = written.replace(/^−/, '-').replace(bracketed, '-$1');
  if (exponential.test(plainly)) {
    if (plainly.includes(decimal === ',' ? '.' : ','))
      return bad(`“${shorten(written)}” is no number.`, 'Write digits, such as 12.5.');
    return withinLimits(plainly.replace(',', '.'), digits);
  }
  if (decimal === ',') {
    if (groupedByPoint.test(plainly)) plainly = plainly.replaceAll('.', '');
    else if (plainly.includes('.')) return bad(`“${shorten(written)}” is no number with a decimal comma.`);
    plainly = plainly.replace(',', '.');
  } else if (groupedByComma.test(plainly)) plainly = plainly.replaceAll(',', '');
  if (!plain.test(plainly)) return bad(`“${shorten(written)}” is no number.`, 'Write digits, such as 12.5.');
  return withinLimits(plainly, digits);
}

/** A number that came as JSON: itself, or as text with all its digits. */
export function takeNumber(value: unknown, digits: number | null): Result<string> {
  if (typeof value === 'number')
    return Number.isFinite(value) ? withinLimits(new Exact(value).toFixed(), digits) : bad('This is no finite number.');
  return typeof value === 'string'
    ? readNumber(value.trim(), digits, { decimal: '.' })
    : bad('This is no number.', 'Write 12.5 or "12.5".');
}

export const compareNumbers = (a: Scalar, b: Scalar): number => new Exact(String(a)).comparedTo(new Exact(String(b)));

/** Why a number of decimals cannot be kept. */
export const digitsWithin = (label: string, digits: number | null): Result<true> =>
  digits === null || (Number.isInteger(digits) && digits >= 0 && digits <= mostDecimals)
    ? good(true)
    : bad(`“${label}” cannot keep ${digits} decimals.`, `Choose 0 to ${mostDecimals}.`);

/** A number with all its digits: as a JSON number where that says exactly the same, otherwise as numeric text. */
export function numberJson(text: string): number | string {
  const canonical = canonicalNumber(new Exact(text));
  return String(Number(canonical)) === canonical ? Number(canonical) : canonical;
}

declare module '../types/field' {
  interface FieldTypes {
    /** `digits`: decimals kept and shown; null keeps what is entered. */
    readonly number: { readonly digits: number | null; readonly unit?: string };
  }
}

export const number: ValueKind<'number'> = {
  text: (value, { digits, unit }, { locale }) =>
    numberText(value as string | number, digits, locale) + (unit ? ` ${unit}` : ''),
  word: 'number',
  mean: (type) => ({ ...type, digits: type.digits === null ? 2 : type.digits + 1 }),
  valueType: () => ({ is: 'number' }),
  canBeUnique: true,
  looksLike: 'numbers',
  check: ({ digits }, label) => digitsWithin(label, digits),
  measure: ({ digits, unit }) => (unit ? { is: 'unit', unit, digits } : { is: 'plain', digits }),
  narrows: (old, now) => (now.digits ?? Infinity) < (old.digits ?? Infinity),
  json: (value) => numberJson(String(value)),
  family: 'numeric',
  // Conversions go by all digits, not only those that are shown.
  convertibleText: (value) => String(value),
  parse: (written, type, reading) => readNumber(written, type.digits, reading),
  take: (value, type) => takeNumber(value, type.digits),
  print: (value, type) => (type.digits === null ? String(value) : new Exact(String(value)).toFixed(type.digits)),
  compare: compareNumbers,
  sample: (random, type) => canonicalNumber(new Exact(random() * 100).toDecimalPlaces(type.digits ?? 1)),
};
