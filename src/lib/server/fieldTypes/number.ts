import Joi from 'joi';
import { currencies } from '$core/fieldTypes/money';
import type { Reading } from '$core/fieldTypes/kind';
import { wholeNumber } from '../base/numbers';
import { decimals, numberCell, wholeTo, unrounded } from './numbers';
import type { StoredKind } from './kind';

/** SQL that reads a text as a number of so many decimals. */
export function numberSql(text: string, digits: number | null, reading: Reading, raw: string): string {
  // With a decimal comma only whole numbers can be cast as they stand.
  const decimals =
    reading.decimal === ',' || digits === 0
      ? ''
      : digits === null
        ? '(\\.[0-9]+)?'
        : `(\\.[0-9]{1,${Math.min(digits, 18)}})?`;
  const read = `loom.read_number(${text}, '${reading.decimal}')`;
  const rest = digits === null ? read : `loom.whole_to(${read}, ${Number(digits)})`;
  // Of 30 characters no number is beyond what is stored.
  return `case when ${raw} ~ '^[+-]?[0-9]+${decimals}$' and octet_length(${raw}) <= 30 then ${raw}::numeric else ${rest} end`;
}

declare module './kind' {
  interface TypeJson {
    readonly digits?: number | null;
    readonly unit?: string;
  }
}

export const number: StoredKind<'number'> = {
  textSql: (value) => `trim_scale(${value})::text`,
  cellSql: (column) => `trim_scale(${column})::text`,
  cell: numberCell,
  workbookFormat({ digits, unit: named }) {
    // A unit that is the name of a currency would make an amount of it.
    const unit = named && !(named in currencies) ? `"\u00A0${named.replaceAll('"', '')}"` : '';
    return digits === null && unit === ''
      ? undefined
      : `#,##0${digits === null ? '.##########' : decimals(digits)}${unit}`;
  },
  readSql: (text, { digits }, reading, raw) => numberSql(text, digits, reading, raw),
  within: (value, { digits }) => (digits === null ? value : wholeTo(value, digits)),
  unfitSql: (column, { digits }) => unrounded(column, digits),
  members: { digits: wholeNumber.max(30).allow(null), unit: Joi.string().max(20).allow('') },
  fromJson: ({ digits, unit }) => ({ digits: digits ?? null, ...(unit ? { unit } : {}) }),
};
