import Joi from 'joi';
import { newId } from '$core/types/identity';
import { changesToAddLink, changesToRemoveField } from '$core/changes/linkPlans';
import { findField, isToMany, overOf, tableOf, typeAs } from '$core/model/model';
import { freeLabel } from '$core/model/names/naming';
import { newFieldPlace } from '$core/model/systemFields';
import type { Breaking, Change, ChangeField } from '$core/types/change';
import type { FieldType } from '$core/types/field';
import type { Table } from '$core/types/model';
import { plainReading, takeValue, type EnteredType, type Reading } from '$core/fieldTypes/registry';
import { refuse } from '../../base/refusal';
import type { OptionJson } from '../../fieldTypes/option';
import { wholeNumber } from '../../base/numbers';
import {
  fieldJson,
  fieldNames,
  fieldSchema,
  linkSettings,
  newField,
  partsOfJson,
  settingsFromJson,
  typeFromJson,
  typeMembers,
  type FieldJson,
} from '../../structure/fieldJson';
import { fieldIn, known, tableIn, targetIn, type OfField, type OfTable, type Sending, type SentChange } from './sent';

export const fieldMembers = { table: Joi.string().required(), field: Joi.string().required() };
export const breaking = Joi.string().valid('refuse', 'setAside');

type ChangeFieldJson = OfField & {
  readonly set: Partial<FieldJson>;
  readonly reading?: Partial<Reading>;
  readonly breaking?: Breaking;
  readonly fill?: unknown;
};

/** The changes that make a field: a link brings its other side, its limit and what is looked up over it. */
export function* addField(
  table: Table,
  json: FieldJson,
  place: number | undefined,
  sending: Sending,
): Generator<Change> {
  const { model, at } = sending;
  const where = place ?? newFieldPlace(table.fields);
  if (json.type !== 'link') {
    yield { do: 'addField', table: table.id, at: where, field: newField(model(), table, json) };
    return;
  }
  const target = targetIn(json.to, sending, `${at}/field`);
  const { type: _, id: __, ...field } = newField(model(), table, json);
  const { counterpart } = json;
  const made = changesToAddLink(model(), {
    table: table.id,
    at: where,
    to: target.id,
    field,
    onDelete: json.onDelete ?? 'prevent',
    many: json.many ?? false,
    ...(json.fed ? { fed: true } : {}),
    counterpart: counterpart && {
      label: counterpart.label,
      key: counterpart.key,
      ...(counterpart.off ? { off: true } : {}),
    },
  });
  yield* made.changes;
  // A limit reads the link itself, so it is written once the link stands.
  const settings = json.many ? {} : linkSettings(model(), tableOf(model(), table.id), target, json);
  const link = findField(model(), made.field)?.field;
  if (link && Object.keys(settings).length > 0)
    yield {
      do: 'changeField',
      table: table.id,
      field: made.field,
      set: { type: { ...typeAs(link, 'link'), ...settings } },
    };
  for (const name of json.brings ?? []) {
    const brought = known(target, name, at);
    const formula = `${json.many ? `string_agg(${field.key}.${brought.key}, ', ')` : `${field.key}.${brought.key}`}`;
    const owner = tableOf(model(), table.id);
    yield {
      do: 'addField',
      table: table.id,
      at: newFieldPlace(owner.fields),
      field: newField(model(), owner, {
        label: freeLabel(
          brought.label,
          owner.fields.map((one) => one.label),
        ),
        type: 'formula',
        formula,
      }),
    };
  }
}

function* changeField(json: ChangeFieldJson, sending: Sending): Generator<Change> {
  const { model, at } = sending;
  const { table, field: old } = fieldIn(json, sending);
  const { settings, type: members } = partsOfJson(json.set);
  let type: FieldType | undefined;
  if (Object.keys(members).length > 0) {
    if (old.type.kind === 'link') {
      const { shows: _, candidates: __, ...standing } = old.type;
      const now = { ...(fieldJson(model(), old) as unknown as FieldJson), ...members };
      type = {
        ...standing,
        onDelete: members.onDelete ?? standing.onDelete,
        ...linkSettings(model(), table, tableOf(model(), standing.to), now),
      };
    } else if (isToMany(old)) {
      // The rule of deletion stands on the pairs' link to the far side.
      const far = findField(model(), overOf(old) ?? '');
      if (far && members.onDelete)
        yield {
          do: 'changeField',
          table: far.table.id,
          field: far.field.id,
          set: {
            type: { ...typeAs(far.field, 'link'), onDelete: members.onDelete === 'prevent' ? 'prevent' : 'remove' },
          },
        };
    } else {
      const whole = { ...fieldJson(model(), old), ...members, label: json.set.label ?? old.label } as FieldJson;
      type = typeFromJson(model(), table, whole, old);
    }
  }
  const entered = settingsFromJson(model(), table, settings, type ?? old.type);
  // What is calculated is held to no rules of its own.
  const set =
    type?.kind === 'formula' && old.type.kind !== 'formula'
      ? { ...entered, required: false, unique: false, default: null }
      : entered;
  if (type === undefined && Object.keys(set).length === 0) return;
  const taken = json.fill === undefined ? undefined : takeValue(json.fill, (type ?? old.type) as EnteredType);
  if (taken && !taken.ok) throw refuse(422, taken.problem.message, taken.problem.fix, `${at}/fill`);
  yield {
    do: 'changeField',
    table: table.id,
    field: old.id,
    set: { ...set, ...(type ? { type } : {}) } as ChangeField['set'],
    ...(type && type.kind !== 'link' && !(type.kind === 'formula' && old.type.kind === 'formula')
      ? { keep: newId('k') }
      : {}),
    ...(json.reading ? { reading: { ...plainReading, ...json.reading } } : {}),
    ...(json.breaking === 'setAside' ? { breaking: json.breaking } : {}),
    ...(taken ? { fill: taken.value } : {}),
    ...(type && old.type.kind !== 'option' && old.type.kind !== 'options'
      ? spellings(type, json.set.options ?? [])
      : {}),
  };
}

/** The texts that each option also takes, as a change has them. */
function spellings(type: FieldType, sent: readonly OptionJson[]): Pick<ChangeField, 'merge'> {
  if (type.kind !== 'option' && type.kind !== 'options') return {};
  const merge = sent.flatMap((one, index) =>
    typeof one === 'string' ? [] : (one.also ?? []).map((text) => [text, type.options[index]?.id ?? ''] as const),
  );
  return merge.length > 0 ? { merge: Object.fromEntries(merge) } : {};
}

/** Changes of single fields. */
export const fieldChanges = {
  addField: {
    members: { table: fieldMembers.table, field: fieldSchema.required(), at: wholeNumber },
    expand: (json, sending) => addField(tableIn(json, sending), json.field, json.at, sending),
  } satisfies SentChange<OfTable & { readonly field: FieldJson; readonly at?: number }>,

  changeField: {
    members: {
      ...fieldMembers,
      set: Joi.object({ ...fieldNames, ...typeMembers })
        .min(1)
        .required(),
      reading: Joi.object({
        decimal: Joi.string().valid('.', ','),
        dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy'),
      }),
      breaking,
      fill: Joi.any(),
    },
    expand: changeField,
  } satisfies SentChange<ChangeFieldJson>,

  removeField: {
    members: fieldMembers,
    expand(json, sending) {
      const { table, field } = fieldIn(json, sending);
      return changesToRemoveField(sending.model(), field, table.id);
    },
  } satisfies SentChange<OfField>,

  moveField: {
    members: { ...fieldMembers, to: wholeNumber.required() },
    *expand(json, sending) {
      const { table, field } = fieldIn(json, sending);
      yield { do: 'moveField', table: table.id, field: field.id, to: json.to };
    },
  } satisfies SentChange<OfField & { readonly to: number }>,
};
