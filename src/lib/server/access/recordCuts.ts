import { compileCondition, noViewer } from '$core/formula/compiler';
import { rightsOver, standingReach } from '$core/access/rights';
import type { Sights } from '$core/parts/visible';
import type { Expression } from '$core/types/expression';
import type { TableId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import { quoteIdentifier } from '$core/base/sql';
import { homeOf, storedName, type RecordCuts, type WorkspaceState } from './workspaceState';

/** What stands for whoever looks, in a statement: a number of the Directory, or nobody. */
export const viewerSql = (viewer: number): string => (viewer > 0 ? `${viewer}::integer` : noViewer);

/**
 * A condition over records of a table that stand as `root`, on the clocks of the workspace they are in. It is worked out
 * over everything: whom a condition lets through does not depend on what they see.
 */
export function conditionOverAll(
  whole: WorkspaceState,
  viewer: number,
  table: Table,
  condition: Expression,
  root: string,
): { where: string; joins: string } {
  const { day, zone } = homeOf(whole, table);
  return compileCondition(condition, {
    model: whole.model,
    nameOf: (other) => storedName(whole, other),
    today: `'${day}'::date`,
    zone,
    viewer: viewerSql(viewer),
    root,
    aggregates: 'each',
  });
}

const known = new WeakMap<Model, Map<string, RecordCuts>>();
/** So many people's cuts of one structure are kept. */
const mostKept = 500;

/** What of whose records somebody may see; null where they see all records of every table that they see. */
export function recordCuts(whole: WorkspaceState, { own, homes }: Sights, viewer: number): RecordCuts | null {
  const conditions = new Map<Table, Expression>();
  for (const table of whole.model.tables) {
    const sight = table.home === undefined ? own : (homes[table.home] ?? 'ends');
    const see = sight === 'ends' ? 'all' : rightsOver(whole.model, sight, table).see;
    const standing = standingReach(whole.model, see);
    if (typeof see === 'object') conditions.set(table, typeof standing === 'object' ? standing : never);
  }
  if (conditions.size === 0) return null;
  const name = JSON.stringify([
    viewer,
    [whole, ...whole.peers].map(({ day }) => day),
    [...conditions].map(([{ id }, condition]) => [id, condition]),
  ]);
  const ofModel = known.get(whole.model) ?? new Map<string, RecordCuts>();
  known.set(whole.model, ofModel);
  const ready = ofModel.get(name);
  if (ready) return ready;
  if (ofModel.size >= mostKept) ofModel.clear();
  const of = new Map<TableId, string>();
  for (const [table, condition] of conditions) of.set(table.id, cutOf(whole, viewer, table, condition));
  for (const table of whole.model.tables) if (table.pairs) cutPairs(whole, table, of);
  const made = { name, of };
  ofModel.set(name, made);
  return made;
}

/** What reads fields that are gone is met by nothing. */
const never: Expression = { do: 'value', type: { is: 'boolean' }, value: false };

function cutOf(whole: WorkspaceState, viewer: number, table: Table, condition: Expression): string {
  const { where, joins } = conditionOverAll(whole, viewer, table, condition, 'k');
  return `(select k.* from ${storedName(whole, table)} k ${joins} where ${where})`;
}

/** Pairs are seen where both records are. */
function cutPairs(whole: WorkspaceState, pairs: Table, of: Map<TableId, string>): void {
  const sides = pairs.fields.flatMap(({ key, type }) => {
    const cut = type.kind === 'link' ? of.get(type.to) : undefined;
    return cut ? [`exists (select from ${cut} e where e._id = k.${quoteIdentifier(key)})`] : [];
  });
  if (sides.length > 0)
    of.set(pairs.id, `(select k.* from ${storedName(whole, pairs)} k where ${sides.join(' and ')})`);
}
