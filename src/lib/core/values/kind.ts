import type { Scalar } from '../formula/expression';
import type { FieldKind, TypeOf } from '../types/field';
import type { Result } from '../problem';

/** How written values are to be read: settled for each column of a file; what people type is read as `plainReading`. */
export interface Reading {
  readonly decimal: '.' | ',';
  readonly dateOrder: 'ymd' | 'dmy' | 'mdy';
  /** The IANA time zone of instants that name none; UTC when left out. */
  readonly zone?: string;
  /** The Directory, where people are read by name or email. */
  readonly people?: readonly { readonly id: number; readonly name: string; readonly email: string }[];
}

export const plainReading: Reading = { decimal: '.', dateOrder: 'ymd' };

/** A source of numbers from 0 up to 1, for samples. */
export type Random = () => number;

/**
 * What the core knows of one kind of value. Blank (null) never reaches these functions: the front (`value.ts`) sees to
 * it. Values are `Scalar`s in the form that expression.ts describes.
 */
export interface ValueKind<K extends FieldKind> {
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
}
