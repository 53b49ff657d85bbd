import Joi from 'joi';
import { quoteText } from '$core/base/sql';
import { decimals, numberCell, unrounded, wholeTo } from './numbers';
import type { StoredKind } from './kind';

declare module './kind' {
  interface TypeJson {
    readonly currency?: string | null;
  }
}

export const money: StoredKind<'money'> = {
  textSql: (value, { currency }) =>
    currency === null
      ? `trim_scale((${value}).amount)::text || ' ' || (${value}).currency`
      : `trim_scale(${value})::text || ${quoteText(` ${currency}`)}`,
  cellSql: (column, { currency }) => (currency === null ? null : `trim_scale(${column})::text`),
  cell: numberCell,
  workbookFormat: ({ currency, digits }) =>
    currency === null ? undefined : `#,##0${decimals(digits)}\\ [$${currency}]`,
  exportedColumns: (name, { currency }, { filled }) => [
    `${name()} numeric${filled}`,
    ...(currency === null ? [`${name('_currency')} char(3)`] : []),
  ],
  readSql(text, { currency, digits }, { decimal }) {
    const wanted = currency === null ? 'null' : quoteText(currency);
    const read = `loom.read_money(${text}, '${decimal}', ${Number(digits)}, ${wanted})`;
    return currency === null ? read : `(${read}).amount`;
  },
  within: (value, { digits }) => wholeTo(value, digits),
  unfitSql: (column, { currency, digits }) => unrounded(currency === null ? `(${column}).amount` : column, digits),
  members: {
    currency: Joi.string().length(3).uppercase().allow(null).description('ISO 4217; null lets each record choose'),
  },
  fromJson: ({ currency = 'EUR', digits }) => ({ currency, digits: digits ?? 2 }),
};
