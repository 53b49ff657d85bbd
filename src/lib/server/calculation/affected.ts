import type { Dependency } from '$core/flow/dependencies';
import type { FieldId } from '$core/model/identity';
import { fieldOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/sql';
import { tableName } from '../access/seat';
import { statementEpoch, prepared, withIds } from '../sql/statement';
import { mostLimited, type Ids, type Recalculation } from './changedValues';

/** The records whose value may differ, by one of the things it comes from, given what changed. */
export async function affectedOver(
  run: Recalculation,
  { path, field }: Dependency,
  changed: Ids = run.changed.of(field),
): Promise<Ids> {
  let ids = changed;
  for (const step of path.toReversed()) ids = await stepBack(run, step, ids);
  return ids;
}

/** The records whose value of a calculated field may differ, given what changed. */
export async function affectedRecords(run: Recalculation, table: Table, on: readonly Dependency[]): Promise<Ids> {
  const affected = new Set<number>(run.changed.madeIn(table));
  for (const dependency of on) {
    if (!run.changed.has(dependency.field)) continue;
    const ids = await affectedOver(run, dependency);
    if (ids === 'all') return 'all';
    for (const id of ids) affected.add(id);
  }
  return affected;
}

/**
 * From records at the end of a step to those at its beginning. Records that are passed are locked (see withWorkspace).
 */
async function stepBack(run: Recalculation, step: FieldId, ids: Ids): Promise<Ids> {
  if (ids === 'all' || ids.size === 0) return ids;
  const { model } = run.workspace;
  const { field, table } = fieldOf(model, step);
  if (field.type.kind === 'counterpart') {
    const link = field.type.link;
    const back = new Set<number>();
    const unknown = [...ids].filter((id) => {
      const known = run.changed.targetsOf(link, id);
      known?.forEach((target) => back.add(target));
      return known === undefined;
    });
    if (unknown.length > 0) {
      const from = fieldOf(model, link);
      const rows = await lockLinks(run, from.table, '_id', unknown);
      rows.forEach((row) => typeof row[from.field.key] === 'number' && back.add(row[from.field.key] as number));
    }
    return back.size > mostLimited ? 'all' : back;
  }
  const rows = await lockLinks(run, table, quoteIdentifier(field.key), [...ids]);
  return rows.length > mostLimited ? 'all' : new Set(rows.map((row) => row._id as number));
}

export const linksOf = (table: Table): readonly Field[] => table.fields.filter(({ type }) => type.kind === 'link');

/** Reads and locks records with their links, and remembers where those lead. */
async function lockLinks(
  run: Recalculation,
  table: Table,
  column: string,
  ids: readonly number[],
): Promise<Record<string, unknown>[]> {
  const links = linksOf(table);
  const columns = ['_id', ...links.map(({ key }) => quoteIdentifier(key))].join(', ');
  const lock = run.whole ? '' : ' order by _id for no key update';
  const { where, parameter } = withIds(column, ids);
  const { rows } = await prepared(
    run.client,
    `select ${columns} from ${tableName(run.workspace, table)} where ${where}${lock}`,
    [parameter],
    statementEpoch(run.workspace),
  );
  for (const row of rows)
    for (const link of links) run.changed.addTarget(link.id, row._id as number, row[link.key] as number | null);
  return rows;
}
