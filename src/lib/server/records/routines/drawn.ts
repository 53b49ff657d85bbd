import { isNumbered, valueTypeOf } from '$core/model/model';
import type { Model } from '$core/types/model';
import { partsOf } from '$core/types/part';
import type { Step } from '$core/types/routine';
import { tableSql } from '../../access/workspaceState';
import { identifier, join, raw, sql } from '../../base/sql';
import { fromColumn } from '../../sql/column';
import { numberingsOf } from '../../sql/sequences';
import type { Following, TableEdits } from '../edits';
import { NeedsOptions, type Drawn } from './needsOptions';

/** What was drawn by an edit that is begun again. */
export type DrawnBefore = NeedsOptions['drawn'];

/** Edits whose new records get the numbers that they had before. */
export const withDrawn = (edits: readonly TableEdits[], drawn: DrawnBefore | undefined): readonly TableEdits[] =>
  edits.map((edit, at) => {
    const before = drawn?.[at];
    // Other records are made by now: what was there before may have come meanwhile.
    if (before?.table !== edit.table.id || before.records.length !== edit.insert.length) return edit;
    const insert = edit.insert.map((one, index): Drawn => {
      const { id, values } = before.records[index] as Drawn;
      return { id: one.id ?? id, values: new Map([...values, ...one.values]) };
    });
    return { ...edit, insert };
  });

/** Says of an edit that has to be begun again which numbers it drew. */
export async function noteDrawn(
  { client, workspace }: Following,
  error: unknown,
  edits: readonly TableEdits[],
  inserted: readonly (readonly number[])[],
): Promise<void> {
  if (!(error instanceof NeedsOptions)) return;
  const drawn: NeedsOptions['drawn'][number][] = [];
  for (const [at, { table }] of edits.entries()) {
    const ids = inserted[at] ?? [];
    const fields = table.fields.filter(isNumbered);
    const { rows } = await client.query<Record<string, unknown>>(sql`
      select ${join([raw('_id'), ...fields.map(({ key }) => identifier(key))])} from ${tableSql(workspace, table)}
      where _id = any(${ids}::bigint[])
    `);
    const byId = new Map(rows.map((row) => [Number(row._id), row]));
    drawn.push({
      table: table.id,
      records: ids.map((id) => ({
        id,
        values: new Map(fields.map((field) => [field.id, fromColumn(valueTypeOf(field), byId.get(id)?.[field.key])])),
      })),
    });
  }
  error.drawn = drawn;
}

const known = new WeakMap<Model, boolean>();

/** Whether a routine of a model adds words to lists. */
function addsWords(model: Model): boolean {
  const has = (steps: readonly Step[]): boolean =>
    steps.some((step) => step.do === 'option' || (step.do === 'each' && has(step.steps)));
  const adds =
    known.get(model) ??
    model.tables.some((table) => partsOf(table, 'routine').some(({ on, steps }) => on && has(steps)));
  known.set(model, adds);
  return adds;
}

/**
 * Work that holds its workspaces alone, and may have to be begun again as words join a list first: the numbers that it
 * drew are given back then.
 */
export async function givingNumbersBack<T>(
  { client, workspace }: Pick<Following, 'client' | 'workspace'>,
  work: () => Promise<T>,
): Promise<T> {
  if (!addsWords(workspace.model)) return work();
  const restored = await numberingsOf(client, [workspace.key, ...workspace.peers.map(({ key }) => key)]);
  try {
    return await work();
  } catch (error) {
    if (error instanceof NeedsOptions) await restored();
    throw error;
  }
}
