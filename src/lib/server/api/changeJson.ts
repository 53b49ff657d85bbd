import Joi from 'joi';
import type { Breaking } from '$core/types/change';
import { icons } from '$core/model/icons';
import { type Table } from '$core/types/model';
import { dyes, type Dye } from '$core/types/field';
import { partKinds } from '$core/parts/parts';
import type { PartKind } from '$core/types/part';
import type { Reading } from '$core/values/value';
import { recordId, wholeNumber } from '../http/numbers';
import { fieldNames, fieldSchema, typeMembers, type FieldJson } from '../structure/fieldJson';
import { partSchemas } from './partSchemas';

const label = Joi.string().trim().max(120);
const tableNames = {
  label,
  key: Joi.string(),
  description: Joi.string().allow('').max(2000),
  dye: Joi.string().valid(...dyes),
  icon: Joi.string()
    .valid(...icons)
    .allow(null),
  title: Joi.string().allow(null),
};
const names = { table: Joi.string().required(), field: Joi.string().required() };
const one = (name: string, members: Joi.SchemaMap) =>
  Joi.object({ do: Joi.string().valid(name).required(), ...members });
const breaking = Joi.string().valid('refuse', 'setAside');
const matching = {
  to: Joi.string().required(),
  match: Joi.string().description('the field of the target that the texts say; its title unless said otherwise'),
  confirmed: Joi.object().pattern(Joi.string(), recordId).description('near misses that were confirmed: text → record'),
  missing: Joi.string().valid('setAside', 'create').default('setAside'),
  many: Joi.boolean(),
  counterpart: Joi.object({ label, key: Joi.string(), off: Joi.boolean() }),
};

/** What `changes` of a plan holds. Those below the line stand for several at once. */
export const changesSchema = Joi.array()
  .min(1)
  .max(5000)
  .items(
    one('addTable', { ...tableNames, label: label.required(), fields: Joi.array().items(fieldSchema).default([]) }),
    one('changeTable', { table: names.table, set: Joi.object(tableNames).min(1).required() }),
    one('removeTable', { table: names.table }),
    one('copyTable', { ...tableNames, title: Joi.forbidden(), table: names.table, label: label.required() }),
    one('addField', { table: names.table, field: fieldSchema.required(), at: wholeNumber }),
    one('changeField', {
      ...names,
      set: Joi.object({ ...fieldNames, ...typeMembers })
        .min(1)
        .required(),
      reading: Joi.object({
        decimal: Joi.string().valid('.', ','),
        dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy'),
      }),
      breaking,
      fill: Joi.any(),
    }),
    one('removeField', names),
    one('moveField', { ...names, to: wholeNumber.required() }),
    one('addRule', {
      table: names.table,
      message: Joi.string().trim().max(300).required(),
      condition: Joi.string().max(10_000),
      unique: Joi.array().items(Joi.string()).min(2).max(8),
      fromNow: Joi.boolean(),
      breaking,
      clear: Joi.string().description('the field whose values are set aside where they break the rule'),
    }).xor('condition', 'unique'),
    one('removeRule', { table: names.table, rule: Joi.string().required() }),
    ...partKinds.flatMap((kind) => {
      const part = { kind: Joi.string().valid(kind).required(), table: names.table };
      const id = Joi.string().required();
      return [
        one('addPart', { ...part, part: partSchemas[kind].required(), at: wholeNumber }),
        one('changePart', { ...part, part: id, set: partSchemas[kind].required(), at: wholeNumber }),
        one('removePart', { ...part, part: id }),
      ];
    }),
    one('addOption', {
      ...names,
      label: label.required(),
      dye: Joi.string().valid(...dyes),
      at: wholeNumber,
    }),
    one('changeOption', {
      ...names,
      option: Joi.string().required(),
      set: Joi.object({
        label,
        dye: Joi.string().valid(...dyes),
        retired: Joi.boolean(),
        at: wholeNumber,
      })
        .min(1)
        .required(),
    }),
    one('mergeOptions', {
      ...names,
      from: Joi.array().items(Joi.string()).min(1).required(),
      into: Joi.string().required(),
    }),
    one('removeOption', { ...names, option: Joi.string().required() }),
    one('textToLink', { ...names, ...matching }),
    one('linkToText', names),
    one('linkToOption', names),
    one('linkToMany', names),
    one('linkToOne', names),
    one('optionsToTable', { ...names, label: label.required() }),
  );

export interface Named {
  readonly table: string;
  readonly field: string;
}
type TableSettings = Partial<Pick<Table, 'key' | 'label' | 'description' | 'dye' | 'icon' | 'title'>>;

/** What of a part is sent; see the schema of its kind. */
export type PartJson = Readonly<Record<string, unknown>>;

export type PartChangeJson = { readonly kind: PartKind; readonly table: string } & (
  | { readonly do: 'addPart'; readonly part: PartJson; readonly at?: number }
  | { readonly do: 'changePart'; readonly part: string; readonly set: PartJson; readonly at?: number }
  | { readonly do: 'removePart'; readonly part: string }
);

export type ChangeJson =
  | ({ readonly do: 'addTable'; readonly label: string; readonly fields: readonly FieldJson[] } & TableSettings)
  | { readonly do: 'changeTable'; readonly table: string; readonly set: TableSettings }
  | { readonly do: 'removeTable'; readonly table: string }
  | ({ readonly do: 'copyTable'; readonly table: string; readonly label: string } & Omit<
      TableSettings,
      'label' | 'title'
    >)
  | { readonly do: 'addField'; readonly table: string; readonly field: FieldJson; readonly at?: number }
  | ({
      readonly do: 'changeField';
      readonly set: Partial<FieldJson>;
      readonly reading?: Partial<Reading>;
      readonly breaking?: Breaking;
      readonly fill?: unknown;
    } & Named)
  | ({ readonly do: 'removeField' } & Named)
  | ({ readonly do: 'moveField'; readonly to: number } & Named)
  | {
      readonly do: 'addRule';
      readonly table: string;
      readonly message: string;
      readonly condition?: string;
      readonly unique?: readonly string[];
      readonly fromNow?: boolean;
      readonly breaking?: Breaking;
      readonly clear?: string;
    }
  | { readonly do: 'removeRule'; readonly table: string; readonly rule: string }
  | PartChangeJson
  | ({ readonly do: 'addOption'; readonly label: string; readonly dye?: Dye; readonly at?: number } & Named)
  | ({
      readonly do: 'changeOption';
      readonly option: string;
      readonly set: { label?: string; dye?: Dye; retired?: boolean; at?: number };
    } & Named)
  | ({ readonly do: 'mergeOptions'; readonly from: readonly string[]; readonly into: string } & Named)
  | ({ readonly do: 'removeOption'; readonly option: string } & Named)
  | ({
      readonly do: 'textToLink';
      readonly to: string;
      readonly match?: string;
      readonly confirmed?: Record<string, number>;
      readonly missing?: 'setAside' | 'create';
      readonly many?: boolean;
      readonly counterpart?: { label?: string; key?: string; off?: true };
    } & Named)
  | ({ readonly do: 'linkToText' | 'linkToOption' | 'linkToMany' | 'linkToOne' } & Named)
  | ({ readonly do: 'optionsToTable'; readonly label: string } & Named);
