import { bad, good, type Result } from '../base/problem';
import type { Scalar } from '../types/expression';
import type { Reading, ValueKind } from './kind';
import {
  canonicalNumber,
  compareNumbers,
  Exact,
  mostDecimals,
  readNumber,
  takeNumber,
  digitsWithin,
  numberJson,
} from './number';
import { numberText } from './numberText';

/** The fraction that `12.5 %`, `12.5%` or `12.5` says. `digits` counts the decimals before the sign. */
export function readPercent(written: string, digits: number | null, reading: Pick<Reading, 'decimal'>): Result<string> {
  const read = readNumber(written.replace(/\s*%$/, ''), digits ?? mostDecimals - 2, reading);
  return read.ok ? good(canonicalNumber(new Exact(read.value).div(100))) : read;
}

/** A fraction as `12.5 %`. */
export const printPercent = (value: Scalar, digits: number | null): string => {
  const hundredths = new Exact(String(value)).times(100);
  return `${digits === null ? canonicalNumber(hundredths) : hundredths.toFixed(digits)} %`;
};

/** A share of a whole as programs have it, in hundredths. */
export const hundredths = (value: unknown): string => canonicalNumber(new Exact(String(value)).times(100));

/** A fraction as JSON, no finer than `digits` allow. */
export function takeFraction(value: unknown, digits: number | null): Result<string> {
  if (typeof value === 'string' && value.includes('%')) return readPercent(value.trim(), digits, { decimal: '.' });
  const fraction = takeNumber(value, digits === null ? null : digits + 2);
  return fraction.ok
    ? fraction
    : bad(`${fraction.problem.message} A percentage is sent as its fraction.`, 'Write 0.125 or "12.5 %".');
}

declare module '../types/field' {
  interface FieldTypes {
    /** Held as the fraction that formulas count with: 12.5 % is 0.125. `digits` counts the decimals before the sign. */
    readonly percent: { readonly digits: number | null };
  }
}

/** Held as the fraction: 12.5 % is 0.125. */
export const percent: ValueKind<'percent'> = {
  text: (value, { digits }, { locale }) => `${numberText(hundredths(value), digits, locale)} %`,
  word: 'percent',
  mean: (type) => ({ ...type, digits: type.digits === null ? 2 : type.digits + 1 }),
  valueType: () => ({ is: 'number' }),
  canBeUnique: true,
  looksLike: 'numbers',
  check: ({ digits }, label) => digitsWithin(label, digits),
  measure: ({ digits }) => ({ is: 'percent', digits }),
  narrows: (old, now) => (now.digits ?? Infinity) < (old.digits ?? Infinity),
  json: (value) => numberJson(String(value)),
  family: 'numeric',
  convertibleText: (value) => printPercent(value, null),
  parse: (written, type, reading) => readPercent(written, type.digits, reading),
  take: (value, type) => takeFraction(value, type.digits),
  print: (value, type) => printPercent(value, type.digits),
  compare: compareNumbers,
  sample: (random, type) => canonicalNumber(new Exact(random() * 20).toDecimalPlaces(type.digits ?? 1).div(100)),
};
