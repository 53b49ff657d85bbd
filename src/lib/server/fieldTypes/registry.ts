import type { Scalar } from '$core/types/expression';
import type Joi from 'joi';
import { plainReading, type Reading } from '$core/fieldTypes/kind';
import type { EnteredKind, EnteredType } from '$core/fieldTypes/registry';
import { quoteText } from '$core/base/sql';
import type { Field, FieldKind, FieldType } from '$core/types/field';
import { sequenceName } from '../sql/column';
import { changedAt, changedBy, counterpart, createdAt, createdBy, formula } from './derived';
import { files, pictures } from './files';
import type { StoredFieldKind, StoredKind, TypeJson } from './kind';
import { date } from './date';
import { dateTime } from './dateTime';
import { duration } from './duration';
import { email } from './email';
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

/** The registry: each kind of field stands here once. */
export const storedKinds: { readonly [K in EnteredKind]: StoredKind<K> } & {
  readonly [K in Exclude<FieldKind, EnteredKind>]: StoredFieldKind<K>;
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

// The registry maps each kind to its own type, which TypeScript cannot follow through a union.
const kindOf = (type: EnteredType) => storedKinds[type.kind] as StoredKind<EnteredKind>;

/** What is known of a kind on the server. */
export const storedKind = (type: FieldType) => storedKinds[type.kind] as StoredFieldKind<FieldKind>;

/** SQL that reads a trimmed text as a value of a type, blank where it does not fit; see `StoredKind`. */
export const readSql = (text: string, type: EnteredType, reading: Reading = plainReading, raw = text): string =>
  kindOf(type).readSql(text, type, reading, raw);

/** SQL for a value where its type allows it, otherwise blank. */
export const within = (value: string, type: EnteredType): string => kindOf(type).within?.(value, type) ?? value;

/**
 * SQL for whether a stored value is none that its field could have; null where its column is enough, and for what nobody
 * enters.
 */
export function unfitSql({ type }: Pick<Field, 'type'>, column: string): string | null {
  const known = storedKinds[type.kind];
  if (!('readSql' in known)) return null;
  const kind = known as StoredKind<EnteredKind>;
  if (kind.unfitSql) return kind.unfitSql(column, type as EnteredType);
  const allowed = within(column, type as EnteredType);
  if (allowed !== column) return `(${allowed}) is distinct from ${column}`;
  const text = textSql(column, type);
  const read = readSql(text, type as EnteredType);
  return read === column ? null : text === column ? `(${read}) is null` : null;
}

/** SQL for the text that a stored value is converted through and shown as: all digits, labels of options. */
export const textSql = (value: string, type: FieldType, zone = 'UTC'): string =>
  storedKind(type).textSql(value, type, zone);

/** The members that programs write of the types of all kinds. */
export const typeMembers: Joi.SchemaMap = Object.assign(
  {},
  ...Object.values(storedKinds).map((kind) => ('members' in kind ? kind.members : {})),
) as Joi.SchemaMap;

/** The type of an entered kind as programs write it. */
export const typeOfJson = (kind: EnteredKind, json: TypeJson, field: Partial<Field>): EnteredType =>
  ({ kind, ...(storedKinds[kind] as StoredKind<EnteredKind>).fromJson?.(json, field) }) as EnteredType;

/** The number in a value that was brought along for a field that is numbered; null for any other. */
export const givenNumber = (type: FieldType, value: Scalar): number | null =>
  typeof value === 'string' ? (storedKind(type).givenNumber?.(value, type) ?? null) : null;

/** What the database puts into the column of a new record by itself; null where that is nothing. */
export function columnDefault(field: Field, schema: string, zone: string): string | null {
  // The name is a text for nextval, in which PostgreSQL reads quoted identifiers.
  const sequence = quoteText(`"${schema.replaceAll('"', '""')}"."${sequenceName(field)}"`);
  return storedKind(field.type).columnDefault?.(field.type, { sequence, zone }) ?? null;
}
