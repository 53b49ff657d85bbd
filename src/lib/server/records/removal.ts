import { feedOf } from '$core/flow/feeds';
import { fieldOf, findTable, typeAs } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { refuse } from '../base/refusal';
import type { Client, Pool } from '../database/pool';
import { seesRecordsOf } from '../query/seenTitles';
import { titleSql } from '../query/selection';
import { identifier, raw, sql } from '../base/sql';
import type { TableEdits } from './edits';

/** What a link's rule makes of the records that point at deleted ones. */
export interface RemovalEffect {
  readonly rule: 'prevent' | 'clear' | 'remove';
  readonly table: Table;
  readonly link: Field;
  readonly ids: readonly number[];
  readonly samples: readonly string[];
}

export interface Removal {
  /** All records that go, table by table; those named first, then those deleted with them. */
  readonly remove: readonly { readonly table: Table; readonly ids: readonly number[] }[];
  readonly effects: readonly RemovalEffect[];
}

/** A chain of deletions this long in records is refused: it is a structure's mistake more often than a wish. */
const mostRemoved = 100_000;

/**
 * Follows the deletion rules of all links that lead to the records, through as many tables as they reach. Reads only;
 * what it finds is shown before a deletion and done by it.
 */
export async function removalOf(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  lock = false,
): Promise<Removal> {
  const { model } = access.workspace;
  const gone = new Map<Table, Set<number>>([[table, new Set(ids)]]);
  const effects: RemovalEffect[] = [];
  const queue: { table: Table; ids: readonly number[] }[] = [{ table, ids }];
  for (let next = queue.shift(); next; next = queue.shift()) {
    for (const counterpart of next.table.fields) {
      if (counterpart.type.kind !== 'counterpart') continue;
      const { field: link, table: from } = fieldOf(model, counterpart.type.link);
      const rule = typeAs(link, 'link').onDelete;
      const { rows } = await connection.query<{ id: number; title: string }>(
        sql`
          select r._id as id, ${raw(seesRecordsOf(access, from.id) ? titleSql(access, from, 'r') : `'a record that you may not see'`)} as title
          from ${tableSql(access.workspace, from)} r
          where r.${identifier(link.key)} = any(${next.ids})
          order by r._id${raw(lock ? ' for no key update' : '')}
        `,
      );
      const known = gone.get(from);
      const found = rows.filter(({ id }) => !known?.has(id));
      if (found.length === 0) continue;
      const found_ids = found.map(({ id }) => id);
      effects.push({ rule, table: from, link, ids: found_ids, samples: found.slice(0, 5).map(({ title }) => title) });
      if (rule !== 'remove') continue;
      gone.set(from, new Set([...(known ?? []), ...found_ids]));
      queue.push({ table: from, ids: found_ids });
      if ([...gone.values()].reduce((sum, set) => sum + set.size, 0) > mostRemoved) return { remove: [], effects };
    }
  }
  // A record that is deleted after all neither prevents nor needs clearing.
  const left = effects
    .map((effect) =>
      effect.rule === 'remove'
        ? effect
        : { ...effect, ids: effect.ids.filter((id) => !gone.get(effect.table)?.has(id)) },
    )
    .filter((effect) => effect.ids.length > 0);
  // Records of a feed go with their sources by themselves, and wait for them.
  const remove = [...gone].filter(([owner]) => owner === table || !feedOf(owner));
  return { remove: remove.map(([owner, set]) => ({ table: owner, ids: [...set] })), effects: left };
}

/** What deletions do: links that are cleared, the records that go, and those of other tables that go with them. */
export async function removalEdits(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  done = 'Nothing was deleted',
): Promise<{ cleared: TableEdits[]; gone: readonly number[]; others: TableEdits[] }> {
  const { effects, remove } = await removalOf(client, access, table, ids, true);
  const prevented = effects.find(({ rule }) => rule === 'prevent');
  if (prevented) {
    const isSeen = findTable(access.sight, prevented.table.id) && !access.cuts?.of.has(prevented.table.id);
    throw refuse(
      409,
      `${done}: ${isSeen ? effectWords(prevented) : 'records that you may not all see point here'}.`,
      isSeen
        ? `Point ${prevented.samples.slice(0, 3).join(', ')} elsewhere or delete them first.`
        : 'Ask somebody who may see them.',
    );
  }
  const [own, ...others] = remove;
  if (!own) throw refuse(422, 'This would delete more records than one step may.', 'Delete them in parts.');
  return {
    gone: own.ids,
    others: others.map((other) => ({ table: other.table, insert: [], update: [], remove: other.ids, follows: true })),
    cleared: effects
      .filter(({ rule }) => rule === 'clear')
      .map((effect) => ({
        table: effect.table,
        insert: [],
        remove: [],
        update: effect.ids.map((id) => ({ id, values: new Map([[effect.link.id, null]]) })),
        follows: true,
      })),
  };
}

/** The rules of a removal in words, for the plan that is shown before it. */
export const effectWords = ({ rule, table, link, ids }: RemovalEffect): string => {
  const records = `${ids.length} ${ids.length === 1 ? 'record' : 'records'} of ${table.label}`;
  switch (rule) {
    case 'prevent':
      return `${records} ${ids.length === 1 ? 'points' : 'point'} here by “${link.label}”, whose rule prevents it`;
    case 'clear':
      return `${records} ${ids.length === 1 ? 'stays' : 'stay'}; ${ids.length === 1 ? 'its' : 'their'} “${link.label}” becomes blank`;
    case 'remove':
      if (table.pairs)
        return `${ids.length} ${ids.length === 1 ? 'link' : 'links'} of “${table.label}” ${ids.length === 1 ? 'goes' : 'go'} with it`;
      return `${records} ${ids.length === 1 ? 'is' : 'are'} deleted with it, as “${link.label}” says`;
  }
};
