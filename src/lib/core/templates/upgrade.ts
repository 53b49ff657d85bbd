import type { Result } from '../base/problem';
import { sameValue as same } from '../base/sameValue';
import { findField, findTable, ownTables } from '../model/model';
import { partKinds, partOf } from '../parts/parts';
import type { Change } from '../types/change';
import { fieldSettings, type Field } from '../types/field';
import type { Model, Table } from '../types/model';
import { partsOf, type AnyPart, type PartKind, type PartOwner } from '../types/part';
import { Placing, type BuiltTemplate } from './applied';
import { alignedTo, namesIn, withIdentities } from './identities';

/** What becomes of a newer version of a template where an earlier one was applied. */
export interface Upgrade {
  readonly changes: readonly Change[];
  /** In words: what stays as it is, and why; what the newer version no longer has. */
  readonly kept: readonly string[];
}

const settings = [...fieldSettings, 'default', 'type'] as const;
const looks = ['key', 'label', 'description', 'dye', 'icon', 'title'] as const;

/**
 * The changes that bring what came of a template to a newer version of it. `names`: what each thing of the template is
 * here, by its name. What was changed here since stays as it is here, and what was deleted stays deleted; nothing is
 * removed because the newer version has it no more.
 */
export function upgradeTemplate(
  standing: Model,
  names: ReadonlyMap<string, string>,
  earlier: Model,
  newer: BuiltTemplate,
  taken: readonly string[] = [],
): Upgrade {
  const identities = alignedTo(newer.model, names);
  const versions: Versions = {
    before: withIdentities(earlier, alignedTo(earlier, names)),
    after: withIdentities(newer.model, identities),
  };
  const kept: string[] = [];
  // What the template had is passed over where it was deleted, too.
  const placing = new Placing(standing, identities, new Map(), new Set(taken));
  const attempt = (words: string, done: Result<true>): void => {
    if (!done.ok) kept.push(`${words}: ${done.problem.message}`);
  };
  for (const change of newer.changes) {
    const turned = withIdentities(change, identities);
    // Of a table that came of the template what it lacks is added.
    if (!isNew(turned, versions) && turned.do !== 'addTable') continue;
    // A table that came of the template gets its new rules, too.
    const done = turned.do === 'addRule' ? placing.add(change) : placing.place(change);
    attempt(wordsOf(turned, versions.after), done);
  }
  for (const { id } of ownTables(versions.after)) {
    const [was, will] = [findTable(versions.before, id), findTable(versions.after, id)];
    const is = findTable(placing.now, id);
    if (!was || !will) continue;
    if (!is) kept.push(`${was.label}: it was deleted here`);
    else for (const { words, change } of ofTable(was, will, is, kept)) attempt(words, placing.add(change));
  }
  for (const { words, change } of ofParts(null, versions.before, versions.after, placing.now, kept))
    attempt(words, placing.add(change));
  const left = namesIn(newer.model);
  for (const name of namesIn(earlier).keys())
    if (!left.has(name)) kept.push(`${name}: the newer version has it no more`);
  return { changes: placing.changes, kept };
}

interface Versions {
  readonly before: Model;
  readonly after: Model;
}

const partAmong = (owner: PartOwner | undefined, kind: PartKind, id: string): AnyPart | undefined =>
  (partsOf(owner ?? {}, kind) as readonly AnyPart[]).find((part) => part.id === id);

const hasTable = ({ before }: Versions, id: string | null): boolean =>
  id !== null && findTable(before, id) !== undefined;
const hasField = ({ before }: Versions, id: string): boolean => findField(before, id) !== undefined;

/** Whether the earlier version had what a change makes or arranges; what only works on records is in no template. */
const hadBy: {
  readonly [K in Change['do']]?: (versions: Versions, change: Extract<Change, { readonly do: K }>) => boolean;
} = {
  addTable: (versions, { table }) => hasTable(versions, table.id),
  changeTable: (versions, { table }) => hasTable(versions, table),
  addField: (versions, { field }) => hasField(versions, field.id),
  moveField: (versions, { field }) => hasField(versions, field),
  changeField: (versions, { field }) => hasField(versions, field),
  addRule: ({ before }, { table, rule }) => findTable(before, table)?.rules?.some(({ id }) => id === rule.id) === true,
  addPart: ({ before }, { table, kind, part }) =>
    partAmong(table === null ? before : findTable(before, table), kind, part.id) !== undefined,
};

function isNew(change: Change, versions: Versions): boolean {
  const had = hadBy[change.do] as ((versions: Versions, change: Change) => boolean) | undefined;
  return had?.(versions, change) !== true;
}

function wordsOf(change: Change, after: Model): string {
  if (change.do === 'addTable') return change.table.label;
  const label = (change.table !== null && findTable(after, change.table)?.label) || '';
  if (change.do === 'addField') return `${label}.${change.field.label}`;
  if (change.do === 'addPart') return partWords(label, change.kind, change.part);
  return change.do === 'addRule' ? `${label}: the rule “${change.rule.message}”` : label;
}

const partWords = (owner: string, kind: PartKind, { label }: AnyPart): string =>
  `${owner === '' ? '' : `${owner}: `}the ${partOf(kind).word} “${label}”`;

interface Step {
  readonly words: string;
  readonly change: Change;
}

/** The settings that the template changed and nobody here did; of those that somebody did change it is said. */
function settingsSince<T extends object, K extends keyof T & string>(
  words: string,
  all: readonly K[],
  [was, will, is]: readonly [T, T, T],
  kept: string[],
): Partial<Record<K, unknown>> | null {
  const differing = all.filter((name) => !same(was[name], will[name]) && !same(is[name], will[name]));
  const free = differing.filter((name) => same(is[name], was[name]));
  for (const name of differing) if (!free.includes(name)) kept.push(`${words}: ${name} was changed here`);
  return free.length === 0
    ? null
    : (Object.fromEntries(free.map((name) => [name, will[name] ?? null])) as Partial<Record<K, unknown>>);
}

function* ofTable(was: Table, will: Table, is: Table, kept: string[]): Generator<Step> {
  const set = settingsSince(was.label, looks, [was, will, is], kept);
  for (const field of will.fields) {
    const [earlier, here] = [was, is].map(({ fields }) => fields.find(({ id }) => id === field.id));
    const words = `${was.label}.${field.label}`;
    if (earlier && !here) kept.push(`${words}: it was deleted here`);
    const change =
      earlier && here
        ? settingsSince<Field, (typeof settings)[number]>(words, settings, [earlier, field, here], kept)
        : null;
    if (change) yield { words, change: { do: 'changeField', table: is.id, field: field.id, set: change } as Change };
  }
  if (set) yield { words: was.label, change: { do: 'changeTable', table: is.id, set } as Change };
  for (const rule of will.rules ?? []) {
    const [earlier, here] = [was, is].map(({ rules }) => rules?.find(({ id }) => id === rule.id));
    const words = `${was.label}: the rule “${rule.message}”`;
    if (!earlier || same(earlier, rule)) continue;
    if (!same(earlier, here)) kept.push(`${words}: it was changed here`);
    else {
      yield { words, change: { do: 'removeRule', table: is.id, rule: rule.id } };
      yield { words, change: { do: 'addRule', table: is.id, rule, at: 0 } };
    }
  }
  yield* ofParts(is.id, was, will, is, kept);
}

function* ofParts(
  table: string | null,
  was: PartOwner,
  will: PartOwner,
  is: PartOwner,
  kept: string[],
): Generator<Step> {
  const owner = table === null ? '' : (will as Table).label;
  for (const kind of partKinds)
    for (const part of partsOf(will, kind) as readonly AnyPart[]) {
      const [earlier, here] = [was, is].map((one) => partAmong(one, kind, part.id));
      const words = partWords(owner, kind, part);
      if (!earlier || same(earlier, part)) continue;
      if (!here) kept.push(`${words}: it was deleted here`);
      else if (same(earlier, here)) yield { words, change: { do: 'changePart', kind, table, part } as Change };
      else if (!same(here, part)) kept.push(`${words}: it was changed here`);
    }
}
