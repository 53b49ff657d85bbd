import type { Scalar } from '../formula/expression';
import type { FieldType, TypeOf } from '../model/model';
import { bad, good, type Result } from '../problem';
import { date } from './date';
import { plainReading, type Random, type Reading, type ValueKind } from './kind';
import { link } from './link';
import { number } from './number';
import { option } from './option';
import { text } from './text';
import { yesNo } from './yesNo';

export { plainReading, type Random, type Reading } from './kind';

/** Field types whose values people enter. */
export type EnteredType = Exclude<FieldType, { kind: 'counterpart' | 'formula' }>;

/** The registry: each kind of entered value stands here once. */
const kinds: { readonly [K in EnteredType['kind']]: ValueKind<K> } = { text, number, yesNo, date, option, link };

// The registry maps each kind to its own type, which TypeScript cannot follow through a union.
const kindOf = (type: EnteredType) => kinds[type.kind] as ValueKind<EnteredType['kind']>;

/** Reads what was written; nothing but spaces is blank. */
export function parseValue(written: string, type: EnteredType, reading: Reading = plainReading): Result<Scalar> {
  const trimmed = written.trim();
  return trimmed === '' ? good(null) : kindOf(type).parse(trimmed, type, reading);
}

/** Takes a value from JSON; null and empty text are blank. */
export function takeValue(value: unknown, type: EnteredType): Result<Scalar> {
  if (value === null || value === undefined || value === '') return good(null);
  return kindOf(type).take(value, type);
}

/** The text of a value, blank as the empty text; `parseValue` reads it as the same value. */
export const printValue = (value: Scalar, type: EnteredType): string => (value === null ? '' : kindOf(type).print(value, type));

/** Order of two values; blanks come last. */
export function compareValues(a: Scalar, b: Scalar, type: EnteredType): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  return kindOf(type).compare(a, b, type);
}

/** A believable value of the type. */
export const sampleValue = (random: Random, type: EnteredType): Scalar => kindOf(type).sample(random, type);

/** The value as the other type, read from its text; a number or a date that does not fit says why. */
export function convertValue(value: Scalar, from: EnteredType, to: EnteredType): Result<Scalar> {
  if (value === null) return good(null);
  if (from.kind === 'link' || to.kind === 'link') return bad('Links are not converted value by value.');
  return parseValue(convertibleText(value, from), to);
}

/** The text conversions go through: numbers with all their digits, not only those shown. */
const convertibleText = (value: Scalar, from: EnteredType): string => (from.kind === 'number' ? String(value) : printValue(value, from));

export type { TypeOf };
