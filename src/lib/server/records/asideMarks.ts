import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import type { RecordOut } from '../query/recordJson';
import { sql } from '../base/sql';

/** Records with what is set aside in their blank fields, by key: the text that did not fit, and why. */
export async function withAside(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  records: readonly RecordOut[],
): Promise<readonly RecordOut[]> {
  if (records.length === 0) return records;
  const { rows } = await connection.query<{ record: number; field: string; text: string; reason: string }>(
    sql`
      select record_id as record, field_id as field, text, reason
      from loom.open_set_aside
      where workspace = ${access.workspace.id} and table_id = ${table.id}
        and record_id = any(${records.map(({ id }) => id)})
      order by id
    `,
  );
  if (rows.length === 0) return records;
  const keys = new Map(table.fields.map(({ id, key }) => [id, key]));
  const found = new Map<number, Record<string, { text: string; reason: string }>>();
  for (const { record, field, text, reason } of rows) {
    const key = keys.get(field);
    if (key !== undefined) found.set(record, { ...found.get(record), [key]: { text, reason } });
  }
  return records.map((record) => {
    const aside = found.get(record.id);
    return aside ? { ...record, aside } : record;
  });
}
