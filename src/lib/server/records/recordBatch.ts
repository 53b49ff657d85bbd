import { tableSql, type WorkspaceAccess } from '../access/workspaceAccess';
import { allTaken, type Parents } from '../calculation/parentsToLock';
import { tablesToTell } from '../database/changeEvents';
import type { Client } from '../database/pool';

import { among, prepared, statementEpoch } from '../sql/statement';
import type { BatchInfo, HistoryRow } from './edits';
import { empty, identifier, join, raw, sql } from '../base/sql';

const json = (value: unknown): string | null => (value === null || value === undefined ? null : JSON.stringify(value));

/**
 * Writes a batch with its history, tells open pages of it, and locks the records that aggregate what changed, in one
 * statement. Returns the batch's id.
 */
export async function recordBatch(
  { client, access }: { readonly client: Client; readonly access: WorkspaceAccess },
  info: BatchInfo,
  history: readonly HistoryRow[],
  tables: readonly string[],
  parents: readonly Parents[] = [],
): Promise<number> {
  const { workspace, person, call } = access;
  const column = (pick: (row: HistoryRow) => unknown) => history.map(pick);
  const locks = parents.map(
    ({ table, ids }, index) => sql`, ${raw(`k${index}`)} as (
      select 1 from ${tableSql(workspace, table)} where ${among(identifier('_id'), ids)}
      order by _id for no key update
    )`,
  );
  const undone =
    info.undoes === undefined
      ? empty
      : sql`, u as (update loom.batches set undone_by = b.id from b where loom.batches.id = ${info.undoes})`;
  const { rows } = await prepared(
    client,
    sql`
      with b as (
        insert into loom.batches (workspace, person, kind, title, changes, inverse, version, call)
        values (
          ${workspace.id}, nullif(${person.id}::int, 0), ${info.kind}, ${info.title}, ${json(info.changes)},
          ${json(info.inverse)}, ${info.changes ? workspace.version : null}, ${call ?? null}
        )
        returning id
      ), h as (
        insert into loom.history (batch, table_id, first_id, last_id, kind, before, after)
        select b.id, h.* from b, unnest(
          ${column(({ table }) => table)}::text[], ${column(({ first }) => first)}::bigint[],
          ${column(({ last }) => last)}::bigint[], ${column(({ kind }) => kind)}::text[],
          ${column(({ before }) => json(before))}::jsonb[], ${column(({ after }) => json(after))}::jsonb[]
        ) h
      )${undone}${locks.length > 0 ? join(locks, '') : empty}
      select b.id, pg_notify('loom', json_build_object(
        'workspace', w, 'batch', b.id, 'tables', ${tablesToTell(tables)}::text[]
      )::text)
      from b, unnest(${workspace.id}::int || ${workspace.peers.map(({ id }) => id)}::int[]) w
      ${locks.length > 0 ? sql`where ${allTaken(locks.map((_, index) => `k${index}`))}` : empty}
    `,
    parents.length > 0 ? statementEpoch(workspace) : '',
  );
  return rows[0]?.id as number;
}
