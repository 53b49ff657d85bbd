import { dependsOnDay } from '$core/flow/dependencies';
import { layersOf, type CalculatedField } from '$core/flow/graph';
import { compileFormulas, fitted, noViewer } from '$core/formula/compiler';
import { isStored, typeAs } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/base/sql';
import { homeOf, tableName, tableSql, type WorkspaceState } from '../access/workspaceState';
import { columnNames } from '../sql/column';

import type { Client, Pool } from '../database/pool';
import { among, prepared, statementEpoch, written, type Row, type Statement } from '../sql/statement';
import { linksOf, targetsIn } from './effects';
import type { Effects, Ids, Known } from './effects';
import { lockedParents, withParentsLocked } from './parentLocks';
import type { Recalculation } from './effects';
import { empty, identifier, join, raw, sql, type Sql } from '../base/sql';

/** What a step of the calculation rewrote. */
export interface StepDone {
  readonly differed: Ids;
  readonly effects: readonly Effects[];
}

/** One statement for all affected fields of a table at one depth. */
export async function recalculateStep(
  run: Recalculation,
  known: Known,
  table: Table,
  fields: readonly CalculatedField[],
  ids: Ids,
): Promise<StepDone> {
  const { client, workspace, exclusive } = run;
  await lockAggregating(run, known, table, fields, ids);
  const limit = ids === 'all' ? null : among(raw('r._id'), [...ids]);
  const statement = stepStatement(workspace, table, fields, limit, limit ? 'each' : 'grouped', !exclusive);
  return doneBy(run, table, fields, await prepared(client, statement, statementEpoch(workspace)), limit !== null);
}

/** What a statement that worked out fields did. `each`: it gave the records that it wrote. */
export function doneBy(
  { workspace, exclusive }: Recalculation,
  table: Table,
  fields: readonly CalculatedField[],
  { rowCount, rows }: { readonly rowCount: number | null; readonly rows: readonly Row[] },
  each = true,
): StepDone {
  if (rowCount === 0) return { differed: new Set(), effects: [] };
  // Rows come back only while they are few: a step over the whole table is followed by steps over whole tables.
  const differed: Ids = each ? new Set(rows.map((row) => row._id as number)) : 'all';
  const calculated = fields.map(({ field }) => field.id);
  const changed = calculated.map((field) => [field, differed] as const);
  const targets = targetsIn(table, rows);
  const locked = each && !exclusive ? lockedParents(workspace.model, table, calculated, targets) : [];
  return { differed, effects: [{ changed, locked, targets }] };
}

/**
 * Records that aggregate are locked in a statement before the one that aggregates: this one then sees what the holder
 * of the lock committed. Without it, two people who edit two children would each sum without the other.
 */
async function lockAggregating(
  { client, workspace, exclusive }: Recalculation,
  known: Known,
  table: Table,
  fields: readonly CalculatedField[],
  ids: Ids,
): Promise<void> {
  if (ids === 'all' || exclusive || known.areLocked(table.id, ids)) return;
  if (!fields.some(({ on }) => on.some(({ path }) => path.length > 0))) return;
  await prepared(
    client,
    sql`
      select 1 from ${tableSql(workspace, table)} where ${among(identifier('_id'), [...ids])}
      order by _id for no key update
    `,
    statementEpoch(workspace),
  );
}

/**
 * The statement that works out fields of one table, for the records of a condition on `r._id` or all. For a condition
 * that takes very many, aggregates are better `grouped`. `locks`: the records that aggregate what it changes are locked
 * by it.
 */
export function stepStatement(
  workspace: WorkspaceState,
  table: Table,
  fields: readonly CalculatedField[],
  limit: Sql | null,
  aggregates: 'each' | 'grouped',
  locks = false,
): Statement {
  const dated = fields.some(({ field }) => dependsOnDay(typeAs(field, 'formula').formula));
  const day = dated ? homeOf(workspace, table).day : '';
  const ids = fields.map(({ field }) => field.id);
  const key = [
    'step',
    workspace.key,
    ...(workspace.shadowed ?? []),
    limit?.text,
    aggregates,
    locks,
    day,
    ...ids,
  ].join();
  return written(workspace.model, key, limit?.values ?? [], () => {
    const names = fields.map(({ field }) => identifier(field.key));
    const returned = limit !== null && aggregates === 'each';
    const update = sql`
      update ${tableSql(workspace, table)} t
      set ${join(names.map((name) => sql`${name} = c.${name}`))}
      from (${layersSql(workspace, table, fields, limit, aggregates)}) c
      where t._id = c._id
        and (${join(
          names.map((name) => sql`t.${name} is distinct from c.${name}`),
          ' or ',
        )})
      ${returned ? sql`returning ${join([raw('t._id'), ...columnNames(linksOf(table), 't')])}` : empty}
    `;
    return returned && locks ? withParentsLocked(workspace, table, ids, update) : update;
  });
}

/**
 * How what stands in records is worked out over records `r`: over all there is, and by the day of the workspace whose
 * table has the values.
 */
export function calculating(workspace: WorkspaceState, table: Table, aggregates: 'each' | 'grouped') {
  const { day, zone } = homeOf(workspace, table);
  return {
    model: workspace.model,
    nameOf: (other: Table) => tableName(workspace, other),
    today: `'${day}'::date`,
    zone,
    viewer: noViewer,
    root: 'r',
    aggregates,
  };
}

/** How many records differ in calculated fields of a table from what these come to now, by field. */
export async function differingValues(
  client: Client | Pool,
  workspace: WorkspaceState,
  table: Table,
  fields: readonly CalculatedField[],
): Promise<{ readonly field: Field; readonly count: number }[]> {
  if (fields.length === 0) return [];
  const names = fields.map(({ field }) => identifier(field.key));
  const counts = names.map(
    (name, at) => sql`count(*) filter (where t.${name} is distinct from c.${name})::int as ${raw(`n${at}`)}`,
  );
  const { rows } = await client.query<Record<string, number>>(sql`
    select ${join(counts)} from ${tableSql(workspace, table)} t
    join (${layersSql(workspace, table, fields, null, 'grouped')}) c on c._id = t._id
  `);
  return fields.map(({ field }, at) => ({ field, count: rows[0]?.[`n${at}`] ?? 0 }));
}

/**
 * Calculated fields of rows that are yet to be made, beside the columns that these have already; `from` gives the rows
 * with all columns that the fields read.
 */
export const calculatedOver = (
  workspace: WorkspaceState,
  table: Table,
  fields: readonly CalculatedField[],
  from: Sql,
  given: readonly Field[],
): Sql => layersSql(workspace, table, fields, null, 'grouped', { from: sql`(${from})`, given });

/**
 * The values of fields by `_id`. Each layer is a query over the one before, whose values it reads instead of the stored
 * ones, so that a chain of formulas on one record is worked out and written at once.
 */
function layersSql(
  workspace: WorkspaceState,
  table: Table,
  fields: readonly CalculatedField[],
  limit: Sql | null,
  aggregates: 'each' | 'grouped',
  rows: { readonly from: Sql; readonly given: readonly Field[] } = { from: tableSql(workspace, table), given: [] },
): Sql {
  const options = calculating(workspace, table, aggregates);
  const layers = layersOf(fields);
  let { from } = rows;
  const done: Field[] = [];
  for (const [index, layer] of layers.entries()) {
    const { raw: values, joins } = compileFormulas(
      layer.map(({ field }) => typeAs(field, 'formula').formula),
      options,
    );
    const made = layer.map(
      ({ field }, place) => sql`
      ${raw(values[place] ?? 'null')} as ${identifier(field.key)}
    `,
    );
    const later = layers.slice(index + 1).flat();
    const passed = [...new Set([...rows.given, ...done, ...columnsRead(table, later)])].filter(
      (one) => !layer.some(({ field }) => field.id === one.id),
    );
    // `offset 0` keeps PostgreSQL from writing the expressions out wherever a value is used: each is worked out once.
    const worked = sql`
      select ${join([raw('r._id'), ...columnNames(passed, 'r'), ...made])}
      from ${index === 0 ? from : sql`(${from})`} r ${raw(joins)}
      ${index === 0 && limit !== null ? sql`where ${limit}` : empty}
      offset 0
    `;
    const fits = layer.map(({ field }) => {
      const value = fitted(`q.${quoteIdentifier(field.key)}`, typeAs(field, 'formula').result);
      return sql`${raw(value)} as ${identifier(field.key)}`;
    });
    from = sql`select ${join([raw('q._id'), ...columnNames(passed, 'q'), ...fits])} from (${worked}) q`;
    done.push(...layer.map(({ field }) => field));
  }
  return from;
}

/** The columns of a record that formulas read on the record itself: values, and links on the way to others. */
function columnsRead(table: Table, fields: readonly CalculatedField[]): Field[] {
  const ids = new Set(fields.flatMap(({ on }) => on.map(({ path, field }) => path[0] ?? field)));
  return table.fields.filter((field) => ids.has(field.id) && isStored(field));
}
