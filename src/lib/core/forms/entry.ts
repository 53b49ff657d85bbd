import { evaluate } from '../formula/evaluator';
import type { Expression, Scalar } from '../types/expression';
import type { FieldId } from '../types/identity';
import { isToMany } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field, FieldType } from '../types/field';
import { good, type Result } from '../base/problem';
import { valueJson, takeValue, type EnteredType, type Reading } from '../fieldTypes/registry';
import { fieldItems, isLink } from './form';
import type { FieldItem, Form, FormItem } from '../types/form';

/** What is wrong with one field of an entry. */
export interface EntryProblem {
  /** Its key. */
  readonly field: string;
  readonly message: string;
  readonly fix?: string;
}

/**
 * An entry as it goes to the table: values as programs send them, by key. Nothing is written while there are problems.
 */
export interface Entry {
  readonly values: Readonly<Record<string, unknown>>;
  readonly problems: readonly EntryProblem[];
}

/** How what is filled in is read, and the day on which that is done. */
export interface EntryReading extends Reading {
  readonly today: string;
}

/**
 * The field's type as a form takes its values: retired options are not offered, and nobody adds new ones by the way.
 */
export function formType({ type }: Pick<Field, 'type'>): FieldType {
  if (type.kind !== 'option' && type.kind !== 'options') return type;
  const { open: _, ...closed } = type;
  return { ...closed, options: type.options.filter(({ retired }) => !retired) };
}

const isBlank = (value: unknown): boolean =>
  value === null || value === undefined || value === '' || (Array.isArray(value) && value.length === 0);

/**
 * What stands in a field before anybody fills it in, as programs send it; undefined where that is worked out when it is
 * saved, or nothing.
 */
export function startValue(field: Field, item: FieldItem, today: string): unknown {
  if (item.preset !== undefined) return valueJson(field.type, item.preset.value);
  if (field.default?.kind === 'value') return valueJson(field.type, field.default.value);
  return field.default?.kind === 'today' && field.type.kind === 'date' ? today : undefined;
}

/**
 * Goes through a form from the top with what is filled in, and gives each part that is shown with its value; what is
 * not shown counts as blank for the conditions below it. `values` are as programs send them, by key.
 */
export function shownParts(
  model: Model,
  table: Table,
  form: Form,
  values: Readonly<Record<string, unknown>>,
  reading: EntryReading,
): { readonly items: ReadonlySet<FormItem>; readonly sections: ReadonlySet<number> } {
  const items = new Set<FormItem>();
  const sections = new Set<number>();
  const known = new Map<FieldId, Scalar>();
  const context = {
    model,
    today: reading.today,
    zone: reading.zone,
    records: { value: (_: string, __: number, id: FieldId) => known.get(id) ?? null, linked: () => [] },
  };
  const holds = (condition: Expression | undefined): boolean =>
    condition === undefined || evaluate(condition, 0, context) === true;
  for (const [index, section] of form.sections.entries()) {
    if (!holds(section.shownIf)) continue;
    sections.add(index);
    for (const item of section.items) {
      if (item.kind === 'field' && !holds(item.shownIf)) continue;
      items.add(item);
      const field = item.kind === 'field' ? table.fields.find(({ id }) => id === item.field) : undefined;
      if (item.kind !== 'field' || !field || isToMany(field)) continue;
      const taken = takeValue(values[field.key], formType(field) as EnteredType, reading);
      known.set(field.id, taken.ok ? taken.value : null);
    }
  }
  return { items, sections };
}

/**
 * Reads what was sent by a form that stands as it is given. `isNew`: a record is made, so that hidden values are put in
 * and what is required is asked for; of one that stands only what is sent is read.
 */
export function takeEntry(
  model: Model,
  table: Table,
  form: Form,
  sent: Readonly<Record<string, unknown>>,
  reading: EntryReading,
  isNew = true,
): Entry {
  const problems: EntryProblem[] = [];
  const values: Record<string, unknown> = {};
  const byKey = new Map(
    fieldItems(form).flatMap((item) =>
      table.fields.filter(({ id }) => id === item.field).map((field) => [field.key, { item, field }]),
    ),
  );
  for (const name of Object.keys(sent))
    if (byKey.get(name)?.item.hidden || !byKey.has(name))
      problems.push({
        field: name,
        message: `This form has no field “${name.slice(0, 60)}”.`,
        fix: 'Load the form again: it may have changed meanwhile.',
      });
  const start = Object.fromEntries(
    [...byKey].map(([key, { item, field }]) => [key, startValue(field, item, reading.today)]),
  );
  const { items } = shownParts(model, table, form, isNew ? { ...start, ...sent } : sent, reading);
  for (const [key, { item, field }] of byKey) {
    if (!items.has(item)) continue;
    if (item.hidden) {
      if (isNew) values[key] = start[key];
      continue;
    }
    const isSent = Object.hasOwn(sent, key);
    const value = isSent ? sent[key] : isNew ? start[key] : undefined;
    if (isBlank(value)) {
      const may = !isNew && !isSent;
      if ((item.required || field.required) && !may && (isSent || !field.default))
        problems.push({ field: key, message: `“${item.label ?? field.label}” is required.` });
      else if (isSent) values[key] = null;
      continue;
    }
    const taken = isToMany(field) ? takeTargets(value) : takeValue(value, formType(field) as EnteredType, reading);
    if (!taken.ok) problems.push({ field: key, message: taken.problem.message, fix: taken.problem.fix });
    // Links go on by their numbers alone, so that nothing else can be asked of their tables.
    else values[key] = isLink(field) ? taken.value : value;
  }
  return { values, problems };
}

/** The targets of a link to many: each named by its number. */
function takeTargets(value: unknown): Result<readonly Scalar[]> {
  const targets: Scalar[] = [];
  for (const one of Array.isArray(value) ? value : [value]) {
    const taken = takeValue(one, { kind: 'link', to: '', onDelete: 'clear', counterpart: '' });
    if (!taken.ok) return taken;
    targets.push(taken.value);
  }
  return good(targets);
}
