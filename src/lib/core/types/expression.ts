import { say } from '../base/say';
import type { FieldId, TableId } from './identity';

/** The types of the formula language. Options and records say whose they are. */
export type ValueType =
  | {
      readonly is:
        | 'text'
        | 'number'
        | 'boolean'
        | 'date'
        | 'timestamp'
        | 'duration'
        | 'interval'
        | 'money'
        | 'member'
        | 'place'
        | 'files'
        | 'blank';
    }
  | { readonly is: 'option' | 'options'; readonly field: FieldId }
  | { readonly is: 'record' | 'records'; readonly table: TableId };

/**
 * A value as it is held everywhere: blank is null; a number is its canonical decimal text (`-12.5`), so that no digit
 * is lost; a date is ISO 8601; an instant is RFC 3339 in UTC to the second (`2026-05-16T14:30:00Z`); a duration is its
 * whole seconds as text; an option is its id, several options their ids with commas between, sorted by code point; a
 * link is the target's `_id`, a person the Directory's number; money of a chosen currency is `12.5 EUR`; a place and
 * files are canonical JSON (see values/place.ts, values/files.ts). Equal values are equal Scalars.
 */
export type Scalar = string | boolean | number | null;

/**
 * A checked formula. It names tables, fields and options by identity only, so it survives every rename. `place` in a
 * field reference counts along the enclosing aggregate's set: 0 is the record that has the formula, n the record
 * reached after n steps.
 */
export type Expression =
  | { readonly do: 'value'; readonly type: ValueType; readonly value: Scalar }
  | {
      readonly do: 'field';
      readonly place: number;
      /** Links to one, followed from that record. */
      readonly through: readonly FieldId[];
      readonly field: FieldId;
      readonly type: ValueType;
    }
  | { readonly do: 'call'; readonly name: string; readonly args: readonly Expression[]; readonly type: ValueType }
  | {
      readonly do: 'case';
      readonly whens: readonly { readonly when: Expression; readonly then: Expression }[];
      readonly otherwise: Expression | null;
      readonly type: ValueType;
    }
  | Aggregate;

export interface Aggregate {
  readonly do: 'aggregate';
  readonly name: AggregateName;
  /** Links and counterparts from the owner to the records gathered; the last one leads to many. */
  readonly set: readonly FieldId[];
  readonly distinct: boolean;
  /** What is gathered; null counts the records themselves. */
  readonly of: Expression | null;
  readonly separator: string | null;
  readonly filter: Expression | null;
  readonly order: readonly { readonly by: Expression; readonly descending: boolean }[];
  readonly type: ValueType;
}

export const aggregateNames = [
  'sum',
  'avg',
  'min',
  'max',
  'count',
  'string_agg',
  'bool_and',
  'bool_or',
  'every',
  'first',
  'last',
  'share',
  'exists',
] as const;
export type AggregateName = (typeof aggregateNames)[number];

/** All expressions inside one, itself first. */
export function* partsOf(expression: Expression): Generator<Expression> {
  yield expression;
  switch (expression.do) {
    case 'call':
      for (const arg of expression.args) yield* partsOf(arg);
      break;
    case 'case':
      for (const { when, then } of expression.whens) {
        yield* partsOf(when);
        yield* partsOf(then);
      }
      if (expression.otherwise) yield* partsOf(expression.otherwise);
      break;
    case 'aggregate':
      if (expression.of) yield* partsOf(expression.of);
      if (expression.filter) yield* partsOf(expression.filter);
      for (const { by } of expression.order) yield* partsOf(by);
      break;
  }
}

/** Parts of a formula that do not stand inside an aggregate; the aggregates themselves are among them. */
export function* outerPartsOf(expression: Expression): Generator<Expression> {
  yield expression;
  if (expression.do === 'call') for (const arg of expression.args) yield* outerPartsOf(arg);
  if (expression.do === 'case') {
    for (const { when, then } of expression.whens) {
      yield* outerPartsOf(when);
      yield* outerPartsOf(then);
    }
    if (expression.otherwise) yield* outerPartsOf(expression.otherwise);
  }
}

export const sameType = (a: ValueType, b: ValueType): boolean =>
  a.is === b.is &&
  ('field' in a && 'field' in b ? a.field === b.field : 'table' in a && 'table' in b ? a.table === b.table : true);

const typeWords: Record<ValueType['is'], string> = {
  text: 'text',
  number: 'number',
  boolean: 'yes/no',
  date: 'date',
  interval: 'interval',
  blank: 'blank',
  option: 'option',
  options: 'set of options',
  timestamp: 'date and time',
  duration: 'duration',
  money: 'money',
  member: 'person',
  place: 'place',
  files: 'set of files',
  record: 'record',
  records: 'set of records',
};

export const typeWord = (type: ValueType): string => say(typeWords[type.is]);
