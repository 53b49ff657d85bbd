import { partsOf as partsIn, type Expression } from '../types/expression';
import { conditionMissing, dependenciesOf } from '../flow/dependencies';
import { joinedIds, optionIds } from '../fieldTypes/options';
import type { FieldId } from '../types/identity';
import { findField, isEntered, isShown, isToMany } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import { partsOf } from '../types/part';
import type { FieldItem, Form, FormAudience, FormItem, Preset } from '../types/form';

export const newForm = (audience: FormAudience): Form => ({
  id: '',
  label: '',
  audience,
  intro: '',
  sections: [{ label: '', about: '', columns: 1, items: [] }],
  thanks: '',
  next: null,
  closed: '',
  most: null,
});

export const formsOf = (table: Table): readonly Form[] => partsOf(table, 'form');

export const fieldItems = (form: Form): FieldItem[] =>
  form.sections.flatMap(({ items }) => items.filter((item) => item.kind === 'field'));

/** Why a field cannot stand on a form for these people; null when it can. */
export function barredFrom(field: Field, audience: FormAudience): string | null {
  if (!isShown(field)) return 'is switched off';
  if (!isEntered(field)) return 'is not filled in by people';
  if (audience === 'inside') return null;
  if (field.internal) return 'is internal';
  // A list of the organisation's people would be open to everybody.
  return field.type.kind === 'member' ? 'names people of the Directory' : null;
}

export const isLink = (field: Field): boolean => field.type.kind === 'link' || isToMany(field);

/** Whether a field is the other side of a link, whose records can stand on a form as a list. */
export const makesList = (field: Field): boolean =>
  field.type.kind === 'counterpart' && !isToMany(field) && isShown(field);

/**
 * Whether a condition reads nothing but fields of the form's own record, so that it can be told before the record is
 * there.
 */
export const readsOwnOnly = (model: Model, condition: Expression): boolean =>
  dependenciesOf(model, condition).on.every(({ path }) => path.length === 0);

function presetStands({ type }: Field, { as, value }: Preset): boolean {
  if (type.kind !== as) return false;
  const known =
    type.kind === 'option' || type.kind === 'options'
      ? type.options.filter(({ retired }) => !retired).map(({ id }) => id)
      : null;
  return known === null || optionIds(value).every((id) => known.includes(id));
}

/**
 * The form with what can stand on it today: without fields that are gone, switched off or, on one for outsiders,
 * internal meanwhile; a link whose limit can no longer be told offers nothing to outsiders, so it goes, too. A
 * condition that can no longer be told shows its part.
 */
export function standingForm(model: Model, table: Table, form: Form): Form {
  const holds = (condition: Expression | undefined): boolean =>
    condition !== undefined && conditionMissing(model, condition) === undefined;
  const standing = (item: FormItem): FormItem[] => {
    const field = table.fields.find(({ id }) => id === item.field);
    if (!field) return [];
    if (item.kind === 'list') {
      const { filter, ...rest } = item;
      return form.audience === 'inside' && makesList(field) ? [holds(filter) ? item : rest] : [];
    }
    if (barredFrom(field, form.audience) !== null) return [];
    const { shownIf, offers, preset, ...rest } = item;
    const starts = preset !== undefined && presetStands(field, preset);
    if (item.hidden && !starts) return [];
    if (form.audience === 'outside' && isLink(field) && !item.hidden && !holds(offers)) return [];
    return [
      {
        ...rest,
        ...(starts ? { preset } : {}),
        ...(holds(shownIf) ? { shownIf } : {}),
        ...(holds(offers) ? { offers } : {}),
      },
    ];
  };
  return {
    ...form,
    sections: form.sections.map(({ shownIf, ...section }) => ({
      ...section,
      ...(holds(shownIf) ? { shownIf } : {}),
      items: section.items.flatMap(standing),
    })),
  };
}

/**
 * Fields that every record must have filled and that an entry of the form would leave blank: it could never be saved.
 */
export const missingOn = (table: Table, form: Form): Field[] => {
  const filled = new Set(fieldItems(form).map(({ field }) => field));
  return table.fields.filter((field) => field.required && isEntered(field) && !field.default && !filled.has(field.id));
};

/** Whether something written reads nothing but fields of the record that it is about. */
export const readsItself = (condition: Expression): boolean =>
  [...partsIn(condition)].every(
    (part) => part.do !== 'aggregate' && (part.do !== 'field' || part.through.length === 0),
  );

/** The preset of an option field by the options that its own became. */
const presetAs = (preset: Preset, options: Readonly<Record<string, string>>): Preset =>
  preset.as === 'option' || preset.as === 'options'
    ? { ...preset, value: joinedIds(optionIds(preset.value).map((id) => options[id] ?? id)) }
    : preset;

/**
 * A form with another field in the place of one that became another: under the same words, without what was said of the
 * old one's values. On a form for outsiders it goes, as nobody has said yet which records they may choose from. One that
 * is the `same` in another place keeps all of it.
 */
export const withField = (form: Form, old: FieldId, now: FieldId, same?: Readonly<Record<string, string>>): Form => ({
  ...form,
  sections: form.sections.map((section) => ({
    ...section,
    items: section.items.flatMap((item): FormItem[] => {
      if (item.field !== old) return [item];
      if (same)
        return [
          {
            ...item,
            field: now,
            ...(item.kind === 'field' && item.preset ? { preset: presetAs(item.preset, same) } : {}),
          },
        ];
      if (item.kind === 'list') return [item];
      const { preset: _, hidden: __, offers: ___, ...rest } = item;
      return form.audience === 'outside' ? [] : [{ ...rest, field: now }];
    }),
  })),
});

/** A form with each of its conditions as it is by now; null takes it away. */
export function withConditions(
  form: Form,
  now: (condition: Expression, name: 'shownIf' | 'offers' | 'filter') => Expression | null,
): Form {
  const left = <N extends 'shownIf' | 'offers' | 'filter'>(name: N, condition: Expression | undefined) => {
    const made = condition && now(condition, name);
    return made ? ({ [name]: made } as Record<N, Expression>) : {};
  };
  return {
    ...form,
    sections: form.sections.map(({ shownIf, ...section }) => ({
      ...section,
      ...left('shownIf', shownIf),
      items: section.items.map((item): FormItem => {
        if (item.kind === 'list') {
          const { filter, ...list } = item;
          return { ...list, ...left('filter', filter) };
        }
        const { shownIf: when, offers, ...rest } = item;
        return { ...rest, ...left('shownIf', when), ...left('offers', offers) };
      }),
    })),
  };
}

/** The conditions written in a form: those over its own record, and those over records of other tables. */
export const conditionsOf = (form: Form): Expression[] =>
  form.sections.flatMap(({ shownIf, items }) =>
    [shownIf, ...items.flatMap((item) => (item.kind === 'list' ? [item.filter] : [item.shownIf, item.offers]))].filter(
      (one) => one !== undefined,
    ),
  );

/** A field of the model for messages; one that is gone is named as such. */
export const fieldLabel = (model: Model, id: FieldId): string => findField(model, id)?.field.label ?? 'a field';
