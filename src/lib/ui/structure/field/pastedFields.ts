import { nearestNames } from '$core/base/key';
import { draftTypes, uiOf } from '../../fieldTypes/registry';
import { emptyDraft } from './draft';
import type { FieldDraft } from '../../fieldTypes/fieldDraft';

/** A table that a pasted link can name: by its label, its key, or with its workspace. */
export interface LinkTarget {
  readonly path: string;
  readonly label: string;
}

export type PastedField = { readonly line: string } & (
  { readonly draft: FieldDraft; readonly problem: '' } | { readonly draft: null; readonly problem: string }
);

/** What types are called in a pasted list, and what the words in parentheses behind them say. */
const typeWords = new Map(
  draftTypes().flatMap((type) =>
    Object.entries(uiOf({ kind: type }).pasted ?? {}).map(([word, set]) => [word, { type, set }] as const),
  ),
);

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
  const word = typeWords.get(words.toLowerCase());
  if (!word)
    return {
      problem: `“${kind}” is no type; write for example text, number, date, option (calm, wild), link to Hives, = a + b.`,
    };
  return { type: word.type, ...word.set(inside.trim()) };
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
