import { calculationSteps } from '$core/flow/graph';
import type { FieldId } from '$core/model/identity';
import { fieldOf, tableOf, typeAs } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/sql';
import { tableName, type WorkspaceState } from '../access/seat';
import type { Recalculation } from './changedValues';

/** A link over which a change of records is summed up, and the table of those that sum. */
export interface NextLock {
  readonly link: Field;
  readonly target: Table;
}

const known = new WeakMap<Model, Map<string, readonly NextLock[]>>();

/** The links of a table over which other records gather one of these fields. */
export function lockedNext(model: Model, table: Table, changed: readonly FieldId[]): readonly NextLock[] {
  const ofModel = known.get(model) ?? new Map<string, readonly NextLock[]>();
  known.set(model, ofModel);
  const key = `${table.id} ${changed.join()}`;
  const found = ofModel.get(key);
  if (found) return found;
  const gathered = new Set(
    calculationSteps(model).flatMap(({ fields }) =>
      fields.flatMap(({ on }) =>
        on.flatMap(({ path, field }) => (path.length === 1 && changed.includes(field) ? path : [])),
      ),
    ),
  );
  const next = table.fields.flatMap((link): NextLock[] =>
    link.type.kind === 'link' && gathered.has(link.type.counterpart)
      ? [{ link, target: tableOf(model, typeAs(link, 'link').to) }]
      : [],
  );
  ofModel.set(key, next);
  return next;
}

/** Records of a table that gather what an edit changed. */
export interface Gatherers {
  readonly table: Table;
  readonly ids: readonly number[];
}

/**
 * The records next to those that were edited that sum them up. Whoever locks them has to do it in a statement before
 * the one that sums, so that this one sees what the last holder of the lock committed; without it, two people who edit
 * two children would each sum without the other.
 */
export function gatherersOf({ workspace, whole, changed }: Recalculation): Gatherers[] {
  if (whole) return [];
  const found = new Map<Table, Set<number>>();
  const edited = new Map<Table, FieldId[]>();
  for (const id of changed.changedFields()) {
    const { table } = fieldOf(workspace.model, id);
    edited.set(table, [...(edited.get(table) ?? []), id]);
  }
  for (const [table, fields] of edited)
    for (const { link, target } of lockedNext(workspace.model, table, fields))
      for (const field of fields) {
        const ids = changed.of(field);
        if (ids === 'all') continue;
        const targets = found.get(target) ?? new Set<number>();
        found.set(target, targets);
        for (const id of ids) changed.targetsOf(link.id, id)?.forEach((one) => targets.add(one));
      }
  return [...found].filter(([, ids]) => ids.size > 0).map(([table, ids]) => ({ table, ids: [...ids] }));
}

/**
 * The update with the records that gather what it changes locked by the same statement. The next statement then sees
 * what the holders of those locks committed, as it must (see withWorkspace), without one of its own to lock them.
 * `returning` of the update gives every link of the table.
 */
export function withNextLocked(
  workspace: WorkspaceState,
  table: Table,
  changed: readonly FieldId[],
  update: string,
): string {
  const next = lockedNext(workspace.model, table, changed);
  if (next.length === 0) return update;
  const locks = next.map(
    ({ link, target }, index) =>
      `l${index} as (select 1 from ${tableName(workspace, target)} where _id in (select ${quoteIdentifier(link.key)} from u) order by _id for no key update)`,
  );
  return `with u as (${update}), ${locks.join(', ')} select u.* from u where ${next.map((_, index) => `(select count(*) from l${index}) >= 0`).join(' and ')}`;
}

export const areLocked = (run: Recalculation, table: Table, ids: ReadonlySet<number>): boolean => {
  const locked = run.changed.lockedOf(table.id);
  for (const id of ids) if (!locked?.has(id)) return false;
  return true;
};
