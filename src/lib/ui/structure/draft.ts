import { printFormula } from '$core/formula/printer';
import { fieldOf, linkedTable, overOf, typeAs } from '$core/model/model';
import type { Model } from '$core/types/model';
import { fieldSettings, type Dye, type Field } from '$core/types/field';
import { printValue, type EnteredType } from '$core/fieldTypes/registry';
import { typedJson } from '../values/typedJson';
import { noRules, rulesOf } from './fieldRules';
import type { ChangeDraft, FieldDraft, OptionDraft } from './fieldDraft';

/** The values of a field as options, as the server counts them. */
export const optionsOfValues = (
  values: readonly { readonly label: string; readonly count: number; readonly near: string | null }[],
): OptionDraft[] =>
  values.map((one, index) => ({
    ...one,
    dye: optionDyes[index % optionDyes.length] ?? 'moss',
    retired: false,
    into: '',
    also: [],
  }));

/** Options of which the one at a place is joined with another, by its label: its texts become that one. */
export function joined(options: readonly OptionDraft[], at: number, into: string): OptionDraft[] {
  const from = options[at];
  if (!from) return [...options];
  return options
    .filter((one) => one !== from)
    .map((one) =>
      one.label === into
        ? {
            ...one,
            count: (one.count ?? 0) + (from.count ?? 0),
            also: [...(one.also ?? []), from.label, ...(from.also ?? [])],
          }
        : one.near === from.label
          ? { ...one, near: into }
          : one,
    );
}

export const emptyDraft = (): FieldDraft => ({
  label: '',
  key: '',
  help: '',
  placeholder: '',
  example: '',
  required: false,
  unique: false,
  off: false,
  internal: false,
  unlisted: false,
  preset: 'none',
  presetText: '',
  type: 'text',
  maxLength: '',
  markdown: false,
  digits: '',
  unit: '',
  currency: 'EUR',
  most: '5',
  pattern: '',
  options: [],
  open: false,
  buttons: false,
  to: '',
  many: false,
  counterpart: '',
  counterpartShown: true,
  onDelete: 'prevent',
  shows: [],
  candidates: '',
  brings: [],
  missing: 'setAside',
  formula: '',
  rules: noRules(),
  decimal: '.',
  dateOrder: 'ymd',
});

/** The form's contents for a field that stands; null for the other side of a link, which is changed by its link. */
export function draftOf(model: Model, field: Field): FieldDraft | null {
  const { type } = field;
  if (type.kind === 'counterpart' && type.over === undefined) return null;
  const preset = field.default;
  const draft: FieldDraft = {
    ...emptyDraft(),
    label: field.label,
    key: field.key,
    help: field.help,
    placeholder: field.placeholder ?? '',
    example: field.example ?? '',
    required: Boolean(field.required),
    rules: rulesOf(model, fieldOf(model, field.id).table, field).rules,
    unique: field.unique,
    off: field.off ?? false,
    internal: field.internal ?? false,
    unlisted: field.unlisted ?? false,
    preset: preset?.kind ?? 'none',
    presetText:
      preset?.kind === 'value'
        ? printValue(preset.value, type as EnteredType)
        : preset?.kind === 'formula'
          ? printFormula(model, preset.formula)
          : '',
  };
  switch (type.kind) {
    case 'counterpart':
      return manyDraft(model, field, draft);
    case 'text':
      return { ...draft, type: 'text', maxLength: type.maxLength === undefined ? '' : String(type.maxLength) };
    case 'longText':
      return { ...draft, type: 'longText', markdown: type.markdown ?? false };
    case 'number':
      return {
        ...draft,
        type: 'number',
        digits: type.digits === null ? '' : String(type.digits),
        unit: type.unit ?? '',
      };
    case 'percent':
      return { ...draft, type: 'percent', digits: type.digits === null ? '' : String(type.digits) };
    case 'money':
      return { ...draft, type: 'money', currency: type.currency ?? '', digits: String(type.digits) };
    case 'rating':
      return { ...draft, type: 'rating', most: String(type.most) };
    case 'runningNumber':
      return { ...draft, type: 'runningNumber', pattern: type.pattern };
    case 'option':
    case 'options':
      return {
        ...draft,
        type: type.kind,
        open: type.open ?? false,
        buttons: type.entry === 'buttons',
        options: type.options.map(({ id, label, dye, retired }) => ({
          id,
          label,
          dye,
          retired: retired ?? false,
          into: '',
        })),
      };
    case 'link': {
      const other = fieldOf(model, type.counterpart).field;
      return {
        ...draft,
        type: 'link',
        to: tablePath(model, field),
        counterpart: other.label,
        counterpartShown: !other.off,
        onDelete: type.onDelete,
        shows: (type.shows ?? []).map((id) => fieldOf(model, id).field.key),
        candidates: type.candidates ? printFormula(model, type.candidates) : '',
      };
    }
    case 'formula':
      return { ...draft, type: 'formula', formula: printFormula(model, type.formula) };
    case 'createdAt':
    case 'createdBy':
    case 'changedAt':
    case 'changedBy':
      return draft;
    default:
      return { ...draft, type: type.kind };
  }
}

function manyDraft(model: Model, field: Field, draft: FieldDraft): FieldDraft {
  const far = typeAs(fieldOf(model, overOf(field) ?? '').field, 'link');
  const other = fieldOf(model, far.counterpart).field;
  return {
    ...draft,
    type: 'link',
    many: true,
    to: tablePath(model, field),
    counterpart: other.label,
    counterpartShown: !other.off,
    onDelete: far.onDelete === 'prevent' ? 'prevent' : 'clear',
  };
}

function tablePath(model: Model, field: Field): string {
  const target = linkedTable(model, field)?.table;
  return target ? (target.home === undefined ? target.key : `${target.home}.${target.key}`) : '';
}

/** The members of the API's field for the chosen type. */
function typeMembers(draft: FieldDraft): Record<string, unknown> {
  const digits = draft.digits === '' ? null : Number(draft.digits);
  switch (draft.type) {
    case 'text':
      return { type: 'text', maxLength: draft.maxLength === '' ? null : Number(draft.maxLength) };
    case 'longText':
      return { type: 'longText', markdown: draft.markdown };
    case 'number':
      return { type: 'number', digits, unit: draft.unit };
    case 'percent':
      return { type: 'percent', digits };
    case 'money':
      return { type: 'money', currency: draft.currency === '' ? null : draft.currency, digits: digits ?? 2 };
    case 'rating':
      return { type: 'rating', most: Number(draft.most) };
    case 'runningNumber':
      return { type: 'runningNumber', pattern: draft.pattern };
    case 'option':
    case 'options': {
      const kept = draft.options.filter(({ label, into }) => label.trim() !== '' && into === '');
      return {
        type: draft.type,
        options: kept.map(({ id, label, dye, retired, also }) => ({
          ...(id ? { id } : {}),
          label: label.trim(),
          dye,
          retired,
          ...(also?.length ? { also } : {}),
        })),
        open: draft.open,
        entry: draft.buttons && !draft.open ? 'buttons' : 'menu',
      };
    }
    case 'link':
      return {
        type: 'link',
        to: draft.to,
        onDelete: draft.onDelete,
        ...(draft.many ? { many: true } : { shows: draft.shows, candidates: draft.candidates }),
      };
    case 'formula':
      return { type: 'formula', formula: draft.formula };
    default:
      return { type: draft.type };
  }
}

function presetOf({ preset, presetText, type }: FieldDraft): unknown {
  if (preset === 'value') return presetText === '' ? null : { value: asRead(presetText, type) };
  return preset === 'formula' ? { formula: presetText } : preset === 'none' ? null : preset;
}

/** Types whose values people write in their own way; all others are sent as they are written. */
const readAs: Partial<Record<FieldDraft['type'], EnteredType>> = {
  number: { kind: 'number', digits: null },
  percent: { kind: 'percent', digits: null },
  progress: { kind: 'progress' },
  date: { kind: 'date' },
  dateTime: { kind: 'dateTime' },
};

/** A value as the server takes it for a type. */
export function asRead(text: string, type: FieldDraft['type']): unknown {
  const known = readAs[type];
  return known ? typedJson(text, known) : text;
}

/** The change that makes a new field of the draft. */
export const addFieldChange = (table: string, draft: FieldDraft): ChangeDraft => ({
  do: 'addField',
  table,
  field: fieldMembers(draft),
});

/** A draft as the API takes a new field. */
export function fieldMembers(draft: FieldDraft): Record<string, unknown> {
  const blank = emptyDraft();
  const settings = Object.fromEntries(
    fieldSettings.filter((name) => draft[name] !== blank[name]).map((name) => [name, draft[name]]),
  );
  const preset = presetOf(draft);
  const { counterpart, counterpartShown, brings } = draft;
  const link =
    draft.type === 'link'
      ? {
          counterpart: { ...(counterpart ? { label: counterpart } : {}), ...(counterpartShown ? {} : { off: true }) },
          ...(brings.length > 0 ? { brings } : {}),
        }
      : {};
  return { ...settings, ...(preset === null ? {} : { default: preset }), ...typeMembers(draft), ...link };
}

/** The changes that bring a standing field, named by its identity, to the draft; none where nothing differs. */
export function changeFieldChanges(table: string, field: string, before: FieldDraft, after: FieldDraft): ChangeDraft[] {
  const changes: ChangeDraft[] = [];
  const merged = new Map<string, string[]>();
  for (const { id, into } of after.options) if (id && into !== '') merged.set(into, [...(merged.get(into) ?? []), id]);
  for (const [into, from] of merged) changes.push({ do: 'mergeOptions', table, field, from, into });
  const set: Record<string, unknown> = {};
  for (const name of fieldSettings) if (before[name] !== after[name]) set[name] = after[name];
  if (JSON.stringify(presetOf(before)) !== JSON.stringify(presetOf(after))) set.default = presetOf(after);
  const becomes = convertsLink(before, after);
  if (!becomes) {
    const [old, now] = [typeMembers(before), typeMembers(after)];
    // Merging has taken its options out by itself.
    if (JSON.stringify(withoutMerged(old, after)) !== JSON.stringify(now)) Object.assign(set, now);
  }
  const reading =
    before.type !== after.type && (after.decimal !== '.' || after.dateOrder !== 'ymd')
      ? { reading: { decimal: after.decimal, dateOrder: after.dateOrder } }
      : {};
  if (Object.keys(set).length > 0) changes.push({ do: 'changeField', table, field, set, ...reading });
  // Last: what a link becomes is another field, which takes the names of this one over.
  if (becomes) changes.push({ ...becomes, table, field });
  return changes;
}

function withoutMerged(members: Record<string, unknown>, after: FieldDraft): Record<string, unknown> {
  const gone = new Set(after.options.filter(({ into }) => into !== '').map(({ id }) => id));
  return Array.isArray(members.options)
    ? { ...members, options: (members.options as { id?: string }[]).filter(({ id }) => !gone.has(id)) }
    : members;
}

/** Links change their kind by plans of their own. */
function convertsLink(before: FieldDraft, after: FieldDraft): ChangeDraft | null {
  if (before.type !== 'link' && after.type === 'link')
    return {
      do: 'textToLink',
      to: after.to,
      many: after.many,
      missing: after.missing,
      ...(after.counterpart ? { counterpart: { label: after.counterpart } } : {}),
    };
  if (before.type === 'link' && after.type !== 'link')
    return { do: after.type === 'text' ? 'linkToText' : 'linkToOption' };
  if (before.type === 'link' && before.many !== after.many) return { do: after.many ? 'linkToMany' : 'linkToOne' };
  return null;
}

/** A waiting change in words, for the strip at the foot. */
export function waitingWords(change: ChangeDraft, fields: readonly Pick<Field, 'id' | 'label'>[]): string {
  const field = change.field as { label?: string } | string | undefined;
  const name =
    typeof field === 'object' ? (field.label ?? '') : (fields.find(({ id }) => id === field)?.label ?? field ?? '');
  const set = Object.keys((change.set ?? {}) as object).map((one) => (one === 'type' ? 'type' : one));
  switch (change.do) {
    case 'addField':
      return `+ ${name}`;
    case 'changeField':
      return `${name}: ${set.filter((one) => !['digits', 'unit', 'options', 'open', 'entry', 'to', 'shows', 'currency', 'most'].includes(one)).join(', ')}`;
    case 'removeField':
      return `− ${name}`;
    case 'moveField':
      return `${name} moved`;
    case 'changeTable':
      return set.join(', ');
    case 'removeTable':
      return '− the table';
    case 'addRule':
      return `+ rule “${String(change.message)}”`;
    case 'removeRule':
      return '− a rule';
    case 'mergeOptions':
      return `${name}: options merged`;
    case 'textToLink':
      return `${name} becomes a link`;
    case 'linkToText':
      return `${name} becomes text`;
    case 'linkToOption':
      return `${name} becomes a list of options`;
    case 'linkToMany':
      return `${name} to many`;
    case 'linkToOne':
      return `${name} to one`;
    case 'optionsToTable':
      return `${name} becomes a table`;
    default:
      return change.do;
  }
}

export const optionDyes: readonly Dye[] = [
  'moss',
  'rust',
  'indigo',
  'weld',
  'heather',
  'woad',
  'cochineal',
  'walnut',
  'sage',
  'slate',
  'plum',
  'madder',
];
