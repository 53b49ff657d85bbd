import Joi from 'joi';
import { newId } from '$core/types/identity';
import type { Change } from '$core/types/change';
import { dyes, type Dye, type Option, type TypeOf } from '$core/types/field';
import { refuse } from '../../base/refusal';
import { wholeNumber } from '../../base/numbers';
import { optionId } from '$core/fieldTypes/option';
import { fieldMembers } from './fields';
import { fieldIn, type OfField, type Sending, type SentChange } from './sent';

const label = Joi.string().trim().max(120);
const dye = Joi.string().valid(...dyes);

/** The options of the field that a change names, each found by its label or its identity. */
function optionsIn(json: OfField, sending: Sending) {
  const { table, field } = fieldIn(json, sending);
  const { type } = field;
  if (type.kind !== 'option' && type.kind !== 'options')
    throw refuse(422, `“${field.label}” has no options.`, undefined, `${sending.at}/field`);
  const find = (name: string): Option => {
    const found = type.options.find(({ id, label: text }) => id === name || text === name);
    if (!found)
      throw refuse(
        422,
        `“${field.label}” has no option “${name}”.`,
        `Its options are ${type.options.map(({ label: text }) => text).join(', ')}.`,
        sending.at,
      );
    return found;
  };
  const changed = (options: readonly Option[], merge?: Readonly<Record<string, string>>): Change[] => [
    {
      do: 'changeField',
      table: table.id,
      field: field.id,
      set: { type: { ...type, options } as TypeOf<'option'> },
      keep: newId('k'),
      ...(merge ? { merge } : {}),
    },
  ];
  return { options: type.options, find, changed };
}

/** Changes of the list of an option field. */
export const optionChanges = {
  addOption: {
    members: { ...fieldMembers, label: label.required(), dye, at: wholeNumber },
    expand(json, sending) {
      const { options, changed } = optionsIn(json, sending);
      const added: Option = {
        id: optionId(json.label, new Set(options.map((option) => option.id))),
        label: json.label,
        dye: json.dye ?? (dyes[options.length % dyes.length] as Dye),
      };
      return changed(options.toSpliced(json.at ?? options.length, 0, added));
    },
  } satisfies SentChange<OfField & { readonly label: string; readonly dye?: Dye; readonly at?: number }>,

  changeOption: {
    members: {
      ...fieldMembers,
      option: Joi.string().required(),
      set: Joi.object({ label, dye, retired: Joi.boolean(), at: wholeNumber }).min(1).required(),
    },
    expand(json, sending) {
      const { options, find, changed } = optionsIn(json, sending);
      const { at: place, retired, ...set } = json.set;
      const { retired: was, ...before } = find(json.option);
      const now: Option = { ...before, ...set, ...((retired ?? was) ? { retired: true } : {}) };
      const from = options.findIndex(({ id }) => id === before.id);
      return changed(options.toSpliced(from, 1).toSpliced(place ?? from, 0, now));
    },
  } satisfies SentChange<
    OfField & {
      readonly option: string;
      readonly set: { label?: string; dye?: Dye; retired?: boolean; at?: number };
    }
  >,

  mergeOptions: {
    members: {
      ...fieldMembers,
      from: Joi.array().items(Joi.string()).min(1).required(),
      into: Joi.string().required(),
    },
    expand(json, sending) {
      const { options, find, changed } = optionsIn(json, sending);
      const into = find(json.into);
      const from = json.from.map((name) => find(name).id).filter((id) => id !== into.id);
      return changed(
        options.filter(({ id }) => !from.includes(id)),
        Object.fromEntries(from.map((id) => [id, into.id])),
      );
    },
  } satisfies SentChange<OfField & { readonly from: readonly string[]; readonly into: string }>,

  removeOption: {
    members: { ...fieldMembers, option: Joi.string().required() },
    expand(json, sending) {
      const { options, find, changed } = optionsIn(json, sending);
      const gone = find(json.option);
      return changed(options.filter(({ id }) => id !== gone.id));
    },
  } satisfies SentChange<OfField & { readonly option: string }>,
};
