import pg from 'pg';
import { sqlTypeOf } from '$core/formula/compiler';
import type { Scalar, ValueType } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import { isSystem, valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import { filesValue, type FileReference } from '$core/fieldTypes/files';
import { moneyParts } from '$core/fieldTypes/money';
import { canonicalNumber, Exact } from '$core/fieldTypes/number';
import { joinedIds, optionIds } from '$core/fieldTypes/options';
import { placeValue, type Place } from '$core/fieldTypes/place';
import { identifier, raw, sql, type Sql } from '../base/sql';

// Instants come as RFC 3339 in UTC (sessions run in UTC), durations as PostgreSQL writes hours, minutes and seconds.
pg.types.setTypeParser(pg.types.builtins.TIMESTAMPTZ, (text) => text.replace(' ', 'T').replace(/\+00$/, 'Z'));
pg.types.setTypeParser(pg.types.builtins.INTERVAL, (text) => text);

/** The PostgreSQL type of a field's column. */
export const columnType = (field: Field): string => sqlTypeOf(valueTypeOf(field));

/** The name of the sequence behind a running number. */
export const sequenceName = (field: Field): string => `_run_${field.id}`;

/** The assignments that say who changed a record and when, for the system fields a table has. */
export const changedColumns = (fields: readonly Field[], quote: (key: string) => string): string[] =>
  fields
    .filter(isSystem)
    .flatMap(({ key, type }) =>
      type.kind === 'changedAt'
        ? [`${quote(key)} = date_trunc('second', now())`]
        : type.kind === 'changedBy'
          ? [`${quote(key)} = loom.person()`]
          : [],
    );

/**
 * The type in which values of a column are sent, many at a time as an array, and the cast that brings them to the
 * column's type. Arrays cannot hold arrays of different lengths, so several options go as the text of an array.
 */
export function wireOf(field: Field): { readonly type: string; readonly cast: string } {
  const type = columnType(field);
  // `unnest` would take a value of several parts apart, too.
  return type === 'text[]' || type === 'loom.money' ? { type: 'text', cast: `::${type}` } : { type, cast: '' };
}

/** A value as the driver sends it. */
export function toColumn(field: Field, value: Scalar): unknown {
  if (value === null) return null;
  switch (valueTypeOf(field).is) {
    case 'options':
      return `{${optionIds(value).join(',')}}`;
    case 'duration':
      return `${String(value)} seconds`;
    case 'money': {
      const { amount, currency } = moneyParts(value);
      return `(${amount},${currency})`;
    }
    default:
      return value;
  }
}

/** The columns of fields, of what stands as `alias`. */
export const columnNames = (fields: readonly Field[], alias: string): Sql[] =>
  fields.map(({ key }) => sql`${raw(alias)}.${identifier(key)}`);

/** The values of one field of many records, as they are sent. */
export const sent = (field: Field, values: readonly ReadonlyMap<FieldId, Scalar>[]): unknown[] =>
  values.map((all) => toColumn(field, all.get(field.id) ?? null));

/** The value of what the driver read. */
export function fromColumn(type: ValueType, raw: unknown): Scalar {
  if (raw === null || raw === undefined) return null;
  switch (type.is) {
    case 'options':
      return joinedIds(raw as string[]);
    case 'duration':
      return secondsOf(String(raw));
    case 'timestamp':
      return String(raw).replace(/\.\d+Z$/, 'Z');
    case 'money': {
      const [, amount = '0', currency = ''] = /^\((.*),(.*)\)$/.exec(String(raw)) ?? [];
      return `${canonicalNumber(new Exact(amount))} ${currency}`;
    }
    case 'place':
      return placeValue(raw as Place);
    case 'files':
      return filesValue(raw as FileReference[]);
    default:
      return raw as Scalar;
  }
}

/** SQL for the same value as a text that says all of it: the twin of `fromColumn`. */
export function valueTextSql(field: Field, column: string): string {
  switch (valueTypeOf(field).is) {
    case 'timestamp':
      return `to_char((${column}) at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
    case 'duration':
      return `trunc(extract(epoch from (${column})))::bigint::text`;
    case 'options':
      return `nullif(array_to_string((${column}), ','), '')`;
    case 'money':
      return `trim_scale((${column}).amount)::text || ' ' || (${column}).currency`;
    case 'place':
      return objectSql(column, ['address', 'latitude', 'longitude']);
    case 'files':
      return `(
        select '[' || string_agg(${objectSql('f.value', ['file', 'name', 'size', 'type'])}, ',' order by f.ordinality) || ']'
        from jsonb_array_elements(${column}) with ordinality f
      )`;
    default:
      return `(${column})::text`;
  }
}

/** What JSON has values of its own for; all else is written as a text. */
const ownInJson: ReadonlySet<string> = new Set(['boolean', 'record', 'member']);

/** SQL for the same value as JSON, as the history keeps it. */
export const valueJsonSql = (field: Field, column: string): string =>
  ownInJson.has(valueTypeOf(field).is) ? `to_jsonb(${column})` : `to_jsonb(${valueTextSql(field, column)})`;

/** SQL for the value of a column from the text that says it: the twin of `valueTextSql`. */
export function valueFromTextSql(field: Field, text: string): string {
  switch (valueTypeOf(field).is) {
    case 'options':
      return `string_to_array(${text}, ',')`;
    case 'duration':
      return `(${text} || ' seconds')::interval`;
    case 'money':
      return `case when ${text} is not null then row(split_part(${text}, ' ', 1)::numeric, split_part(${text}, ' ', 2))::loom.money end`;
    case 'text':
    case 'option':
      return text;
    default:
      return `${text}::${columnType(field)}`;
  }
}

/** SQL for the value of a column from the JSON that the history keeps. */
export const valueFromJsonSql = (field: Field, json: string): string => valueFromTextSql(field, `((${json}) #>> '{}')`);

/** A JSON object as a text with its members in one order; blank for what is blank. */
const objectSql = (column: string, members: readonly string[]): string =>
  `case when (${column}) is not null then '{' || ${members
    .map((name) => `'"${name}":' || coalesce(((${column}) -> '${name}')::text, 'null')`)
    .join(` || ',' || `)} || '}' end`;

/** `26:30:00`, `-00:15:00`, `1 day 02:00:00` as whole seconds. */
function secondsOf(written: string): string {
  const days = /(-?\d+) days?/.exec(written)?.[1] ?? '0';
  const [, sign, hours = '0', minutes = '0', seconds = '0'] = /(-?)(\d+):(\d\d):(\d\d)/.exec(written) ?? [];
  const time = Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds);
  return String(Number(days) * 86_400 + (sign ? -time : time) || 0);
}
