import { nearestNames } from '$core/model/key';
import { emptyDraft, optionDyes } from './draft';
import type { DraftType, FieldDraft } from './fieldDraft';

/** A table that a pasted link can name: by its label, its key, or with its workspace. */
export interface LinkTarget {
  readonly path: string;
  readonly label: string;
}

export type PastedField = { readonly line: string } & (
  { readonly draft: FieldDraft; readonly problem: '' } | { readonly draft: null; readonly problem: string }
);

/** What a type is called in a pasted list, and what the words in parentheses behind it say. */
const typeWords: Readonly<
  Record<string, { readonly type: DraftType; readonly set?: (inside: string) => Partial<FieldDraft> }>
> = {
  text: { type: 'text' },
  'long text': { type: 'longText' },
  notes: { type: 'longText' },
  markdown: { type: 'longText', set: () => ({ markdown: true }) },
  number: { type: 'number', set: (unit) => ({ unit }) },
  decimal: { type: 'number', set: (unit) => ({ unit }) },
  whole: { type: 'number', set: (unit) => ({ unit, digits: '0' }) },
  integer: { type: 'number', set: (unit) => ({ unit, digits: '0' }) },
  money: { type: 'money', set: currency },
  amount: { type: 'money', set: currency },
  percent: { type: 'percent' },
  '%': { type: 'percent' },
  'yes/no': { type: 'yesNo' },
  boolean: { type: 'yesNo' },
  check: { type: 'yesNo' },
  date: { type: 'date' },
  day: { type: 'date' },
  'date and time': { type: 'dateTime' },
  time: { type: 'dateTime' },
  timestamp: { type: 'dateTime' },
  duration: { type: 'duration' },
  option: { type: 'option', set: options },
  options: { type: 'options', set: options },
  'several options': { type: 'options', set: options },
  person: { type: 'member' },
  member: { type: 'member' },
  'web address': { type: 'url' },
  url: { type: 'url' },
  email: { type: 'email' },
  phone: { type: 'phone' },
  place: { type: 'place' },
  files: { type: 'files' },
  file: { type: 'files' },
  pictures: { type: 'pictures' },
  picture: { type: 'pictures' },
  rating: { type: 'rating', set: (most) => (/^\d+$/.test(most) ? { most } : {}) },
  progress: { type: 'progress' },
  'running number': { type: 'runningNumber', set: (pattern) => ({ pattern: pattern || '{000}' }) },
};

function currency(code: string): Partial<FieldDraft> {
  return code === '' ? {} : { currency: code.toUpperCase() };
}

/** `…` at the end: people may add others. */
function options(list: string): Partial<FieldDraft> {
  const labels = list
    .split(/[,;]/)
    .map((one) => one.trim())
    .filter(Boolean);
  const open = labels.at(-1) === '…' || labels.at(-1) === '...';
  return {
    open,
    options: (open ? labels.slice(0, -1) : labels).map((label, index) => ({
      label,
      dye: optionDyes[index % optionDyes.length] ?? 'moss',
      retired: false,
      into: '',
    })),
  };
}

/**
 * Fields from pasted lines: a label, then behind a tab, a colon or two spaces its type in words, with what belongs to
 * it in parentheses: `Weight: number (kg)`, `Hive: link to Hives (Visits)`, `Rate: = mites / bees_sampled`. A star
 * behind a label says that it is required. A line that cannot be meant says why.
 */
export function pastedFields(text: string, targets: readonly LinkTarget[]): PastedField[] {
  return text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => {
      const [, written = line, kind = 'text'] = /^(.+?)(?:\t+|\s*:\s*|\s{2,})(.+)$/.exec(line) ?? [];
      const named = { ...emptyDraft(), label: written.replace(/\s*\*$/, ''), required: /\*$/.test(written) };
      const meant = typeMeant(kind.trim(), targets);
      return 'problem' in meant
        ? { draft: null, line, problem: meant.problem }
        : { draft: { ...named, ...meant }, line, problem: '' };
    });
}

function typeMeant(kind: string, targets: readonly LinkTarget[]): Partial<FieldDraft> | { readonly problem: string } {
  if (kind.startsWith('=')) return { type: 'formula', formula: kind.slice(1).trim() };
  const [, words = kind, inside = ''] = /^([^(]+?)\s*(?:\((.*)\))?$/.exec(kind) ?? [];
  const [, many, name] = /^link(s?)(?:\s+to)?\s+(.+)$/i.exec(words) ?? [];
  if (name !== undefined) return linkMeant(name, many !== '', inside.trim(), targets);
  const word = typeWords[words.toLowerCase()];
  if (!word)
    return {
      problem: `“${kind}” is no type; write for example text, number, date, option (calm, wild), link to Hives, = a + b.`,
    };
  return { type: word.type, ...word.set?.(inside.trim()) };
}

function linkMeant(
  name: string,
  many: boolean,
  counterpart: string,
  targets: readonly LinkTarget[],
): Partial<FieldDraft> | { readonly problem: string } {
  const target = targets.find(({ path, label }) =>
    [path, label].some((one) => one.toLowerCase() === name.toLowerCase()),
  );
  if (target) return { type: 'link', to: target.path, many, counterpart };
  const near = nearestNames(
    name,
    targets.map(({ label }) => label),
  );
  return {
    problem: `No table is called “${name}”. ${near.length > 0 ? `Is it ${near.join(', ')}?` : 'Make it first, or correct its name.'}`,
  };
}
