import Joi from 'joi';
import type { DeletionRule } from '$core/types/field';
import type { StoredKind } from './kind';

const label = Joi.string().trim().max(120);

declare module './kind' {
  interface TypeJson {
    readonly to?: string;
    readonly many?: boolean;
    readonly fed?: boolean;
    readonly onDelete?: DeletionRule;
    readonly shows?: readonly string[];
    readonly candidates?: string;
    readonly counterpart?: { readonly label?: string; readonly key?: string; readonly off?: boolean };
    readonly brings?: readonly string[];
  }
}

export const link: StoredKind<'link'> = {
  unfitSql: () => null,
  textSql: (value) => `${value}::text`,
  cellSql: (_column, _type, title) => title,
  workbookWidth: 24,
  readSql: (text) => `case when ${text} ~ '^[1-9][0-9]{0,15}$' then ${text}::bigint end`,
  members: {
    to: Joi.string().description(
      'key or id of the table a link points at; workspace.table for one of another workspace',
    ),
    many: Joi.boolean(),
    fed: Joi.boolean().description('the link of a feed to one of its sources: only the feed writes it'),
    onDelete: Joi.string()
      .valid('prevent', 'clear', 'remove')
      .description('what becomes of this field when the linked record is deleted'),
    shows: Joi.array()
      .items(Joi.string())
      .max(8)
      .description('fields of the target shown beside its title when one chooses'),
    candidates: Joi.string()
      .allow('')
      .max(10_000)
      .description('a condition over the record, with the candidate standing in the link'),
    counterpart: Joi.object({ label, key: Joi.string(), off: Joi.boolean() }),
    brings: Joi.array()
      .items(Joi.string())
      .max(20)
      .description('fields of the target that are looked up in the same step'),
  },
  // Its target and its other side come from the plan that makes it.
  fromJson: ({ onDelete }) => ({ to: '', onDelete: onDelete ?? 'prevent', counterpart: '' }),
};
