import { findTable } from '$core/model/model';
import type { Table } from '$core/types/model';
import { authorize, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { Refusal } from '../base/refusal';
import { raw, sql } from '../base/sql';
import type { Client, Pool } from '../database/pool';

/** A record by its workspace, its table and its number there. */
export interface RecordPlace {
  readonly workspace: number;
  readonly table: string;
  readonly id: number;
}

/** A record moves so often at most before nobody follows any more. */
const mostMoves = 30;

/** Where a record of a table went, step by step, or where it came from; what was undone counts no more. */
async function steps(
  connection: Pool | Client,
  table: string,
  id: number,
  way: 'on' | 'back',
): Promise<readonly RecordPlace[]> {
  const [of, to] =
    way === 'on'
      ? [
          'm.from_table = w.table_id and w.id between m.first_id and m.last_id',
          'm.to_workspace, m.to_table, m.to_id + w.id - m.first_id',
        ]
      : [
          'm.to_table = w.table_id and w.id between m.to_id and m.to_id + m.last_id - m.first_id',
          'm.from_workspace, m.from_table, m.first_id + w.id - m.to_id',
        ];
  const { rows } = await connection.query<RecordPlace>(sql`
    with recursive way(workspace, table_id, id, n) as (
      select 0, ${table}::text, ${id}::bigint, 0
      union all
      select s.*, w.n + 1
      from way w
      cross join lateral (
        select ${raw(to)}
        from loom.moved m
        join loom.batches b on b.id = m.batch and b.undone_by is null
        where ${raw(of)}
        order by m.batch ${raw(way === 'on' ? 'desc' : 'asc')} limit 1
      ) s
      where w.n < ${mostMoves}
    )
    select workspace, table_id as table, id from way where n > 0 order by n
  `);
  return rows;
}

/** What a record was before it was moved, the latest first. */
export const cameFrom = (connection: Pool | Client, table: Table, id: number): Promise<readonly RecordPlace[]> =>
  steps(connection, table.id, id, 'back');

/** Where a record that is no longer in its table is now, as far as whoever asks may see it there. */
export async function wentTo(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  id: number,
): Promise<{ readonly workspace: string; readonly table: string; readonly id: number } | null> {
  const last = (await steps(connection, table.id, id, 'on')).at(-1);
  if (!last) return null;
  const there =
    last.workspace === access.workspace.id
      ? access
      : await authorize(connection, access.person, String(last.workspace), 'see').catch((error: unknown) => {
          if (error instanceof Refusal) return null;
          throw error;
        });
  const target = there && findTable(there.workspace.model, last.table);
  if (!there || !target || target.home !== undefined) return null;
  const { rowCount } = await connection.query(
    sql`select from ${tableSql(there.workspace, target)} r where r._id = ${last.id}`,
  );
  return rowCount === 1 ? { workspace: there.workspace.key, table: target.key, id: last.id } : null;
}
