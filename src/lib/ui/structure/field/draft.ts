import { printFormula } from '$core/formula/printer';
import { fieldOf } from '$core/model/model';
import type { Model } from '$core/types/model';
import { fieldSettings, type Field } from '$core/types/field';
import { printValue, type EnteredType } from '$core/fieldTypes/registry';
import { typedJson } from '../../values/typedJson';
import { draftTypes, uiOf } from '../../fieldTypes/registry';
import { noRules, rulesOf } from './fieldRules';
import type { ChangeDraft, FieldDraft } from '../../fieldTypes/fieldDraft';

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
  listed: null,
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
  const set = uiOf(type).draft?.from?.(type, model, field) ?? {};
  return { ...draft, type: draftTypes().find((kind) => kind === type.kind) ?? draft.type, ...set };
}

/** The members of the API's field for the chosen type. */
const typeMembers = (draft: FieldDraft): Record<string, unknown> => ({
  type: draft.type,
  ...uiOf({ kind: draft.type }).draft?.to?.(draft),
});

function presetOf({ preset, presetText, type }: FieldDraft): unknown {
  if (preset === 'value') return presetText === '' ? null : { value: asRead(presetText, type) };
  return preset === 'formula' ? { formula: presetText } : preset === 'none' ? null : preset;
}

/** A value as the server takes it for a type. */
export function asRead(text: string, type: FieldDraft['type']): unknown {
  const known = uiOf({ kind: type }).draft?.reads;
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
      return set.map((one) => (one === 'private' ? 'shared with the workspace' : one)).join(', ');
    case 'removeTable':
      return '− the table';
    case 'addRule':
      return `+ rule “${String(change.message)}”`;
    case 'removeRule':
      return '− a rule';
    case 'changePart':
      return 'the feed changed';
    case 'removeFeedSource':
      return '− a source of the feed';
    case 'endFeed':
      return 'the feed ends';
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
