import type { FieldId } from '$core/types/identity';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client } from '../database/pool';
import { sql } from '../base/sql';

/** A value that did not fit, with its record and the reason. */
export interface SetAsideRow {
  readonly table: string;
  readonly record: number;
  readonly field: FieldId;
  readonly text: string;
  readonly reason: string;
}

/** Keeps values with their record and reason until they are repaired. */
export async function keepAside(
  client: Client,
  access: WorkspaceAccess,
  rows: readonly SetAsideRow[],
  batch: number,
): Promise<void> {
  if (rows.length === 0) return;
  const column = (name: keyof SetAsideRow) => rows.map((row) => row[name]);
  await client.query(
    sql`
      insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
      select ${access.workspace.id}, ${batch}, *
      from unnest(
        ${column('table')}::text[], ${column('record')}::bigint[], ${column('field')}::text[],
          ${column('text')}::text[], ${column('reason')}::text[]
      )
    `,
  );
}
