import Joi from 'joi';
import { checkCondition, checkFormula } from '$core/formula/checker';
import { checkOwnFormula, type OwnNames } from '$core/flow/ownFormula';
import { printFormula } from '$core/formula/printer';
import { fieldNamed, fieldOf, isNumbered, linkedTable, overOf, tableOf, typeAs } from '$core/model/model';
import { type Model, type Table } from '$core/types/model';
import { fieldSettings, type Default, type Field, type FieldType, type TypeOf } from '$core/types/field';
import { newFieldKey } from '$core/model/names/naming';
import { newId } from '$core/types/identity';
import { valueJson, enteredKinds, plainReading, takeValue, type EnteredType } from '$core/fieldTypes/registry';
import { refuse } from '../base/refusal';
import type { TypeJson } from '../fieldTypes/kind';
import { typeMembers as entered, typeOfJson } from '../fieldTypes/registry';

/** Types as programs write them; a calculated field, a lookup and a rollup are all `formula`. */
const writtenTypes = [...enteredKinds, 'formula'] as const;
type WrittenType = (typeof writtenTypes)[number];

type DefaultJson = null | 'today' | 'person' | { readonly value: unknown } | { readonly formula: string };

/** A field as programs write and read it: its type flat beside its names, its formula as text. */
export interface FieldJson extends TypeJson {
  readonly label: string;
  readonly key?: string;
  readonly help?: string;
  readonly placeholder?: string | null;
  readonly example?: string | null;
  readonly required?: boolean | 'fromNow';
  readonly unique?: boolean;
  readonly off?: boolean;
  readonly internal?: boolean;
  readonly unlisted?: boolean;
  readonly default?: DefaultJson;
  readonly type: WrittenType;
  readonly formula?: string;
}

const label = Joi.string().trim().max(120);
export const typeMembers = {
  ...entered,
  type: Joi.string().valid(...writtenTypes),
  formula: Joi.string().allow('').max(30_000),
};
export const fieldNames = {
  label,
  key: Joi.string(),
  help: Joi.string().allow('').max(2000),
  placeholder: Joi.string().max(200).allow(null, ''),
  example: Joi.string().max(200).allow(null, ''),
  required: Joi.alternatives(Joi.boolean(), Joi.string().valid('fromNow')),
  unique: Joi.boolean(),
  off: Joi.boolean(),
  internal: Joi.boolean(),
  unlisted: Joi.boolean(),
  default: Joi.alternatives(
    Joi.valid(null, 'today', 'person'),
    Joi.object({ value: Joi.any().required() }),
    Joi.object({ formula: Joi.string().required() }),
  ),
};
export const fieldSchema = Joi.object({
  ...fieldNames,
  label: label.required(),
  ...typeMembers,
  type: typeMembers.type.required(),
});

const settingNames: readonly string[] = [...fieldSettings, 'default'];

/** The parts of a written field: its settings, and the members of its type. */
export function partsOfJson(json: Partial<FieldJson>): { settings: Partial<FieldJson>; type: Partial<FieldJson> } {
  const entries = Object.entries(json).filter(([, value]) => value !== undefined);
  const isSetting = (name: string) => settingNames.includes(name);
  return {
    settings: Object.fromEntries(entries.filter(([name]) => isSetting(name))),
    type: Object.fromEntries(entries.filter(([name]) => !isSetting(name))),
  };
}

/**
 * Settings as a change's `set` has them: what is false or empty where it need not stand becomes null, which takes it
 * away.
 */
export function settingsFromJson(
  model: Model,
  table: Table,
  settings: Partial<FieldJson>,
  type: FieldType,
): Record<string, unknown> {
  const set: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(settings)) {
    if (name === 'default') set.default = defaultFromJson(model, table, value as DefaultJson, type);
    else if (['off', 'internal', 'unlisted'].includes(name)) set[name] = value ? true : null;
    else if (name === 'placeholder' || name === 'example') set[name] = value || null;
    else set[name] = value;
  }
  return set;
}

function defaultFromJson(model: Model, table: Table, sent: DefaultJson, type: FieldType): Default | null {
  if (sent === null) return null;
  if (sent === 'today' || sent === 'person') return { kind: sent };
  if ('formula' in sent) {
    const { expression, problems } = checkFormula(model, table.id, sent.formula);
    if (!expression)
      throw refuse(
        422,
        problems[0]?.message ?? 'The formula of the default cannot be read.',
        problems[0]?.fix,
        problems[0]?.at,
      );
    return { kind: 'formula', formula: expression };
  }
  const taken = takeValue(sent.value, type as EnteredType, plainReading);
  if (!taken.ok) throw refuse(422, `The default: ${taken.problem.message}`, taken.problem.fix);
  return taken.value === null ? null : { kind: 'value', value: taken.value };
}

/** A new field, all but its type where that is a link. */
export function newField(model: Model, table: Table, json: FieldJson): Field {
  const { settings } = partsOfJson(json);
  const own = { id: newId('f'), key: json.key ?? newFieldKey(table.fields, json.label), label: json.label };
  const type = typeFromJson(model, table, json, own);
  const { label: _, key: __, help, required, unique, ...more } = settingsFromJson(model, table, settings, type);
  return {
    ...own,
    help: (help as string | undefined) ?? '',
    required: (required as Field['required'] | undefined) ?? false,
    unique: isNumbered({ type }) ? true : ((unique as boolean | undefined) ?? false),
    ...Object.fromEntries(Object.entries(more).filter(([, value]) => value !== null)),
    type,
  };
}

/**
 * The type that a field's JSON says; what the field was gives options their identity. A link gets its target and
 * counterpart from the plan that makes it.
 */
export function typeFromJson(model: Model, table: Table, json: FieldJson, own: OwnNames & Partial<Field>): FieldType {
  if (json.type !== 'formula') return typeOfJson(json.type, json, own);
  const { expression, problems } = checkOwnFormula(model, table.id, own, json.formula ?? '');
  if (expression) return { kind: 'formula', formula: expression, result: expression.type };
  const [first] = problems;
  throw refuse(422, first?.message ?? 'The formula cannot be read.', first?.fix, first?.at);
}

/** The settings of a link's type that are written by name: the fields shown and the limit of its candidates. */
export function linkSettings(
  model: Model,
  table: Table,
  target: Table,
  json: Partial<FieldJson>,
): Partial<FieldType & { kind: 'link' }> {
  const shows = json.shows?.map((name) => {
    const field = fieldNamed(target, name);
    if (!field)
      throw refuse(
        422,
        `${target.label} has no field “${name}” to show.`,
        `Its fields are ${target.fields.map(({ key }) => key).join(', ')}.`,
      );
    return field.id;
  });
  const limit =
    json.candidates === undefined || json.candidates.trim() === ''
      ? null
      : checkCondition(model, table.id, json.candidates);
  if (limit && !limit.expression)
    throw refuse(
      422,
      limit.problems[0]?.message ?? 'The limit cannot be read.',
      limit.problems[0]?.fix,
      limit.problems[0]?.at,
    );
  return {
    ...(shows && shows.length > 0 ? { shows } : {}),
    ...(limit?.expression ? { candidates: limit.expression } : {}),
  };
}

/** A field as programs read it. */
export function fieldJson(model: Model, one: Field): Record<string, unknown> {
  const { id: fieldId, key, label: text, help, required, unique, type, default: preset, ...more } = one;
  const names = {
    id: fieldId,
    key,
    label: text,
    help,
    required,
    unique,
    ...more,
    ...(preset ? { default: defaultJson(model, one, preset) } : {}),
  };
  if (type.kind === 'formula')
    return { ...names, type: 'formula', formula: printFormula(model, type.formula), result: type.result.is };
  if (type.kind === 'counterpart') return { ...names, type: 'link', ...counterpartJson(model, one, type) };
  if (type.kind === 'link') {
    const other = fieldOf(model, type.counterpart).field;
    return {
      ...names,
      type: 'link',
      to: tablePath(tableOf(model, type.to)),
      many: false,
      ...(type.fed ? { fed: true } : {}),
      onDelete: type.onDelete,
      counterpart: { key: other.key, label: other.label, many: !unique, ...(other.off ? { off: true } : {}) },
      ...(type.shows ? { shows: type.shows.map((shown) => fieldOf(model, shown).field.key) } : {}),
      ...(type.candidates ? { candidates: printFormula(model, type.candidates) } : {}),
    };
  }
  const { kind, ...members } = type;
  return { ...names, type: kind, ...members };
}

/** One side of a link to many, or the other side of a link to one. */
function counterpartJson(model: Model, field: Field, type: TypeOf<'counterpart'>) {
  const { field: link, table } = fieldOf(model, type.link);
  const linked = linkedTable(model, field);
  const over = overOf(field);
  if (over === undefined) return { to: tablePath(table), many: linked?.many ?? true, counterpartOf: link.key };
  const far = fieldOf(model, over).field;
  const other = fieldOf(model, typeAs(far, 'link').counterpart).field;
  // The pairs begin with the side that the link was made from.
  const isOther = table.fields[0]?.id !== type.link;
  return {
    to: linked ? tablePath(linked.table) : null,
    many: true,
    ...(isOther ? { counterpartOf: other.key } : {}),
    onDelete: typeAs(far, 'link').onDelete === 'prevent' ? 'prevent' : 'clear',
    counterpart: { key: other.key, label: other.label, many: true, ...(other.off ? { off: true } : {}) },
  };
}

const tablePath = ({ key, home }: Table): string => (home === undefined ? key : `${home}.${key}`);

function defaultJson(model: Model, field: Field, preset: Default): unknown {
  if (preset.kind === 'value') return { value: valueJson(field.type, preset.value) };
  return preset.kind === 'formula' ? { formula: printFormula(model, preset.formula) } : preset.kind;
}
