import type { Scalar } from '../formula/expression';
import type { FieldType, SystemKind } from '../types/field';
import { good, type Result } from '../problem';
import { date } from './date';
import { dateTime } from './dateTime';
import { duration } from './duration';
import { email } from './email';
import { files, pictures } from './files';
import { plainReading, type Random, type Reading, type ValueKind } from './kind';
import { link } from './link';
import { longText } from './longText';
import { member } from './member';
import { money } from './money';
import { number } from './number';
import { option } from './option';
import { options } from './options';
import { percent } from './percent';
import { phone } from './phone';
import { place } from './place';
import { progress } from './progress';
import { rating } from './rating';
import { runningNumber } from './runningNumber';
import { text } from './text';
import { url } from './url';
import { yesNo } from './yesNo';

export { plainReading, type Random, type Reading } from './kind';

/** Field types with values of their own: those that people enter, and running numbers. */
export type EnteredType = Exclude<FieldType, { kind: 'counterpart' | 'formula' | SystemKind }>;
export type EnteredKind = EnteredType['kind'];

/** The registry: each kind of entered value stands here once. */
const kinds: { readonly [K in EnteredKind]: ValueKind<K> } = {
  text,
  longText,
  number,
  money,
  percent,
  yesNo,
  date,
  dateTime,
  duration,
  option,
  options,
  link,
  member,
  url,
  email,
  phone,
  place,
  files,
  pictures,
  rating,
  progress,
  runningNumber,
};

export const enteredKinds = Object.keys(kinds) as readonly EnteredKind[];

// The registry maps each kind to its own type, which TypeScript cannot follow through a union.
const kindOf = (type: EnteredType) => kinds[type.kind] as ValueKind<EnteredKind>;

/** Reads what was written; nothing but spaces is blank. */
export function parseValue(written: string, type: EnteredType, reading: Reading = plainReading): Result<Scalar> {
  const trimmed = written.trim();
  return trimmed === '' ? good(null) : kindOf(type).parse(trimmed, type, reading);
}

/** Takes a value from JSON; null and empty text are blank. */
export function takeValue(value: unknown, type: EnteredType, reading: Reading = plainReading): Result<Scalar> {
  if (value === null || value === undefined || value === '') return good(null);
  return kindOf(type).take(value, type, reading);
}

/** The text of a value, blank as the empty text; `parseValue` reads it as the same value. */
export const printValue = (value: Scalar, type: EnteredType, reading: Reading = plainReading): string =>
  value === null ? '' : kindOf(type).print(value, type, reading);

/** Order of two values; blanks come last. */
export function compareValues(a: Scalar, b: Scalar, type: EnteredType): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  return kindOf(type).compare(a, b, type);
}

/** A believable value of the type. */
export const sampleValue = (random: Random, type: EnteredType): Scalar => kindOf(type).sample(random, type);
