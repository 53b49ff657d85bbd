import { conditionMissing } from '../flow/dependencies';
import { checkCondition } from '../formula/checker';
import type { Expression } from '../types/expression';
import { printFormula } from '../formula/printer';
import { fieldNamed, fieldOf, linkedTable } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import { bad, good, type Problem, type Result } from '../base/problem';
import { valueJson, takeValue, type EnteredType } from '../fieldTypes/registry';
import { formType } from './entry';
import { isLink, makesList } from './form';
import type { Form, FormAudience, FormItem, FormSection } from '../types/form';

/**
 * An item as it is written and sent: its field by key, conditions as formulas, what stands in it as programs send
 * values.
 */
export type FormItemJson =
  | {
      readonly field: string;
      readonly label?: string;
      readonly help?: string;
      readonly placeholder?: string;
      readonly required?: true;
      readonly wide?: true;
      readonly hidden?: true;
      readonly preset?: unknown;
      readonly shownIf?: string;
      readonly offers?: string;
    }
  | { readonly list: string; readonly label?: string; readonly filter?: string };

export interface FormSectionJson {
  readonly label: string;
  readonly about: string;
  readonly columns: 1 | 2;
  readonly shownIf: string;
  readonly items: readonly FormItemJson[];
}

export interface FormJson {
  readonly label: string;
  readonly audience: FormAudience;
  readonly intro: string;
  readonly sections: readonly FormSectionJson[];
  readonly thanks: string;
  readonly next: { readonly label: string; readonly address: string } | null;
  readonly closed: string;
  readonly most: number | null;
}

/** A form in writing, and in words what of it could not be written as it uses fields that are gone. */
export interface WrittenForm {
  readonly form: FormJson;
  readonly lost: readonly string[];
}

/** The table over whose records a limit or a list's filter is written. */
const farTable = (model: Model, field: Field): Table | undefined =>
  field.type.kind === 'counterpart' && field.type.over === undefined
    ? fieldOf(model, field.type.link).table
    : linkedTable(model, field)?.table;

/** Writes a form with today's keys. */
export function formJson(model: Model, table: Table, form: Form): WrittenForm {
  const lost: string[] = [];
  const text = (condition: Expression | undefined, what: string): string => {
    if (condition === undefined) return '';
    if (conditionMissing(model, condition) === undefined) return printFormula(model, condition);
    lost.push(`${what} asked about a field that was deleted`);
    return '';
  };
  const said = <N extends string, V>(name: N, value: V | undefined) =>
    value === undefined || value === '' ? {} : ({ [name]: value } as Record<N, V>);
  const itemJson = (item: FormItem): FormItemJson[] => {
    const field = table.fields.find(({ id }) => id === item.field);
    if (!field) {
      lost.push('a field on it was deleted');
      return [];
    }
    if (item.kind === 'list')
      return [
        {
          list: field.key,
          ...said('label', item.label),
          ...said('filter', text(item.filter, `the filter of ${field.label}`)),
        },
      ];
    const { label, help, placeholder, required, wide, hidden, preset, shownIf, offers } = item;
    return [
      {
        field: field.key,
        ...said('label', label),
        ...said('help', help),
        ...said('placeholder', placeholder),
        ...said('required', required),
        ...said('wide', wide),
        ...said('hidden', hidden),
        ...said('preset', preset === undefined ? undefined : valueJson(field.type, preset.value)),
        ...said('shownIf', text(shownIf, `the condition of ${field.label}`)),
        ...said('offers', text(offers, `the limit of ${field.label}`)),
      },
    ];
  };
  const { label, audience, intro, sections, thanks, next, closed, most } = form;
  return {
    form: {
      label,
      audience,
      intro,
      sections: sections.map((section) => ({
        label: section.label,
        about: section.about,
        columns: section.columns,
        shownIf: text(section.shownIf, `the condition of “${section.label}”`),
        items: section.items.flatMap(itemJson),
      })),
      thanks,
      next,
      closed,
      most,
    },
    lost,
  };
}

/**
 * Reads a form as written; the first thing that cannot be, with its place. What it asks of itself is checked when it is
 * put into the model.
 */
export function readForm(model: Model, table: Table, id: string, json: FormJson): Result<Form> {
  const sections: FormSection[] = [];
  for (const [index, { shownIf: when, items: sent, ...section }] of json.sections.entries()) {
    const at = `/sections/${index}`;
    const shownIf = readCondition(model, table, when, `${at}/shownIf`);
    if (!shownIf.ok) return shownIf;
    const items: FormItem[] = [];
    for (const [place, one] of sent.entries()) {
      const item = readItem(model, table, one, `${at}/items/${place}`);
      if (!item.ok) return item;
      items.push(item.value);
    }
    sections.push({ ...section, ...(shownIf.value ? { shownIf: shownIf.value } : {}), items });
  }
  return good({ ...json, id, sections });
}

function readCondition(model: Model, table: Table, text: string | undefined, at: string): Result<Expression | null> {
  if (text === undefined || text.trim() === '') return good(null);
  const { expression, problems } = checkCondition(model, table.id, text);
  return expression
    ? good(expression)
    : bad(problems[0]?.message ?? 'The condition cannot be read.', problems[0]?.fix, at);
}

const placed = ({ message, fix }: Problem, at: string): { ok: false; problem: Problem } => bad(message, fix, at);

function readItem(model: Model, table: Table, json: FormItemJson, at: string): Result<FormItem> {
  const name = 'list' in json ? json.list : json.field;
  const field = fieldNamed(table, name);
  if (!field)
    return bad(
      `${table.label} has no field “${name}”.`,
      `Its fields are ${table.fields.map(({ key }) => key).join(', ')}.`,
      at,
    );
  const label = json.label?.trim() ? { label: json.label.trim() } : {};
  if ('list' in json) {
    const from = makesList(field) ? farTable(model, field) : undefined;
    if (!from) return bad(`${field.label} is no list of records.`, 'Choose a reverse link.', at);
    const filter = readCondition(model, from, json.filter, `${at}/filter`);
    return filter.ok
      ? good({ kind: 'list', field: field.id, ...label, ...(filter.value ? { filter: filter.value } : {}) })
      : filter;
  }
  const { help, placeholder, required, wide, hidden, preset: sent } = json;
  const shownIf = readCondition(model, table, json.shownIf, `${at}/shownIf`);
  if (!shownIf.ok) return shownIf;
  const target = isLink(field) ? farTable(model, field) : undefined;
  if (json.offers && !target) return bad(`${field.label} is no link.`, 'Leave the limit out.', `${at}/offers`);
  const offers = target ? readCondition(model, target, json.offers, `${at}/offers`) : good(null);
  if (!offers.ok) return offers;
  const preset =
    sent === undefined || sent === null || sent === '' ? good(null) : takeValue(sent, formType(field) as EnteredType);
  if (!preset.ok) return placed(preset.problem, `${at}/preset`);
  return good({
    kind: 'field',
    field: field.id,
    ...label,
    ...(help?.trim() ? { help: help.trim() } : {}),
    ...(placeholder?.trim() ? { placeholder: placeholder.trim() } : {}),
    ...(required ? { required: true } : {}),
    ...(wide ? { wide: true } : {}),
    ...(hidden ? { hidden: true } : {}),
    ...(preset.value === null ? {} : { preset: { as: field.type.kind, value: preset.value } }),
    ...(shownIf.value ? { shownIf: shownIf.value } : {}),
    ...(offers.value ? { offers: offers.value } : {}),
  });
}
