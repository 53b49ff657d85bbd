import type { Dependency } from '$core/flow/dependencies';
import type { FieldId } from '$core/types/identity';
import { fieldOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import { tableSql } from '../access/workspaceState';
import { among, prepared, statementEpoch, type Row } from '../sql/statement';
import { mostLimited, type Effects, type Ids, type Known, type Recalculation, linksOf, targetsIn } from './effects';
import { empty, identifier, join, sql } from '../base/sql';

/** Records that may differ, and what was read and locked on the way to them. */
export interface Affected {
  readonly ids: Ids;
  readonly effects: readonly Effects[];
}

/** The records whose value may differ, by one of the things it comes from, given what changed. */
export async function affectedOver(
  run: Recalculation,
  known: Known,
  { path, field }: Dependency,
  changed: Ids = known.of(field),
): Promise<Affected> {
  let ids = changed;
  const effects: Effects[] = [];
  for (const step of path.toReversed()) {
    if (ids === 'all' || ids.size === 0) break;
    const back = await stepBack(run, known, step, ids);
    effects.push(...back.effects);
    ids = back.ids;
  }
  return { ids, effects };
}

/** The records whose value of a calculated field may differ, given what changed. */
export async function affectedRecords(
  run: Recalculation,
  known: Known,
  table: Table,
  on: readonly Dependency[],
): Promise<Affected> {
  const affected = new Set<number>(known.madeIn(table.id));
  const effects: Effects[] = [];
  for (const dependency of on) {
    if (!known.has(dependency.field)) continue;
    const over = await affectedOver(run, known, dependency);
    effects.push(...over.effects);
    if (over.ids === 'all') return { ids: 'all', effects };
    for (const id of over.ids) affected.add(id);
  }
  return { ids: affected, effects };
}

/** From records at the end of a step to those at its beginning. Records that are passed are locked (lock.ts). */
async function stepBack(run: Recalculation, known: Known, step: FieldId, ids: ReadonlySet<number>): Promise<Affected> {
  const { model } = run.workspace;
  const { field, table } = fieldOf(model, step);
  if (field.type.kind !== 'counterpart') {
    const { rows, effects } = await lockLinks(run, table, field.key, [...ids]);
    return { ids: rows.length > mostLimited ? 'all' : new Set(rows.map((row) => row._id as number)), effects };
  }
  const link = field.type.link;
  const targets = [...ids].map((id) => [id, known.targetsOf(link, id)] as const);
  const back = new Set(targets.flatMap(([, known]) => [...(known ?? [])]));
  const unknown = targets.flatMap(([id, known]) => (known === undefined ? [id] : []));
  const from = fieldOf(model, link);
  const { rows, effects } =
    unknown.length > 0 ? await lockLinks(run, from.table, '_id', unknown) : { rows: [], effects: [] };
  for (const row of rows) if (typeof row[from.field.key] === 'number') back.add(row[from.field.key] as number);
  return { ids: back.size > mostLimited ? 'all' : back, effects };
}

/** Reads and locks the records that have one of these ids in a column, with their links. */
async function lockLinks(
  run: Recalculation,
  table: Table,
  column: string,
  ids: readonly number[],
): Promise<{ readonly rows: readonly Row[]; readonly effects: readonly Effects[] }> {
  const columns = ['_id', ...linksOf(table).map(({ key }) => key)].map(identifier);
  const { rows } = await prepared(
    run.client,
    sql`
      select ${join(columns)} from ${tableSql(run.workspace, table)} where ${among(identifier(column), ids)}
      ${run.exclusive ? empty : sql`order by _id for no key update`}
    `,
    statementEpoch(run.workspace),
  );
  const locked = run.exclusive ? [] : [[table.id, rows.map((row) => row._id as number)] as const];
  return { rows, effects: [{ targets: targetsIn(table, rows), locked }] };
}
