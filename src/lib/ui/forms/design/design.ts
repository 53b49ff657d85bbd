import { barredFrom, makesList, newForm } from '$core/forms/form';
import type { Form, FormAudience } from '$core/types/form';
import { type FormItemJson, type FormJson, type FormSectionJson, readForm } from '$core/forms/formJson';
import { formPage } from '$core/forms/formPage';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { Problem } from '$core/base/problem';

/** Where an item stands on a form. */
export interface ItemPlace {
  readonly section: number;
  readonly index: number;
}

/** The part of a form that is looked at. */
export type Chosen =
  | { readonly kind: 'form' }
  | { readonly kind: 'addresses' }
  | { readonly kind: 'section'; readonly at: number }
  | { readonly kind: 'item'; readonly name: string };

export const itemName = (item: FormItemJson): string => ('list' in item ? item.list : item.field);

const emptySection: FormSectionJson = { label: '', about: '', columns: 1, shownIf: '', items: [] };

/** A form that nothing stands on yet. */
export function emptyDesign(audience: FormAudience): FormJson {
  const { id: _, ...form } = newForm(audience);
  return { ...form, sections: [emptySection] };
}

const withSection = (form: FormJson, at: number, change: (section: FormSectionJson) => FormSectionJson): FormJson => ({
  ...form,
  sections: form.sections.map((section, index) => (index === at ? change(section) : section)),
});
const withItems = (
  form: FormJson,
  at: number,
  change: (items: readonly FormItemJson[]) => readonly FormItemJson[],
): FormJson => withSection(form, at, (section) => ({ ...section, items: change(section.items) }));

export const itemAt = (form: FormJson, { section, index }: ItemPlace): FormItemJson | undefined =>
  form.sections[section]?.items[index];

/** The part that a problem is about, by the place it names. */
export function chosenBy(form: FormJson, problem: Problem | null): Chosen {
  const at = typeof problem?.at === 'string' ? /^\/sections\/(\d+)(?:\/items\/(\d+))?/.exec(problem.at) : null;
  if (!at) return { kind: 'form' };
  const section = Number(at[1]);
  const item = at[2] === undefined ? undefined : itemAt(form, { section, index: Number(at[2]) });
  return item ? { kind: 'item', name: itemName(item) } : { kind: 'section', at: section };
}

/** Where an item stands, by the key of its field. */
export function placeOf(form: FormJson, name: string): ItemPlace | null {
  for (const [section, { items }] of form.sections.entries()) {
    const index = items.findIndex((item) => itemName(item) === name);
    if (index >= 0) return { section, index };
  }
  return null;
}

export const addItem = (form: FormJson, item: FormItemJson, { section, index }: ItemPlace): FormJson =>
  withItems(form, section, (items) => items.toSpliced(index, 0, item));

export const removeItem = (form: FormJson, { section, index }: ItemPlace): FormJson =>
  withItems(form, section, (items) => items.toSpliced(index, 1));

/** The item with other settings; what is undefined goes. */
export const changeItem = (
  form: FormJson,
  { section, index }: ItemPlace,
  set: Readonly<Record<string, unknown>>,
): FormJson =>
  withItems(form, section, (items) =>
    items.map((item, at) =>
      at === index
        ? (Object.fromEntries(
            Object.entries({ ...item, ...set }).filter(([, value]) => value !== undefined && value !== ''),
          ) as FormItemJson)
        : item,
    ),
  );

/** The form with an item in another place: before what stands there now. */
export function moveItem(form: FormJson, from: ItemPlace, to: ItemPlace): FormJson {
  const item = itemAt(form, from);
  if (!item) return form;
  // Taking it out moves what stands behind it in the same section.
  const index = from.section === to.section && from.index < to.index ? to.index - 1 : to.index;
  return addItem(removeItem(form, from), item, { section: to.section, index });
}

/** The place one step up or down, over the ends of sections; null at the ends of the form. */
export function stepFrom(form: FormJson, { section, index }: ItemPlace, by: -1 | 1): ItemPlace | null {
  const items = form.sections[section]?.items.length ?? 0;
  if (index + by >= 0 && index + by < items) return { section, index: by > 0 ? index + 2 : index - 1 };
  const next = form.sections[section + by];
  return next ? { section: section + by, index: by > 0 ? 0 : next.items.length } : null;
}

export const addSection = (form: FormJson, at: number): FormJson => ({
  ...form,
  sections: form.sections.toSpliced(at, 0, emptySection),
});

export const changeSection = (form: FormJson, at: number, set: Partial<FormSectionJson>): FormJson =>
  withSection(form, at, (section) => ({ ...section, ...set }));

/** The form without a section; what stands in it comes off the form. The last section stays, empty. */
export function removeSection(form: FormJson, at: number): FormJson {
  const sections = form.sections.toSpliced(at, 1);
  return { ...form, sections: sections.length > 0 ? sections : [emptySection] };
}

export function moveSection(form: FormJson, from: number, by: -1 | 1): FormJson {
  const section = form.sections[from];
  const to = from + by;
  return !section || to < 0 || to >= form.sections.length
    ? form
    : { ...form, sections: form.sections.toSpliced(from, 1).toSpliced(to, 0, section) };
}

/** A field that is not on the form, and why it cannot be there, if so. */
export interface UnplacedField {
  readonly field: Field;
  readonly barred: string | null;
}

/** What of a table does not stand on a form: fields to fill in, and for inside the lists of linked records. */
export function unplaced(table: Table, form: FormJson): UnplacedField[] {
  const placed = new Set(form.sections.flatMap(({ items }) => items.map(itemName)));
  return table.fields.flatMap((field): UnplacedField[] => {
    if (placed.has(field.key) || field.off) return [];
    if (makesList(field)) return form.audience === 'inside' ? [{ field, barred: null }] : [];
    const barred = barredFrom(field, form.audience);
    // What nobody fills in is of no interest here; what outsiders may not see is said.
    return barred !== null && barredFrom(field, 'inside') !== null ? [] : [{ field, barred }];
  });
}

/** A field as it first stands on a form. Whatever outsiders may choose from is said by those who design it. */
export const newItem = (field: Field): FormItemJson =>
  makesList(field)
    ? { list: field.key }
    : { field: field.key, ...(field.type.kind === 'longText' ? { wide: true as const } : {}) };

/** What conditions at a place can ask about: the fields that are filled in above it, as a model of their own. */
export function askable(model: Model, table: Table, form: FormJson, before: ItemPlace): { model: Model; table: Table } {
  const above: FormJson = {
    ...form,
    audience: 'inside',
    sections: form.sections
      .filter((_, index) => index <= before.section)
      .map((section, index) => ({
        ...section,
        shownIf: '',
        items: section.items
          .filter((item, at) => 'field' in item && !item.hidden && (index < before.section || at < before.index))
          .map((item): FormItemJson => ('field' in item ? { field: item.field } : item)),
      })),
  };
  const read = readForm(model, table, '', above);
  const shown: Form = read.ok ? read.value : { ...newForm('inside'), sections: [] };
  return formPage(model, table, shown);
}
