import Joi from 'joi';
import type { StoredKind } from './kind';

declare module './kind' {
  interface TypeJson {
    readonly maxLength?: number | null;
  }
}

export const text: StoredKind<'text'> = {
  textSql: (value) => value,
  cellSql: (column) => column,
  workbookWidth: 24,
  readSql: (text, { maxLength }) =>
    maxLength === undefined ? text : `case when char_length(${text}) <= ${Number(maxLength)} then ${text} end`,
  members: { maxLength: Joi.number().integer().min(1).max(100_000).allow(null) },
  fromJson: ({ maxLength }) => (maxLength == null ? {} : { maxLength }),
};
