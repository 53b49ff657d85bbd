import { printFormula } from '$core/formula/printer';
import { fieldOf, tableOf, type Field, type Model } from '$core/model/model';

/** A field as the form holds it: every type's members at once, of which those of the chosen type are sent. */
export interface FieldDraft {
  label: string;
  key: string;
  help: string;
  required: boolean;
  unique: boolean;
  type: 'text' | 'number' | 'yesNo' | 'date' | 'option' | 'link' | 'formula';
  digits: string;
  unit: string;
  options: string;
  to: string;
  counterpart: string;
  onDelete: 'prevent' | 'clear' | 'remove';
  formula: string;
}

export const emptyDraft = (): FieldDraft => ({
  label: '',
  key: '',
  help: '',
  required: false,
  unique: false,
  type: 'text',
  digits: '',
  unit: '',
  options: '',
  to: '',
  counterpart: '',
  onDelete: 'prevent',
  formula: '',
});

/** The form's contents for a field that stands; null for the other side of a link, which is changed by its link. */
export function draftOf(model: Model, field: Field): FieldDraft | null {
  const { type } = field;
  if (type.kind === 'counterpart') return null;
  const draft = { ...emptyDraft(), label: field.label, key: field.key, help: field.help, required: field.required, unique: field.unique, type: type.kind };
  switch (type.kind) {
    case 'number':
      return { ...draft, digits: type.digits === null ? '' : String(type.digits), unit: type.unit ?? '' };
    case 'option':
      return { ...draft, options: type.options.map(({ label }) => label).join('\n') };
    case 'link':
      return { ...draft, to: tableOf(model, type.to).key, counterpart: fieldOf(model, type.counterpart).field.label, onDelete: type.onDelete };
    case 'formula':
      return { ...draft, formula: printFormula(model, type.formula) };
    default:
      return draft;
  }
}

/** The members of the API's field for the chosen type. */
export function typeMembers(draft: FieldDraft): Record<string, unknown> {
  const lines = draft.options
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);
  switch (draft.type) {
    case 'number':
      return { type: 'number', digits: draft.digits === '' ? null : Number(draft.digits), ...(draft.unit ? { unit: draft.unit } : {}) };
    case 'option':
      return { type: 'option', options: [...new Set(lines)] };
    case 'link':
      return { type: 'link', to: draft.to, onDelete: draft.onDelete, ...(draft.counterpart ? { counterpart: { label: draft.counterpart } } : {}) };
    case 'formula':
      return { type: 'formula', formula: draft.formula };
    default:
      return { type: draft.type };
  }
}

/** The change that makes a new field of the draft. */
export const addFieldChange = (table: string, draft: FieldDraft): Record<string, unknown> => ({
  do: 'addField',
  table,
  field: {
    label: draft.label,
    ...(draft.key ? { key: draft.key } : {}),
    help: draft.help,
    required: draft.required,
    unique: draft.unique,
    ...typeMembers(draft),
  },
});

/** The change that brings a standing field to the draft, or null where nothing differs. */
export function changeFieldChange(table: string, before: FieldDraft, after: FieldDraft): Record<string, unknown> | null {
  const set: Record<string, unknown> = {};
  for (const name of ['label', 'key', 'help', 'required', 'unique'] as const) if (before[name] !== after[name]) set[name] = after[name];
  const { counterpart: _, ...members } = typeMembers(after);
  if (JSON.stringify(typeMembers(before)) !== JSON.stringify(typeMembers(after)))
    Object.assign(set, after.type === 'link' ? { type: 'link', onDelete: after.onDelete } : members);
  return Object.keys(set).length === 0 ? null : { do: 'changeField', table, field: before.key, set };
}

/** A waiting change in words, for the strip at the foot. */
export function waitingWords(change: Readonly<Record<string, unknown>>): string {
  const field = change.field as { label?: string } | string | undefined;
  const name = typeof field === 'object' ? field.label : field;
  switch (change.do) {
    case 'addField':
      return `+ ${name}`;
    case 'changeField':
      return `${name}: ${Object.keys(change.set as object).join(', ')}`;
    case 'removeField':
      return `− ${name}`;
    case 'moveField':
      return `${name} moved`;
    case 'changeTable':
      return Object.keys(change.set as object).join(', ');
    case 'removeTable':
      return '− the table';
    default:
      return String(change.do);
  }
}
