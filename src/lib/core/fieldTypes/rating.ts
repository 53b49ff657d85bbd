import { bad, good, type Result } from '../base/problem';
import type { TypeOf } from '../types/field';
import type { ValueKind } from './kind';
import { compareNumbers, numberJson, readNumber, takeNumber } from './number';

/** More steps than anybody tells apart. */
const mostSteps = 10;

function step(read: Result<string>, { most }: TypeOf<'rating'>): Result<string> {
  if (!read.ok) return bad(read.problem.message, `Write a whole number from 1 to ${most}.`);
  return Number(read.value) >= 1 && Number(read.value) <= most
    ? read
    : bad(`${read.value} is outside 1 to ${most}.`, `Write a whole number from 1 to ${most}.`);
}

declare module '../types/field' {
  interface FieldTypes {
    /** Whole steps from 1 to `most`. */
    readonly rating: { readonly most: number };
  }
}

/** Whole steps from 1 to the most; a row of stars reads as how many they are. */
export const rating: ValueKind<'rating'> = {
  text: (value) => '★'.repeat(Number(value)),
  word: 'rating',
  mean: () => ({ kind: 'number', digits: 1 }),
  valueType: () => ({ is: 'number' }),
  looksLike: 'numbers',
  check: ({ most }, label) =>
    Number.isInteger(most) && most >= 2 && most <= mostSteps
      ? good(true)
      : bad(`“${label}” cannot have ${most} steps.`, `Choose 2 to ${mostSteps}.`),
  measure: () => ({ is: 'plain', digits: 0 }),
  narrows: (old, now) => now.most < old.most,
  json: (value) => numberJson(String(value)),
  family: 'numeric',
  parse: (written, type, reading) =>
    step(/^★+$/.test(written) ? { ok: true, value: String(written.length) } : readNumber(written, 0, reading), type),
  take: (value, type, reading) =>
    typeof value === 'string' ? rating.parse(value.trim(), type, reading) : step(takeNumber(value, 0), type),
  print: (value) => String(value),
  compare: compareNumbers,
  sample: (random, type) => String(1 + Math.floor(random() * type.most)),
};
