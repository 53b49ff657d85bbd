import { isStored, valueTypeOf } from '$core/model/model';
import { tableSql } from '../access/workspaceState';
import { lockedParents, withParentsLocked } from '../calculation/parentLocks';
import { columnNames, fromColumn } from '../sql/column';

import { prepared, statementEpoch } from '../sql/statement';
import { targetsIn, type Recalculation } from '../calculation/effects';
import type { TableEdits, WriteDone } from './edits';
import { join, raw, sql } from '../base/sql';

/** Deletes records; their values go to the history. */
export async function removeRecords(
  { client, workspace, exclusive }: Recalculation,
  { table, remove }: TableEdits,
): Promise<WriteDone> {
  if (remove.length === 0) return { history: [], effects: [] };
  const fields = table.fields.filter((field) => isStored(field) && field.type.kind !== 'formula');
  const changing = table.fields.map(({ id }) => id);
  const removing = sql`
    delete from ${tableSql(workspace, table)} t where _id = any(${remove})
    returning ${join([raw('t._id'), ...columnNames(fields, 't')])}
  `;
  const { rows } = await prepared(
    client,
    exclusive ? removing : withParentsLocked(workspace, table, changing, removing),
    statementEpoch(workspace),
  );
  const targets = targetsIn(table, rows);
  const locked = exclusive ? [] : lockedParents(workspace.model, table, changing, targets);
  const ids = rows.map((row) => row._id as number);
  return {
    history: rows.map((row) => ({
      table: table.id,
      first: row._id as number,
      last: row._id as number,
      kind: 'deleted',
      before: Object.fromEntries(fields.map((field) => [field.id, fromColumn(valueTypeOf(field), row[field.key])])),
      after: null,
    })),
    effects: [{ changed: changing.map((id) => [id, ids] as const), targets, locked }],
  };
}
