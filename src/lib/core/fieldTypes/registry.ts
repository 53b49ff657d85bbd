import type { Scalar, ValueType } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { FieldKind, FieldType, SystemKind, TypeOf } from '../types/field';
import { good, type Result } from '../base/problem';
import { date } from './date';
import { dateTime } from './dateTime';
import { duration } from './duration';
import { changedAt, changedBy, counterpart, createdAt, createdBy, formula } from './derived';
import { email } from './email';
import { files, pictures } from './files';
import {
  plainReading,
  unmeasured,
  type FieldKindDescriptor,
  type Measure,
  type Random,
  type Reading,
  type ValueKind,
  type Wording,
} from './kind';
import { wordsOf } from './json';
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

type DerivedKind = 'counterpart' | 'formula' | SystemKind;
export type EnteredKind = Exclude<FieldKind, DerivedKind>;
/** Field types with values of their own: those that people enter, and running numbers. */
export type EnteredType = TypeOf<EnteredKind>;

/** The registry: each kind of field stands here once; those that are read from text are entered. */
export const fieldKinds: { readonly [K in EnteredKind]: ValueKind<K> } & {
  readonly [K in DerivedKind]: FieldKindDescriptor<K>;
} = {
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
  counterpart,
  formula,
  createdAt,
  createdBy,
  changedAt,
  changedBy,
};

const isEnteredKind = (kind: FieldKind): kind is EnteredKind => 'parse' in fieldKinds[kind];

export const enteredKinds = (Object.keys(fieldKinds) as FieldKind[]).filter(isEnteredKind) as readonly EnteredKind[];

// The registry maps each kind to its own type, which TypeScript cannot follow through a union.
const kindOf = (type: EnteredType) => fieldKinds[type.kind] as ValueKind<EnteredKind>;
const descriptorOf = (type: FieldType) => fieldKinds[type.kind] as FieldKindDescriptor<FieldKind>;

/** What is known of an entered kind. */
export const enteredKind = <K extends EnteredKind>(kind: K) => fieldKinds[kind] as ValueKind<K>;

/** Whether a field has values of its own that people enter, or the database gives. */
export const isEnteredType = (type: FieldType): type is EnteredType => isEnteredKind(type.kind);

/** What values of a field of this type are in formulas. */
export const formulaType = (type: FieldType, id: FieldId): ValueType => descriptorOf(type).valueType(type, id);

/** Whether values of this type can be asked to be there once each. */
export const canBeUnique = ({ kind }: FieldType): boolean => fieldKinds[kind].canBeUnique === true;

/** Why the settings of a type cannot stand; see `FieldKindDescriptor`. */
export const checkSettings = (type: FieldType, label: string): Result<true> =>
  descriptorOf(type).check?.(type, label) ?? good(true);

/** What a mean of values of a type is shown as. */
export const meanOfType = (type: FieldType): FieldType => descriptorOf(type).mean?.(type) ?? type;

/** What the numbers of a type measure. */
export const measureOfType = (type: FieldType): Measure => descriptorOf(type).measure?.(type) ?? unmeasured;

/** Whether stored values of one type may not fit another of the same kind. */
export const narrows = (old: FieldType, now: FieldType): boolean =>
  old.kind === now.kind && (descriptorOf(old).narrows?.(old, now) ?? false);

/**
 * A value as programs get it: options by label, instants as RFC 3339, durations as ISO 8601, links as `{id, title}` and
 * people as `{id, name}`, whose words come as `title`.
 */
export function valueJson(type: FieldType, value: Scalar, title: unknown = null): unknown {
  if (value === null) return null;
  const { json } = descriptorOf(type);
  return json ? json(value, type, title) : value;
}

/** A value as programs get it, as a text that a person reads and copies; blank is the empty text. */
export function textOfJson(value: unknown, type: FieldType, wording: Wording): string {
  if (value === null || value === undefined) return '';
  return descriptorOf(type).text?.(value, type, wording) ?? wordsOf(value);
}

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

/** The text that conversions go through: numbers with all their digits, not only those shown. */
export const convertibleText = (value: Scalar, type: EnteredType, reading: Reading): string =>
  kindOf(type).convertibleText?.(value, type) ?? printValue(value, type, reading);

/** Order of two values; blanks come last. */
export function compareValues(a: Scalar, b: Scalar, type: EnteredType): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  return kindOf(type).compare(a, b, type);
}

/** A believable value of the type. */
export const sampleValue = (random: Random, type: EnteredType): Scalar => kindOf(type).sample(random, type);
