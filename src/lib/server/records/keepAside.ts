import type { FieldId } from '$core/types/identity';
import { tableOf } from '$core/model/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { sql } from '../base/sql';

/** A value that did not fit, with its record and the reason. */
export interface SetAsideRow {
  readonly table: string;
  readonly record: number;
  /** The record it was worked out from, where that is another one. */
  readonly source?: number;
  readonly field: FieldId;
  readonly text: string;
  readonly reason: string;
}

/** Keeps values with their record and reason until they are repaired, each in the workspace of its record. */
export async function keepAside(
  client: Client,
  access: WorkspaceAccess,
  rows: readonly SetAsideRow[],
  batch: number,
): Promise<void> {
  if (rows.length === 0) return;
  const { model } = access.workspace;
  const column = (name: keyof SetAsideRow) => rows.map((row) => row[name]);
  await client.query(
    sql`
      insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
      select home, ${batch}, table_id, record, field, text, reason
      from unnest(
        ${rows.map(({ table }) => homeOf(access.workspace, tableOf(model, table)).id)}::integer[], ${column('table')}::text[], ${column('record')}::bigint[], ${column('field')}::text[],
          ${column('text')}::text[], ${column('reason')}::text[]
      ) u(home, table_id, record, field, text, reason)
    `,
  );
}
