import { wordsOf } from '$core/fieldTypes/json';
import type { Cell } from './kind';

/** SQL for a number where it has no more decimals than that, otherwise blank. */
export const wholeTo = (value: string, digits: number): string => `loom.whole_to(${value}, ${Number(digits)})`;

/** SQL for whether a number has more decimals than that: what `wholeTo` blanks, at a fifth of its cost. */
export const unrounded = (column: string, digits: number | null): string | null =>
  digits === null ? null : `${column} <> round(${column}, ${Number(digits)})`;

/**
 * SQL for a number where a condition on it, as `v.n`, holds. It is named in a subquery, as it is costly to work out
 * twice; offset keeps it from being put in place.
 */
export const numberWhere = (value: string, condition: string): string =>
  `(select case when ${condition} then v.n end from (select ${value} as n offset 0) v)`;

/** A number as a cell; the words of one that is not written as a number, such as money of any currency. */
export const numberCell = (value: unknown): Cell =>
  typeof value === 'number' ? { text: String(value), number: value } : { text: wordsOf(value) };

/** The decimals of a format. */
export const decimals = (digits: number): string => (digits > 0 ? `.${'0'.repeat(digits)}` : '');
