import { fieldOf, overOf, typeAs } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { seeing } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import type { Writing } from './applyEdits';
import type { TableEdits } from './edits';
import { identifier, sql } from '../base/sql';

/** The targets that links to many of one record shall have. */
export interface WantedPairs {
  readonly record: number;
  readonly isNew: boolean;
  readonly pairs: ReadonlyMap<Field, readonly number[]>;
}

/**
 * The edits of the tables of pairs that bring records to the targets wanted: what is missing is added, the rest goes.
 */
export async function pairEdits({ client, access }: Writing, wanted: readonly WantedPairs[]): Promise<TableEdits[]> {
  const { model } = access.workspace;
  const byField = new Map<Field, { record: number; isNew: boolean; targets: readonly number[] }[]>();
  for (const { record, isNew, pairs } of wanted)
    for (const [field, targets] of pairs)
      byField.set(field, [...(byField.get(field) ?? []), { record, isNew, targets }]);
  const byTable = new Map<Table, { insert: TableEdits['insert'][number][]; remove: number[] }>();
  for (const [field, records] of byField) {
    const { field: near, table } = fieldOf(model, typeAs(field, 'counterpart').link);
    const { field: far } = fieldOf(model, overOf(field) ?? '');
    const { rows } = await client.query<{ id: number; record: number; target: number }>(
      sql`
        select _id as id, ${identifier(near.key)} as record, ${identifier(far.key)} as target
        from ${tableSql(seeing(access).workspace, table)} q
        where ${identifier(near.key)} = any(
          ${records.filter(({ isNew }) => !isNew).map(({ record }) => record)}
        )
        order by _id
        for no key update
      `,
    );
    const edits = byTable.get(table) ?? { insert: [], remove: [] };
    byTable.set(table, edits);
    for (const { record, targets } of records) {
      const standing = rows.filter((row) => row.record === record);
      const have = new Set(standing.map(({ target }) => target));
      for (const target of targets)
        if (!have.has(target))
          edits.insert.push({
            values: new Map([
              [near.id, record],
              [far.id, target],
            ]),
          });
      edits.remove.push(...standing.filter(({ target }) => !targets.includes(target)).map(({ id }) => id));
    }
  }
  return [...byTable]
    .map(([table, edits]) => ({ table, update: [], ...edits }))
    .filter(({ insert, remove }) => insert.length + remove.length > 0);
}
