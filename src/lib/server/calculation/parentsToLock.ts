import { calculationSteps } from '$core/flow/graph';
import type { FieldId } from '$core/types/identity';
import { fieldOf, tableOf, typeAs } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { tableSql, type WorkspaceState } from '../access/workspaceAccess';
import type { Known, Recalculation } from './effects';
import { identifier, join, raw, sql, type Sql } from '../base/sql';
import { prepared, statementEpoch } from '../sql/statement';

/** A link over which a change of records is summed up, and the table of those that sum. */
export interface ParentLink {
  readonly link: Field;
  readonly target: Table;
}

const known = new WeakMap<Model, Map<string, readonly ParentLink[]>>();

/** The links of a table over which other records aggregate one of these fields. */
export function parentLinks(model: Model, table: Table, changed: readonly FieldId[]): readonly ParentLink[] {
  const ofModel = known.get(model) ?? new Map<string, readonly ParentLink[]>();
  known.set(model, ofModel);
  const key = `${table.id} ${changed.join()}`;
  const found = ofModel.get(key);
  if (found) return found;
  const aggregated = new Set(
    calculationSteps(model).flatMap(({ fields }) =>
      fields.flatMap(({ on }) =>
        on.flatMap(({ path, field }) => (path.length === 1 && changed.includes(field) ? path : [])),
      ),
    ),
  );
  const links = table.fields.flatMap((link): ParentLink[] =>
    link.type.kind === 'link' && aggregated.has(link.type.counterpart)
      ? [{ link, target: tableOf(model, typeAs(link, 'link').to) }]
      : [],
  );
  ofModel.set(key, links);
  return links;
}

/** Records of a table that aggregate what an edit changed. */
export interface Parents {
  readonly table: Table;
  readonly ids: readonly number[];
}

/**
 * The records next to those that were edited that aggregate them. Whoever locks them has to do it in a statement before
 * the one that aggregates, so that this one sees what the last holder of the lock committed; without it, two people who
 * edit two children would each sum without the other.
 */
export function parentsToLock(model: Model, edited: Known): Parents[] {
  const found = new Map<Table, Set<number>>();
  const fieldsOf = new Map<Table, FieldId[]>();
  for (const id of edited.changedFields()) {
    const { table } = fieldOf(model, id);
    fieldsOf.set(table, [...(fieldsOf.get(table) ?? []), id]);
  }
  for (const [table, fields] of fieldsOf)
    for (const { link, target } of parentLinks(model, table, fields)) {
      const targets = found.get(target) ?? new Set<number>();
      found.set(target, targets);
      for (const ids of fields.map(edited.of)) {
        if (ids === 'all') continue;
        for (const id of ids) edited.targetsOf(link.id, id)?.forEach((one) => targets.add(one));
      }
    }
  return [...found].filter(([, ids]) => ids.size > 0).map(([table, ids]) => ({ table, ids: [...ids] }));
}

/**
 * The update with the records that aggregate what it changes locked by the same statement: the next statement then sees
 * what the holders of those locks committed, without one of its own to lock them. `returning` of the update gives every
 * link of the table.
 */
export function withParentsLocked(
  workspace: WorkspaceState,
  table: Table,
  changed: readonly FieldId[],
  update: Sql,
): Sql {
  const links = parentLinks(workspace.model, table, changed);
  if (links.length === 0) return update;
  const locks = links.map(
    ({ link, target }, index) => sql`${raw(`l${index}`)} as (
      select 1 from ${tableSql(workspace, target)} where _id in (select ${identifier(link.key)} from u)
      order by _id for no key update
    )`,
  );
  return sql`
    with u as (${update}), ${join(locks)}
    select u.* from u where ${allTaken(locks.map((_, index) => `l${index}`))}
  `;
}

/** A condition that makes PostgreSQL run these parts of a statement, which it leaves out where nothing reads them. */
export const allTaken = (parts: readonly string[]): Sql =>
  join(
    parts.map((part) => raw(`(select count(*) from ${part}) >= 0`)),
    ' and ',
  );

/** Links that some formula reads through, so that pointing them elsewhere must wait for whoever changes the target. */
const isReadThrough = (model: Model, link: FieldId): boolean =>
  calculationSteps(model).some(({ fields }) => fields.some(({ on }) => on.some(({ path }) => path.includes(link))));

/** Holds the new targets of a link still until the edit is done, so that none changes unseen (database/locks.ts). */
export async function shareTargets(run: Recalculation, link: Field, targets: readonly number[]): Promise<void> {
  const { client, workspace, exclusive } = run;
  if (exclusive || targets.length === 0 || !isReadThrough(workspace.model, link.id)) return;
  const target = tableOf(workspace.model, typeAs(link, 'link').to);
  await prepared(
    client,
    sql`select 1 from ${tableSql(workspace, target)} where _id = any(${targets}) order by _id for share`,
    statementEpoch(workspace),
  );
}
