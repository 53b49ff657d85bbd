import { dependsOnDay } from '$core/flow/dependencies';
import { layersOf, type CalculatedField } from '$core/flow/graph';
import { compileFormulas, fitted } from '$core/formula/compiler';
import { isStored, typeAs } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/sql';
import { homeOf, tableName, type WorkspaceState } from '../access/seat';
import { statementEpoch, prepared, withIds } from '../sql/statement';
import { linksOf } from './affected';
import type { Ids, Recalculation } from './changedValues';
import { areLocked, lockedNext, withNextLocked } from './nextLocks';

/** One statement for all affected fields of a table at one depth; which records differed. */
export async function recalculateStep(
  run: Recalculation,
  table: Table,
  fields: readonly CalculatedField[],
  ids: Ids,
): Promise<Ids> {
  const { client, workspace, changed } = run;
  const name = tableName(workspace, table);
  const limit = ids === 'all' ? null : withIds('_id', [...ids]);
  const limited = limit !== null;
  const parameters = limit ? [limit.parameter] : [];
  const locked = run.whole || (ids !== 'all' && areLocked(run, table, ids));
  // Records that aggregate are locked in a statement of their own first: the one that aggregates then sees what the
  // holder of the lock committed. Without it, two people editing two children would each sum without the other.
  if (limit && !locked && fields.some(({ on }) => on.some(({ path }) => path.length > 0)))
    await prepared(
      client,
      `select 1 from ${name} where ${limit.where} order by _id for no key update`,
      parameters,
      statementEpoch(workspace),
    );
  const { rowCount, rows } = await prepared(
    client,
    stepStatement(run.workspace, table, fields, limit && limit.where, limited ? 'each' : 'grouped', !run.whole),
    parameters,
    statementEpoch(workspace),
  );
  if (rowCount === 0) return new Set();
  const links = linksOf(table);
  // Rows come back only while they are few: a step over the whole table is followed by steps over whole tables.
  const differed: Ids = limited ? new Set(rows.map((row) => row._id as number)) : 'all';
  for (const row of rows)
    for (const link of links) changed.addTarget(link.id, row._id as number, row[link.key] as number | null);
  if (limited && !run.whole)
    for (const { link, target } of lockedNext(
      workspace.model,
      table,
      fields.map(({ field }) => field.id),
    ))
      changed.addLocked(
        target.id,
        rows.flatMap((row) => (typeof row[link.key] === 'number' ? [row[link.key] as number] : [])),
      );
  for (const { field } of fields) changed.add(field.id, differed);
  return differed;
}

const statements = new WeakMap<Model, Map<string, string>>();

/**
 * The statement that works out fields of one table, for the records of a condition on `_id` or all; kept for as long as
 * the model is. For a condition that takes very many, aggregates are better `grouped`.
 */
export function stepStatement(
  workspace: WorkspaceState,
  table: Table,
  fields: readonly CalculatedField[],
  limit: string | null,
  aggregates: 'each' | 'grouped' = limit === null ? 'grouped' : 'each',
  locks = false,
): string {
  const kept = statements.get(workspace.model) ?? new Map<string, string>();
  statements.set(workspace.model, kept);
  const { day } = homeOf(workspace, table);
  const dated = fields.some(({ field }) => dependsOnDay(typeAs(field, 'formula').formula));
  const limited = limit !== null;
  const key = [
    workspace.key,
    ...(workspace.beside ?? []),
    limit,
    aggregates,
    locks,
    dated ? day : '',
    ...fields.map(({ field }) => field.id),
  ].join();
  const known = kept.get(key);
  if (known) return known;
  const name = tableName(workspace, table);
  const columns = fields.map(({ field }) => quoteIdentifier(field.key));
  const returned =
    limited && aggregates === 'each'
      ? ` returning t._id${linksOf(table)
          .map((link) => `, t.${quoteIdentifier(link.key)}`)
          .join('')}`
      : '';
  const update =
    `update ${name} t set ${columns.map((column) => `${column} = c.${column}`).join(', ')} ` +
    `from (${layersSql(workspace, table, fields, limit, aggregates)}) c ` +
    `where t._id = c._id and (${columns.map((column) => `t.${column} is distinct from c.${column}`).join(' or ')})${returned}`;
  const statement =
    returned !== '' && locks
      ? withNextLocked(
          workspace,
          table,
          fields.map(({ field }) => field.id),
          update,
        )
      : update;
  kept.set(key, statement);
  return statement;
}

/**
 * The values of fields by `_id`. Each layer is a query over the one before, whose values it reads instead of the stored
 * ones, so that a chain of formulas on one record is worked out and written at once.
 */
function layersSql(
  workspace: WorkspaceState,
  table: Table,
  fields: readonly CalculatedField[],
  limit: string | null,
  aggregates: 'each' | 'grouped',
): string {
  const { day, zone } = homeOf(workspace, table);
  const layers = layersOf(fields);
  let from = tableName(workspace, table);
  const done: Field[] = [];
  for (const [index, layer] of layers.entries()) {
    const formulas = layer.map(({ field }) => typeAs(field, 'formula').formula);
    const options = {
      model: workspace.model,
      nameOf: (other: Table) => tableName(workspace, other),
      today: `'${day}'::date`,
      zone,
      root: 'r',
      aggregates,
    };
    const { raw, joins } = compileFormulas(formulas, options);
    const made = layer.map(({ field }, place) => `${raw[place] ?? 'null'} as ${quoteIdentifier(field.key)}`);
    const later = layers.slice(index + 1).flat();
    const passed = [...new Set([...done, ...columnsRead(table, later)])].filter(
      (one) => !layer.some(({ field }) => field.id === one.id),
    );
    const picked = ['r._id', ...passed.map(({ key }) => `r.${quoteIdentifier(key)}`), ...made];
    const where = index === 0 && limit !== null ? ` where r.${limit}` : '';
    // `offset 0` keeps PostgreSQL from writing the expressions out wherever a value is used: each is worked out once.
    const worked = `select ${picked.join(', ')} from ${index === 0 ? from : `(${from})`} r ${joins}${where} offset 0`;
    const fits = layer.map(
      ({ field }) =>
        `${fitted(`q.${quoteIdentifier(field.key)}`, typeAs(field, 'formula').result)} as ${quoteIdentifier(field.key)}`,
    );
    from = `select ${['q._id', ...passed.map(({ key }) => `q.${quoteIdentifier(key)}`), ...fits].join(', ')} from (${worked}) q`;
    done.push(...layer.map(({ field }) => field));
  }
  return from;
}

/** The columns of a record that formulas read on the record itself: values, and links on the way to others. */
function columnsRead(table: Table, fields: readonly CalculatedField[]): Field[] {
  const ids = new Set(fields.flatMap(({ on }) => on.map(({ path, field }) => path[0] ?? field)));
  return table.fields.filter((field) => ids.has(field.id) && isStored(field));
}
