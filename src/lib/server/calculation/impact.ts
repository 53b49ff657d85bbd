import { calculationSteps, type CalculatedField } from '$core/flow/graph';
import { hierarchyPaths, isOverHierarchy } from '$core/flow/hierarchy';
import type { FieldId } from '$core/types/identity';
import { fieldOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import { quoteIdentifier } from '$core/base/sql';
import { tableName, type WorkspaceState } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { edgesSql } from './hierarchy';
import { raw, sql } from '../base/sql';

/** Records of a table that an edit's consequences may reach. */
export interface Reached {
  readonly table: Table;
  readonly count: number;
}

/**
 * How many records of each table may be calculated anew when these fields of these records change: at most, as it
 * cannot be known before which values will differ. One statement; each calculated field that may be reached is a set of
 * its own.
 */
export async function estimateImpact(
  connection: Pool | Client,
  workspace: WorkspaceState,
  fields: ReadonlySet<FieldId>,
  ids: readonly number[],
): Promise<Reached[]> {
  const sets: string[] = [];
  const setOf = new Map<FieldId, string>([...fields].map((id) => [id, 'select id from edited']));
  const ofTable = new Map<Table, string[]>();
  const steps = calculationSteps(workspace.model).flatMap(({ fields: all }) => all);
  for (const step of steps) {
    const reached = step.on
      .filter((one) => !isOverHierarchy(step.field.id, one) && setOf.has(one.field))
      .map((one) => backOver(workspace, one.path, setOf.get(one.field) ?? ''));
    if (reached.length === 0) continue;
    const name = `c${sets.length + 1}`;
    const all = [...reached, ...overItself(workspace, step, name)];
    // `union` takes out what comes twice; one branch alone has none.
    sets.push(
      `${name}(id) as (${
        all.length > 1
          ? all.join(' union ')
          : `
      select distinct * from (${all.join()}) d
    `
      })`,
    );
    setOf.set(step.field.id, `select id from ${name}`);
    ofTable.set(step.table, [...(ofTable.get(step.table) ?? []), `select id from ${name}`]);
  }
  if (sets.length === 0) return [];
  const tables = [...ofTable.keys()];
  const counts = tables.map(
    (table, index) => `(select count(*) from (${(ofTable.get(table) ?? []).join(' union ')}) u) as n${index}`,
  );
  const { rows } = await connection.query<Record<string, number>>(
    sql`
      with recursive edited(id) as (select unnest(${ids}::bigint[])), ${raw(sets.join(', '))}
      select ${raw(counts.join(', '))}
    `,
  );
  return tables.map((table, index) => ({ table, count: rows[0]?.[`n${index}`] ?? 0 })).filter(({ count }) => count > 0);
}

/** The records from which a path leads to those of a set. */
function backOver(workspace: WorkspaceState, path: readonly FieldId[], set: string): string {
  return path.toReversed().reduce((inner, step) => {
    const { field, table } = fieldOf(workspace.model, step);
    if (field.type.kind !== 'counterpart')
      return `select _id from ${tableName(workspace, table)} where ${quoteIdentifier(field.key)} in (${inner})`;
    const link = fieldOf(workspace.model, field.type.link);
    const column = quoteIdentifier(link.field.key);
    return `
      select ${column}
      from ${tableName(workspace, link.table)}
      where _id in (${inner}) and ${column} is not null
    `;
  }, set);
}

/** The step of a set over a hierarchy, to the records that come from those it has. */
function overItself(workspace: WorkspaceState, { table, field }: CalculatedField, name: string): string[] {
  const paths = hierarchyPaths(workspace.model, field);
  if (paths.length === 0) return [];
  return [
    `
      select e.a
      from ${name}
      join (
        ${paths.map((path) => edgesSql(workspace, table, path, 'as it is')).join(' union all ')}
      ) e on e.b = ${name}.id
    `,
  ];
}
