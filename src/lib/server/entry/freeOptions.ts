import type { ChangeField } from '$core/types/change';
import { newId } from '$core/types/identity';
import { fieldNamed, findField, isEntered } from '$core/model/model';
import { type Table } from '$core/types/model';
import { dyes, type Dye, type Field, type Option, type TypeOf } from '$core/types/field';
import { withWorkspace } from '../access/lock';
import { requireChanges } from '../access/changeRights';
import { authorize, refreshAccess, tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { refuse } from '../base/refusal';
import type { DrawnBefore } from '../records/routines/drawn';
import { NeedsOptions } from '../records/routines/needsOptions';
import { noteFailure, RoutineFailed } from '../records/routines/runRoutines';
import type { Pool } from '../database/pool';
import { optionId } from '$core/fieldTypes/option';
import { applyStructure } from '../structure/structure';
import type { RecordEdits } from './edits';

type ListType = TypeOf<'option'> | TypeOf<'options'>;

/** A field whose list grows by what is entered, pasted, loaded or corrected. */
export const isOpenList = (field: Field): field is Field & { readonly type: ListType } =>
  (field.type.kind === 'option' || field.type.kind === 'options') && field.type.open === true;

/** Those of the words that are in no list yet, each once, letter case aside. */
export function newWordsOf({ options }: ListType, words: Iterable<string>): string[] {
  const known = new Set(options.flatMap(({ id, label }) => [id, label.toLowerCase()]));
  const found = new Map<string, string>();
  for (const word of words) {
    const text = word.trim();
    const small = text.toLowerCase();
    if (text !== '' && text.length <= longestLabel && !known.has(small) && !known.has(text) && !found.has(small))
      found.set(small, text);
  }
  return [...found.values()];
}

/** In characters, as long as a label may be. */
const longestLabel = 120;

/** The list with words added as options. */
function withWords<T extends ListType>(type: T, words: readonly string[]): T {
  const ids = new Set(type.options.map(({ id }) => id));
  const added = words.map((label): Option => {
    const id = optionId(label, ids);
    ids.add(id);
    return { id, label, dye: dyes[ids.size % dyes.length] as Dye };
  });
  return { ...type, options: [...type.options, ...added] };
}

/** The change that adds words to a list. */
export const growth = (
  table: Table,
  field: Field & { readonly type: ListType },
  words: readonly string[],
): ChangeField => ({
  do: 'changeField',
  table: table.id,
  field: field.id,
  set: { type: withWords(field.type, words) },
  keep: newId('k'),
});

/** So often words of routines join lists before what needs them is done. */
const mostLists = 8;

/**
 * Does what may set routines off, in a transaction of its own. Where one needs words in a list they join it first, and it
 * begins again, with what it drew before; one that failed, so that nothing of it stands, is written down.
 */
export async function settingOff<T>(
  pool: Pool,
  access: WorkspaceAccess,
  work: (drawn?: DrawnBefore) => Promise<T>,
): Promise<T> {
  let drawn: DrawnBefore | undefined;
  for (let again = 0; ; again++)
    try {
      return await work(drawn);
    } catch (error) {
      if (error instanceof RoutineFailed) await noteFailure(pool, access, error);
      if (!(error instanceof NeedsOptions)) throw error;
      if (again === mostLists)
        throw refuse(
          409,
          `${error.words.join(', ')} would have to join the list ${error.field.label}, and others each time.`,
          'Change the routine that adds it.',
        );
      await joinList(pool, access, error);
      drawn = error.drawn;
    }
}

/** Adds words to a list that a routine needs, as its keeper, who must be allowed to change that table. */
async function joinList(pool: Pool, given: WorkspaceAccess, { field, words, keeper }: NeedsOptions) {
  const access = await authorize(pool, keeper, String(given.workspace.id), 'see');
  await withWorkspace(pool, access, 'exclusive', async (client, now) => {
    const current = findField(now.whole.model, field.id);
    if (!current || (current.field.type.kind !== 'option' && current.field.type.kind !== 'options')) return;
    const list = { ...current.field, type: current.field.type };
    const missing = newWordsOf(list.type, words);
    if (missing.length === 0) return;
    const changes = [growth(current.table, list, missing)];
    await requireChanges(client, now, changes);
    const title = `${missing.join(', ')} added to ${current.table.label}.${list.label}`.slice(0, 300);
    await applyStructure({ client, access: now, exclusive: true }, changes, { kind: 'plan', title });
  });
}

/** Words sent for lists that people may add to while they enter records, by field. */
function sentWords(table: Table, { insert = [], update = [] }: RecordEdits): Map<string, string[]> {
  const words = new Map<string, string[]>();
  for (const { values } of [...insert, ...update])
    for (const [name, value] of Object.entries(values)) {
      const field = fieldNamed(table, name);
      if (!field || !isOpenList(field)) continue;
      const sent = (Array.isArray(value) ? value : [value]).filter((word): word is string => typeof word === 'string');
      words.set(field.id, [...(words.get(field.id) ?? []), ...sent]);
    }
  return words;
}

/**
 * Adds the words that edits bring to open lists, as a change of structure that whoever may enter records may make.
 * Gives the access after it.
 */
export async function addFreeOptions(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  edits: RecordEdits,
): Promise<WorkspaceAccess> {
  const entered = new Set(table.fields.filter(isEntered).map(({ id }) => id));
  const growing = (now: Table) =>
    [...sentWords(now, edits)].flatMap(([id, sent]) => {
      if (!entered.has(id)) return [];
      const field = now.fields.find((one) => one.id === id);
      const words = field && isOpenList(field) ? newWordsOf(field.type, sent) : [];
      return field && isOpenList(field) && words.length > 0 ? [{ field, words }] : [];
    });
  if (growing(table).length === 0) return access;
  await withWorkspace(
    pool,
    access,
    'exclusive',
    async (client, now) => {
      const current = tableAt(now, table.id);
      const lists = growing(current);
      const title = lists
        .map(({ field, words }) => `${words.join(', ')} added to ${current.label}.${field.label}`)
        .join('; ');
      // The call itself is not done with this alone.
      if (lists.length > 0)
        await applyStructure(
          { client, access: { ...now, call: undefined }, exclusive: true },
          lists.map(({ field, words }) => growth(current, field, words)),
          { kind: 'plan', title: title.slice(0, 300) },
        );
    },
    { unanswered: true },
  );
  return refreshAccess(pool, access);
}
