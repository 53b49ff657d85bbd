import type { Scalar, ValueType } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { Result } from '../base/problem';
import type { FieldKind, FieldType, TypeOf } from '../types/field';
import type { Reading } from '../types/reading';

export type { Reading };

export const plainReading: Reading = { decimal: '.', dateOrder: 'ymd' };

/** A source of numbers from 0 up to 1, for samples. */
export type Random = () => number;

/** What a number measures, and so how it is shown. `any`: a written number takes on what stands beside it. */
export type Measure =
  | { readonly is: 'any' | 'plain' | 'percent'; readonly digits: number | null }
  | { readonly is: 'unit'; readonly unit: string; readonly digits: number | null }
  | { readonly is: 'money'; readonly currency: string; readonly digits: number | null };

export const unmeasured: Measure = { is: 'plain', digits: null };

/** How a value is written for whom reads it. */
export interface Wording {
  /** The time zone in which instants are read and printed. */
  readonly zone: string;
  /** A language with its country (BCP 47), such as `de-AT`; that of whoever runs this unless said. */
  readonly locale?: string;
  /** Days are written out in words, as letters have them, instead of as they are typed. */
  readonly written?: true;
}

/** What the core knows of every kind of field; what is left out is as said. */
export interface FieldKindDescriptor<K extends FieldKind> {
  /** What it is called. */
  readonly word: string;
  /** What its values are in formulas. */
  valueType(type: TypeOf<K>, id: FieldId): ValueType;
  /** Whether values can be told apart well enough to stand only once; not unless said. */
  readonly canBeUnique?: true;
  /** New records get a number from PostgreSQL where none is brought along; not unless said. */
  readonly numbered?: true;
  /** Its values are texts of one line, by which records are looked for and told apart; not unless said. */
  readonly oneLine?: true;
  /** Why its own settings cannot stand; what they ask of other fields and tables is checked by the changes. */
  check?(type: TypeOf<K>, label: string): Result<true>;
  /** What its numbers measure; nothing unless said. */
  measure?(type: TypeOf<K>): Measure;
  /** What a mean of its values is shown as, which says more decimals than they do; as they are unless said. */
  mean?(type: TypeOf<K>): FieldType;
  /** Whether stored values may not fit other settings of the same kind; they always do unless said. */
  narrows?(old: TypeOf<K>, now: TypeOf<K>): boolean;
  /** A value as programs get it, with the words of what it names as `title`; the value itself unless said. */
  json?(value: Scalar, type: TypeOf<K>, title: unknown): unknown;
  /** Such a JSON value as a text, as a person reads and copies it; its words unless said. */
  text?(value: unknown, type: TypeOf<K>, wording: Wording): string;
}

/**
 * What the core knows of a kind of field that people enter values of. Blank (null) never reaches these functions: the
 * front (`registry.ts`) sees to it. Values are `Scalar`s in the form that expression.ts describes.
 */
export interface ValueKind<K extends FieldKind> extends FieldKindDescriptor<K> {
  /** Reads what a person or a file wrote; surrounding spaces are gone already. */
  parse(text: string, type: TypeOf<K>, reading: Reading): Result<Scalar>;
  /** Takes a value that came as JSON; times without a zone are the reading's. */
  take(value: unknown, type: TypeOf<K>, reading: Reading): Result<Scalar>;
  /** The text that `parse` reads as the same value. */
  print(value: Scalar, type: TypeOf<K>, reading: Reading): string;
  /** Negative, 0 or positive, in the order that people sort by. */
  compare(a: Scalar, b: Scalar, type: TypeOf<K>): number;
  /** A believable value. */
  sample(random: Random, type: TypeOf<K>): Scalar;
  /**
   * What a column of a file must look like to be read into such a field: any words; some number, some day; what the
   * kind itself writes; nothing does for files.
   */
  readonly looksLike: 'words' | 'numbers' | 'days' | 'own' | 'files';
  /** Kinds that hold the same: a number, or a text. Between them values stay what they are, or go as they are written. */
  readonly family?: 'numeric' | 'textual';
  /** The text that conversions go through, where it is another than what is shown. */
  convertibleText?(value: Scalar, type: TypeOf<K>): string;
}
