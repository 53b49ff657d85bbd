import Joi from 'joi';
import { longestLongText } from '$core/fieldTypes/longText';
import type { StoredKind } from './kind';

declare module './kind' {
  interface TypeJson {
    readonly markdown?: boolean;
  }
}

export const longText: StoredKind<'longText'> = {
  textSql: (value) => value,
  cellSql: (column) => column,
  workbookWidth: 48,
  readSql: (text) => `case when char_length(${text}) <= ${longestLongText} then ${text} end`,
  members: { markdown: Joi.boolean() },
  fromJson: ({ markdown }) => (markdown ? { markdown: true } : {}),
};
