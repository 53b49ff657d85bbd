import type { FieldId } from '$core/model/identity';
import type { Seat } from '../access/seat';
import type { Client } from '../database/pool';

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
  seat: Seat,
  rows: readonly SetAsideRow[],
  batch: number,
): Promise<void> {
  if (rows.length === 0) return;
  const column = (name: keyof SetAsideRow) => rows.map((row) => row[name]);
  await client.query(
    `insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
     select $1, $2, * from unnest($3::text[], $4::bigint[], $5::text[], $6::text[], $7::text[])`,
    [seat.workspace.id, batch, column('table'), column('record'), column('field'), column('text'), column('reason')],
  );
}
