import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import { sql, type Sql } from '../../base/sql';
import type { TableEdits } from '../edits';
import { hasRulesLookedAt } from '../rules';
import { isKeptFromSome, requireEditable } from '../writeRights';
import type { SetWork } from './chosen';

/** Records that a set writes, as edits, for those who look at records one by one: rights, and rules that PostgreSQL does not hold. */
export interface LookedAt {
  readonly edit: TableEdits;
  /** The numbers of those that are made. */
  readonly inserted: readonly number[];
}

/** Which records of a table are written: each part gives their numbers in one column, `id`. */
export interface WrittenSet {
  readonly table: Table;
  readonly fields: readonly FieldId[];
  readonly made?: Sql;
  readonly changed?: Sql;
  readonly removed?: Sql;
}

/**
 * Refuses what the person's rights do not allow, before it is written, and gives what is to be looked at afterwards.
 * Nothing is read where nobody looks, which is the rule: administrators, and tables whose rules PostgreSQL holds.
 */
export async function lookAt(
  work: SetWork,
  { table, fields, made, changed, removed }: WrittenSet,
): Promise<LookedAt[]> {
  const { client, access } = work;
  const isRestricted = isKeptFromSome(access, table);
  if (!isRestricted && !hasRulesLookedAt(access.workspace.model, table)) return [];
  const idsOf = async (select?: Sql): Promise<number[]> =>
    select
      ? (await client.query<{ id: number }>(sql`select id from (${select}) i order by id`)).rows.map(({ id }) => id)
      : [];
  const [inserted, updated, gone] = [await idsOf(made), await idsOf(changed), await idsOf(removed)];
  const values = new Map(fields.map((id) => [id, null] as const));
  const edit: TableEdits = {
    table,
    insert: inserted.map(() => ({ values })),
    update: updated.map((id) => ({ id, values })),
    remove: gone,
  };
  if (isRestricted) await requireEditable(client, access, [edit]);
  return [{ edit, inserted }];
}
