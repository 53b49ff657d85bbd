import { calculationSteps } from '$core/flow/graph';
import type { FieldId } from '$core/types/identity';
import { tableOf, typeAs } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { tableSql, type WorkspaceState } from '../access/workspaceState';
import type { Effects, Recalculation } from './effects';
import { identifier, join, raw, sql, type Sql } from '../base/sql';
import { prepared, statementEpoch } from '../sql/statement';

/** A link over which a change of records is summed up, and the table of those that sum. */
interface ParentLink {
  readonly link: Field;
  readonly target: Table;
}

const known = new WeakMap<Model, Map<string, readonly ParentLink[]>>();

/** The links of a table over which other records aggregate one of these fields. */
function parentLinks(model: Model, table: Table, changed: readonly FieldId[]): readonly ParentLink[] {
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

/**
 * Further parts of a statement that lock the records that aggregate what it changes. Whoever locks them has to do it in a
 * statement before the one that aggregates, so that this one sees what the last holder of the lock committed; without it,
 * two people who edit two children would each sum without the other. `from`: the parts of the statement that give the
 * links of what it changes.
 */
export function parentLocks(
  workspace: WorkspaceState,
  table: Table,
  changed: readonly FieldId[],
  from: readonly string[],
): { readonly parts: readonly Sql[]; readonly names: readonly string[] } {
  const links = parentLinks(workspace.model, table, changed);
  const parts = links.map(({ link, target }, index) => {
    const targets = from.map((part) => sql`select ${identifier(link.key)} from ${raw(part)}`);
    return sql`${raw(`l${index}`)} as (
      select 1 from ${tableSql(workspace, target)} where _id in (${join(targets, ' union all ')})
      order by _id for no key update
    )`;
  });
  return { parts, names: links.map((_, index) => `l${index}`) };
}

/** A statement that returns every link of the table, with the records that aggregate what it changes locked by it. */
export function withParentsLocked(
  workspace: WorkspaceState,
  table: Table,
  changed: readonly FieldId[],
  changing: Sql,
): Sql {
  const locks = parentLocks(workspace, table, changed, ['u']);
  if (locks.parts.length === 0) return changing;
  return sql`with u as (${changing}), ${join(locks.parts)} select u.* from u where ${allTaken(locks.names)}`;
}

/** What such a statement locked, given the links of what it changed. */
export const lockedParents = (
  model: Model,
  table: Table,
  changed: readonly FieldId[],
  targets: NonNullable<Effects['targets']>,
): NonNullable<Effects['locked']> =>
  parentLinks(model, table, changed).map(({ link, target }) => [
    target.id,
    targets.flatMap(([id, , to]) => (id === link.id && to !== null ? [to] : [])),
  ]);

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
