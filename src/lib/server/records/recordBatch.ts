import { tableName, tableSql, type WorkspaceAccess } from '../access/workspaceAccess';
import { allTaken, type Parents } from '../calculation/parentsToLock';
import { tablesToTell } from '../database/changeEvents';
import type { Client } from '../database/pool';

import { among, prepared, statementEpoch, written, type Statement } from '../sql/statement';
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
  const { workspace } = access;
  const { rows } = await prepared(
    client,
    batchStatement(access, info, history, tables, parents),
    parents.length > 0 ? statementEpoch(workspace) : '',
  );
  return rows[0]?.id as number;
}

function batchStatement(
  { workspace, person, call }: WorkspaceAccess,
  info: BatchInfo,
  history: readonly HistoryRow[],
  tables: readonly string[],
  parents: readonly Parents[],
): Statement {
  const batch = [
    workspace.id,
    person.id,
    info.kind,
    info.title,
    json(info.changes),
    json(info.inverse),
    info.changes ? workspace.version : null,
    call?.key ?? null,
  ];
  const column = (pick: (row: HistoryRow) => unknown) => history.map(pick);
  const rows = [
    column(({ table }) => table),
    column(({ first }) => first),
    column(({ last }) => last),
    column(({ kind }) => kind),
    column(({ before }) => json(before)),
    column(({ after }) => json(after)),
  ];
  const undoes = info.undoes === undefined ? [] : [info.undoes];
  const locked = parents.map(({ table, ids }) => ({ table, where: among(identifier('_id'), ids) }));
  const told = [tablesToTell(tables), workspace.id, workspace.peers.map(({ id }) => id)];
  const values = [...batch, ...rows, ...undoes, ...locked.flatMap(({ where }) => where.values), ...told];
  const places = locked.map(({ table, where }) => `${tableName(workspace, table)} ${where.text}`);
  return written(workspace.model, ['batch', undoes.length, ...places].join(), values, () => {
    const types = ['text[]', 'bigint[]', 'bigint[]', 'text[]', 'jsonb[]', 'jsonb[]'];
    const [workspaceId, personId, ...others] = batch;
    const [tablesTold, own, peers] = told;
    const locks = locked.map(
      ({ table, where }, index) => sql`, ${raw(`k${index}`)} as (
        select 1 from ${tableSql(workspace, table)} where ${where} order by _id for no key update
      )`,
    );
    return sql`
      with b as (
        insert into loom.batches (workspace, person, kind, title, changes, inverse, version, call)
        values (${workspaceId}, nullif(${personId}::int, 0), ${join(others)})
        returning id
      ), h as (
        insert into loom.history (batch, table_id, first_id, last_id, kind, before, after)
        select b.id, h.* from b, unnest(${join(rows.map((row, index) => sql`${row}::${raw(types[index] ?? '')}`))}) h
      )
      ${undoes.length > 0 ? sql`, u as (update loom.batches set undone_by = b.id from b where loom.batches.id = ${undoes[0]})` : empty}
      ${locks.length > 0 ? join(locks, '') : empty}
      select b.id, pg_notify('loom', json_build_object(
        'workspace', w, 'batch', b.id, 'tables', ${tablesTold}::text[]
      )::text)
      from b, unnest(${own}::int || ${peers}::int[]) w
      ${locks.length > 0 ? sql`where ${allTaken(locks.map((_, index) => `k${index}`))}` : empty}
    `;
  });
}
