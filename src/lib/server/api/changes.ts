import Joi from 'joi';
import { checkFormula } from '$core/formula/checker';
import { printFormula } from '$core/formula/printer';
import { applyChange, changesToRemoveTable, type AddField, type Change } from '$core/model/change';
import { newId } from '$core/model/identity';
import {
  dyes,
  fieldNamed,
  fieldOf,
  tableNamed,
  tableOf,
  type DeletionRule,
  type Dye,
  type Field,
  type FieldType,
  type Model,
  type Option,
  type Table,
} from '$core/model/model';
import { newFieldKey, newTableKey } from '$core/model/naming';
import { optionId } from '../tables/conversion';
import { refuse } from '../refusal';

/** A field as programs write and read it: its type flat beside its names, its formula as text. */
interface FieldJson {
  readonly label: string;
  readonly key?: string;
  readonly help?: string;
  readonly required?: boolean;
  readonly unique?: boolean;
  readonly type: 'text' | 'number' | 'yesNo' | 'date' | 'option' | 'link' | 'formula';
  readonly maxLength?: number;
  readonly digits?: number | null;
  readonly unit?: string;
  readonly options?: readonly (string | { readonly id?: string; readonly label: string; readonly dye?: Dye })[];
  readonly to?: string;
  readonly onDelete?: DeletionRule;
  readonly counterpart?: { readonly label?: string; readonly key?: string };
  readonly formula?: string;
}

const label = Joi.string().trim().max(120);
const typeMembers = {
  type: Joi.string().valid('text', 'number', 'yesNo', 'date', 'option', 'link', 'formula'),
  maxLength: Joi.number().integer().min(1).max(100_000),
  digits: Joi.number().integer().min(0).max(30).allow(null),
  unit: Joi.string().max(20),
  options: Joi.array()
    .max(1000)
    .items(label, Joi.object({ id: Joi.string(), label: label.required(), dye: Joi.string().valid(...dyes) })),
  to: Joi.string().description('key or id of the table a link points at'),
  onDelete: Joi.string().valid('prevent', 'clear', 'remove').description('what becomes of this field when the linked record is deleted'),
  counterpart: Joi.object({ label, key: Joi.string() }),
  formula: Joi.string().allow('').max(30_000),
};
const fieldNames = { label, key: Joi.string(), help: Joi.string().allow('').max(2000), required: Joi.boolean(), unique: Joi.boolean() };
const field = Joi.object({ ...fieldNames, label: label.required(), ...typeMembers, type: typeMembers.type.required() });
const tableNames = {
  label,
  key: Joi.string(),
  description: Joi.string().allow('').max(2000),
  dye: Joi.string().valid(...dyes),
  title: Joi.string().allow(null),
};

/** What `changes` of a plan holds. */
export const changesSchema = Joi.array()
  .min(1)
  .max(2000)
  .items(
    Joi.object({ do: Joi.string().valid('addTable').required(), ...tableNames, label: label.required(), fields: Joi.array().items(field).default([]) }),
    Joi.object({ do: Joi.string().valid('changeTable').required(), table: Joi.string().required(), set: Joi.object(tableNames).min(1).required() }),
    Joi.object({ do: Joi.string().valid('removeTable').required(), table: Joi.string().required() }),
    Joi.object({ do: Joi.string().valid('addField').required(), table: Joi.string().required(), field: field.required(), at: Joi.number().integer().min(0) }),
    Joi.object({
      do: Joi.string().valid('changeField').required(),
      table: Joi.string().required(),
      field: Joi.string().required(),
      set: Joi.object({ ...fieldNames, ...typeMembers })
        .min(1)
        .required(),
    }),
    Joi.object({ do: Joi.string().valid('removeField').required(), table: Joi.string().required(), field: Joi.string().required() }),
    Joi.object({
      do: Joi.string().valid('moveField').required(),
      table: Joi.string().required(),
      field: Joi.string().required(),
      to: Joi.number().integer().min(0).required(),
    }),
  );

export type ChangeJson =
  | ({ readonly do: 'addTable'; readonly label: string; readonly fields: readonly FieldJson[] } & Partial<Pick<Table, 'key' | 'description' | 'dye' | 'title'>>)
  | { readonly do: 'changeTable'; readonly table: string; readonly set: Partial<Pick<Table, 'key' | 'label' | 'description' | 'dye' | 'title'>> }
  | { readonly do: 'removeTable'; readonly table: string }
  | { readonly do: 'addField'; readonly table: string; readonly field: FieldJson; readonly at?: number }
  | { readonly do: 'changeField'; readonly table: string; readonly field: string; readonly set: Partial<FieldJson> }
  | { readonly do: 'removeField'; readonly table: string; readonly field: string }
  | { readonly do: 'moveField'; readonly table: string; readonly field: string; readonly to: number };

/** Changes as they were sent, with names looked up and identities given; each sees what those before it made. */
export function changesFromJson(model: Model, sent: readonly ChangeJson[]): Change[] {
  const changes: Change[] = [];
  let current = model;
  sent.forEach((json, index) => {
    for (const change of expand(current, json, `/changes/${index}`)) current = step(change);
  });
  return changes;

  function step(change: Change): Model {
    changes.push(change);
    const applied = applyChange(current, change);
    // What cannot be applied is said by the plan's effects; names after it are looked up without it.
    return (current = applied.ok ? applied.value : current);
  }

  /** One sent change may stand for several: a table with its links, or one removed with what hangs on it. */
  function* expand(_: Model, json: ChangeJson, at: string): Generator<Change> {
    if (json.do === 'addTable') {
      const plain = json.fields.filter(({ type }) => type !== 'link' && type !== 'formula');
      const fields: Field[] = [];
      for (const one of plain) fields.push(newField(current, { ...emptyTable, fields }, one));
      const title =
        json.title == null
          ? ((fields.find(({ type }) => type.kind === 'text') ?? fields[0])?.id ?? null)
          : (fields.find(({ key }) => key === json.title)?.id ?? null);
      const table: Table = {
        id: newId('t'),
        key: json.key ?? newTableKey(current, json.label),
        label: json.label,
        description: json.description ?? '',
        dye: json.dye ?? (dyes[current.tables.length % dyes.length] as Dye),
        title,
        fields,
      };
      yield { do: 'addTable', table, at: current.tables.length };
      for (const one of json.fields) if (one.type === 'link' || one.type === 'formula') yield addField(current, tableOf(current, table.id), one, undefined, at);
      return;
    }
    const table = tableNamed(current, json.table);
    if (!table)
      throw refuse(
        422,
        `There is no table “${json.table}”.`,
        `Tables are ${current.tables.map(({ key }) => key).join(', ') || 'yet to be made'}.`,
        `${at}/table`,
      );
    switch (json.do) {
      case 'changeTable': {
        const { title, ...set } = json.set;
        yield { do: 'changeTable', table: table.id, set: title === undefined ? set : { ...set, title: title === null ? null : known(table, title, at).id } };
        return;
      }
      case 'removeTable':
        yield* changesToRemoveTable(current, table.id);
        return;
      case 'addField':
        yield addField(current, table, json.field, json.at, at);
        return;
      case 'changeField':
        yield changeField(current, table, known(table, json.field, at), json.set);
        return;
      case 'removeField':
        yield { do: 'removeField', table: table.id, field: known(table, json.field, at).id };
        return;
      case 'moveField':
        yield { do: 'moveField', table: table.id, field: known(table, json.field, at).id, to: json.to };
    }
  }
}

const emptyTable: Table = { id: '', key: '', label: '', description: '', dye: 'woad', title: null, fields: [] };

function known(table: Table, name: string, at: string): Field {
  const found = fieldNamed(table, name);
  if (!found) throw refuse(422, `${table.label} has no field “${name}”.`, `Its fields are ${table.fields.map(({ key }) => key).join(', ')}.`, `${at}/field`);
  return found;
}

function newField(model: Model, table: Table, json: FieldJson): Field {
  return {
    id: newId('f'),
    key: json.key ?? newFieldKey(table.fields, json.label),
    label: json.label,
    help: json.help ?? '',
    required: json.required ?? false,
    unique: json.unique ?? false,
    type: typeFromJson(model, table, json),
  };
}

function addField(model: Model, table: Table, json: FieldJson, at: number | undefined, place: string): AddField {
  const made = newField(model, table, json);
  const add = { do: 'addField', table: table.id, at: at ?? table.fields.length } as const;
  if (json.type !== 'link') return { ...add, field: made };
  const target = json.to === undefined ? undefined : tableNamed(model, json.to);
  if (!target) throw refuse(422, `“${json.label}” points at no table that is here.`, 'Name the table in `to`.', `${place}/field/to`);
  const counterpart = newId('f');
  // On a table that links to itself, the counterpart is named around the link.
  const taken = target.id === table.id ? [...target.fields, made] : target.fields;
  const otherLabel = json.counterpart?.label ?? freeOf(table.label, taken);
  const other: Field = {
    id: counterpart,
    key: json.counterpart?.key ?? newFieldKey(taken, otherLabel),
    label: otherLabel,
    help: '',
    required: false,
    unique: false,
    type: { kind: 'counterpart', from: table.id, link: made.id },
  };
  return {
    ...add,
    field: { ...made, type: { kind: 'link', to: target.id, onDelete: json.onDelete ?? 'prevent', counterpart } },
    counterpart: { field: other, at: target.fields.length + (target.id === table.id ? 1 : 0) },
  };
}

function freeOf(wanted: string, fields: readonly Field[]): string {
  const taken = new Set(fields.map(({ label: one }) => one.toLowerCase()));
  for (let n = 1; ; n++) {
    const candidate = n === 1 ? wanted : `${wanted} ${n}`;
    if (!taken.has(candidate.toLowerCase())) return candidate;
  }
}

function changeField(model: Model, table: Table, old: Field, { label: newLabel, key, help, required, unique, ...type }: Partial<FieldJson>): Change {
  const names = Object.fromEntries(Object.entries({ label: newLabel, key, help, required, unique }).filter(([, value]) => value !== undefined));
  if (Object.keys(type).length === 0) return { do: 'changeField', table: table.id, field: old.id, set: names };
  const whole = { ...fieldJson(model, old), ...type, label: newLabel ?? old.label } as FieldJson;
  const made = old.type.kind === 'link' ? { ...old.type, onDelete: type.onDelete ?? old.type.onDelete } : typeFromJson(model, table, whole, old);
  return { do: 'changeField', table: table.id, field: old.id, set: { ...names, type: made } };
}

function typeFromJson(model: Model, table: Table, json: FieldJson, old?: Field): FieldType {
  switch (json.type) {
    case 'text':
      return { kind: 'text', ...(json.maxLength === undefined ? {} : { maxLength: json.maxLength }) };
    case 'number':
      return { kind: 'number', digits: json.digits ?? null, ...(json.unit ? { unit: json.unit } : {}) };
    case 'yesNo':
    case 'date':
      return { kind: json.type };
    case 'option':
      return { kind: 'option', options: optionsFromJson(json.options ?? [], old) };
    // A link gets its target and counterpart in addField, which knows both tables.
    case 'link':
      return { kind: 'link', to: '', onDelete: json.onDelete ?? 'prevent', counterpart: '' };
    case 'formula': {
      const { expression, problems } = checkFormula(model, table.id, json.formula ?? '');
      if (expression) return { kind: 'formula', formula: expression, result: expression.type };
      const [first] = problems;
      throw refuse(422, first?.message ?? 'The formula cannot be read.', first?.mend, first?.at);
    }
  }
}

/** Options keep their identity by id, or by a label they had. */
function optionsFromJson(sent: NonNullable<FieldJson['options']>, old: Field | undefined): Option[] {
  const before = old?.type.kind === 'option' ? old.type.options : [];
  const ids = new Set(before.map(({ id }) => id));
  return sent.map((one, index): Option => {
    const { label: text, id, dye } = typeof one === 'string' ? { label: one, id: undefined, dye: undefined } : one;
    const same = before.find((option) => (id === undefined ? option.label === text : option.id === id));
    const made = same?.id ?? optionId(text, ids);
    ids.add(made);
    return { id: made, label: text, dye: dye ?? same?.dye ?? (dyes[index % dyes.length] as Dye) };
  });
}

/** A field as programs read it. */
export function fieldJson(model: Model, one: Field): Record<string, unknown> {
  const { id, key, label: text, help, required, unique, type } = one;
  const names = { id, key, label: text, help, required, unique };
  switch (type.kind) {
    case 'text':
      return { ...names, type: 'text', maxLength: type.maxLength };
    case 'number':
      return { ...names, type: 'number', digits: type.digits, unit: type.unit };
    case 'option':
      return { ...names, type: 'option', options: type.options };
    case 'link': {
      const other = fieldOf(model, type.counterpart).field;
      return {
        ...names,
        type: 'link',
        to: tableOf(model, type.to).key,
        many: false,
        onDelete: type.onDelete,
        counterpart: { key: other.key, label: other.label, many: true },
      };
    }
    case 'counterpart': {
      const { field: link, table } = fieldOf(model, type.link);
      return { ...names, type: 'link', to: table.key, many: true, counterpartOf: link.key };
    }
    case 'formula':
      return { ...names, type: 'formula', formula: printFormula(model, type.formula), result: type.result.is };
    default:
      return { ...names, type: type.kind };
  }
}

/** The structure of a workspace as programs read it. */
export const modelJson = (model: Model) => ({
  tables: model.tables.map((table) => ({
    id: table.id,
    key: table.key,
    label: table.label,
    description: table.description,
    dye: table.dye,
    title: table.title === null ? null : fieldOf(model, table.title).field.key,
    fields: table.fields.map((one) => fieldJson(model, one)),
  })),
});
