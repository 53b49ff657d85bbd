import type { Expression, Scalar } from '../formula/expression';
import { conditionMissing, dependenciesOf } from '../flow/dependencies';
import { optionIds } from '../values/options';
import type { FieldId, FormId } from '../model/identity';
import { findField, isEntered, isShown, isToMany, type Field, type FieldKind, type Model, type Table } from '../model/model';

/** A value with the kind of field it was given for: of a field that became another kind it means nothing. */
export interface Preset {
  readonly as: FieldKind;
  readonly value: Scalar;
}

/** A field that people fill in on a form. What is left out is as the field itself has it. */
export interface FieldItem {
  readonly kind: 'field';
  readonly field: FieldId;
  readonly label?: string;
  readonly help?: string;
  readonly placeholder?: string;
  /** Must be filled here, though records may be without. */
  readonly required?: true;
  /** As wide as the section, where that has two columns. */
  readonly wide?: true;
  /** Not shown: every entry has the preset. */
  readonly hidden?: true;
  /** What stands in the field at first. */
  readonly preset?: Preset;
  /** A condition over what is filled in further up. */
  readonly shownIf?: Expression;
  /** For a link: a condition over the records of its target; only those that meet it can be chosen. */
  readonly offers?: Expression;
}

/** The records that point at the form's record, edited in place. */
export interface ListItem {
  readonly kind: 'list';
  /** The counterpart. */
  readonly field: FieldId;
  readonly label?: string;
  /** A condition over the records of the list. */
  readonly filter?: Expression;
}

export type FormItem = FieldItem | ListItem;

export interface FormSection {
  readonly label: string;
  readonly about: string;
  readonly columns: 1 | 2;
  readonly shownIf?: Expression;
  readonly items: readonly FormItem[];
}

/** Who fills a form in: members of the workspace, or anybody who has an address of it. */
export const formAudiences = ['inside', 'outside'] as const;
export type FormAudience = (typeof formAudiences)[number];

/** What people fill in to make a record of a table, or to change one, without seeing the table. */
export interface Form {
  readonly id: FormId;
  readonly label: string;
  readonly audience: FormAudience;
  /** Read before one begins. */
  readonly intro: string;
  readonly sections: readonly FormSection[];
  /** Read when it was sent. */
  readonly thanks: string;
  /** Where one can go from there. */
  readonly next: { readonly label: string; readonly address: string } | null;
  /** Read instead of the form once an address of it has ended. */
  readonly closed: string;
  /** Entries that it takes in all, over all its addresses; null takes any number. */
  readonly most: number | null;
}

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

export const formsOf = (table: Table): readonly Form[] => table.forms ?? [];

export const fieldItems = (form: Form): FieldItem[] => form.sections.flatMap(({ items }) => items.filter((item) => item.kind === 'field'));

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
export const makesList = (field: Field): boolean => field.type.kind === 'counterpart' && !isToMany(field) && isShown(field);

/** Whether a condition reads nothing but fields of the form's own record, so that it can be told before the record is there. */
export const readsOwnOnly = (model: Model, condition: Expression): boolean => dependenciesOf(model, condition).on.every(({ path }) => path.length === 0);

function presetStands({ type }: Field, { as, value }: Preset): boolean {
  if (type.kind !== as) return false;
  const known = type.kind === 'option' || type.kind === 'options' ? type.options.filter(({ retired }) => !retired).map(({ id }) => id) : null;
  return known === null || optionIds(value).every((id) => known.includes(id));
}

/**
 * The form with what can stand on it today: without fields that are gone, switched off or, on one for outsiders, internal
 * meanwhile; a link whose limit can no longer be told offers nothing to outsiders, so it goes, too. A condition that can
 * no longer be told shows its part.
 */
export function standingForm(model: Model, table: Table, form: Form): Form {
  const holds = (condition: Expression | undefined): boolean => condition !== undefined && conditionMissing(model, condition) === undefined;
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
    return [{ ...rest, ...(starts ? { preset } : {}), ...(holds(shownIf) ? { shownIf } : {}), ...(holds(offers) ? { offers } : {}) }];
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

/** Fields that every record must have filled and that an entry of the form would leave blank: it could never be saved. */
export const missingOn = (table: Table, form: Form): Field[] => {
  const filled = new Set(fieldItems(form).map(({ field }) => field));
  return table.fields.filter((field) => field.required && isEntered(field) && !field.default && !filled.has(field.id));
};

/**
 * A form with another field in the place of one that became another: under the same words, without what was said of the
 * old one's values. On a form for outsiders it goes, as nobody has said yet which records they may choose from.
 */
export const withField = (form: Form, old: FieldId, now: FieldId): Form => ({
  ...form,
  sections: form.sections.map((section) => ({
    ...section,
    items: section.items.flatMap((item): FormItem[] => {
      if (item.field !== old || item.kind === 'list') return [item];
      const { preset: _, hidden: __, offers: ___, ...rest } = item;
      return form.audience === 'outside' ? [] : [{ ...rest, field: now }];
    }),
  })),
});

/** A form with those of its conditions that are kept. */
export function withConditions(form: Form, kept: (condition: Expression) => boolean): Form {
  const left = <N extends string>(name: N, condition: Expression | undefined) =>
    condition && kept(condition) ? ({ [name]: condition } as Record<N, Expression>) : {};
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
    [shownIf, ...items.flatMap((item) => (item.kind === 'list' ? [item.filter] : [item.shownIf, item.offers]))].filter((one) => one !== undefined),
  );

/** A field of the model for messages; one that is gone is named as such. */
export const fieldLabel = (model: Model, id: FieldId): string => findField(model, id)?.field.label ?? 'a field';
