import { ownTables } from '$core/model/model';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { join, raw, sql, type Sql } from '../base/sql';

/**
 * What is set aside of what somebody sees, as a condition on `open_set_aside`: in fields that they see, and on records
 * that they see.
 */
export function asideSeen({ workspace, whole }: WorkspaceAccess): Sql {
  if (workspace === whole) return raw('true');
  const tables = ownTables(workspace.model);
  const ofRecords = tables
    .filter(({ id }) => workspace.cuts?.of.has(id))
    .map(
      (table) => sql`
        (
          table_id <> ${table.id}
          or exists (select from ${tableSql(workspace, table)} s where s._id = open_set_aside.record_id)
        )
      `,
    );
  const fields = tables.flatMap((table) => table.fields.map(({ id }) => id));
  return join([sql`field_id = any(${fields})`, ...ofRecords], ' and ');
}
