import Joi from 'joi';
import { optionId } from '$core/fieldTypes/option';
import { quoteText } from '$core/base/sql';
import { dyes, type Dye, type Field, type Option, type OptionList } from '$core/types/field';
import type { TypeJson, StoredKind } from './kind';

const whens = (pairs: Iterable<readonly [string, string]>) =>
  [...pairs].map(([from, to]) => `when ${quoteText(from)} then ${quoteText(to)}`).join(' ');

const labelSql = (value: string, { options }: OptionList): string =>
  options.length === 0 ? 'null::text' : `case ${value} ${whens(options.map(({ id, label }) => [id, label]))} end`;

export type OptionJson =
  | string
  | {
      readonly id?: string;
      readonly label: string;
      readonly dye?: Dye;
      readonly retired?: boolean;
      readonly also?: readonly string[];
    };

const label = Joi.string().trim().max(120);

/** What both kinds of lists share. */
export const listMembers = {
  options: Joi.array()
    .max(1000)
    .items(
      label,
      Joi.object({
        id: Joi.string(),
        label: label.required(),
        dye: Joi.string().valid(...dyes),
        retired: Joi.boolean(),
        also: Joi.array()
          .items(label)
          .max(1000)
          .description('further texts that become this option, where values of another type become a list'),
      }),
    ),
  open: Joi.boolean().description('people may add other values'),
  entry: Joi.string().valid('menu', 'buttons'),
};

export const listFromJson = ({ options, open, entry }: TypeJson, field: Partial<Field>): OptionList => ({
  options: optionsFromJson(options ?? [], field),
  ...(open ? { open: true } : {}),
  ...(entry === 'buttons' ? { entry: 'buttons' } : {}),
});

/** Options keep their identity by id, or by a label they had. */
function optionsFromJson(sent: readonly OptionJson[], { type: old }: Partial<Field>): Option[] {
  const before = old?.kind === 'option' || old?.kind === 'options' ? old.options : [];
  const ids = new Set(before.map(({ id }) => id));
  return sent.map((one, index): Option => {
    const { label: text, id, dye, retired } = typeof one === 'string' ? { label: one } : one;
    const same = before.find((option) => (id === undefined ? option.label === text : option.id === id));
    const made = same?.id ?? optionId(text, ids);
    ids.add(made);
    return {
      id: made,
      label: text,
      dye: dye ?? same?.dye ?? (dyes[index % dyes.length] as Dye),
      ...((retired ?? same?.retired) ? { retired: true } : {}),
    };
  });
}

declare module './kind' {
  interface TypeJson {
    readonly options?: readonly OptionJson[];
    readonly open?: boolean;
    readonly entry?: 'menu' | 'buttons';
  }
}

/** The identities of a list’s options, as SQL. */
export const optionIdsSql = ({ options }: OptionList): string =>
  `array[${options.map(({ id }) => quoteText(id)).join(', ')}]::text[]`;

export const option: StoredKind<'option'> = {
  unfitSql: (column, type) => `${column} <> all(${optionIdsSql(type)})`,
  textSql: labelSql,
  cellSql: labelSql,
  readSql(text, { options }) {
    if (options.length === 0) return 'null::text';
    const byLabel = new Map(options.map(({ id, label }) => [label, id]));
    const bySmall = new Map(options.toReversed().map(({ id, label }) => [label.toLowerCase(), id]));
    const byId = options.map(({ id }) => [id, id] as const);
    // By exact label first, then by label in any letter case, then by id, as the core does.
    return `coalesce(case ${text} ${whens(byLabel)} end, case lower(${text}) ${whens(bySmall)} end, case ${text} ${whens(byId)} end)`;
  },
  members: listMembers,
  fromJson: listFromJson,
};
