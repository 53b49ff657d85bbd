import type { WorkspaceAccess } from '../access/workspaceAccess';
import { allTaken } from '../calculation/parentLocks';
import { tablesToTell } from '../database/changeEvents';
import type { Client } from '../database/pool';
import { prepared, statementEpoch, written, type Row } from '../sql/statement';
import type { BatchInfo, HistoryRow } from './edits';
import type { Table } from '$core/types/model';
import { empty, join, raw, sql, type Sql } from '../base/sql';
import { runsSql, runsValues } from './routines/runsSql';

/** A batch that was begun before is said whole now. */
const begun = raw(
  `on conflict (id) do update set (person, kind, title, changes, inverse, version, call, private_to) = (
     select excluded.person, excluded.kind, excluded.title, excluded.changes, excluded.inverse, excluded.version,
       excluded.call, excluded.private_to
   )`,
);

const json = (value: unknown): string | null => (value === null || value === undefined ? null : JSON.stringify(value));

/** Writes a batch with its history, tells open pages of it, and reads what is answered, in one statement. */
export async function recordBatch(
  { client, access }: { readonly client: Client; readonly access: WorkspaceAccess },
  info: BatchInfo,
  history: readonly HistoryRow[],
  tables: readonly string[],
  answer: Sql | null = null,
): Promise<{ readonly batch: number; readonly rows: readonly Row[] }> {
  const { rows } = await prepared(
    client,
    batchStatement(access, info, history, tables, answer),
    answer ? statementEpoch(access.workspace) : '',
  );
  return { batch: rows[0]?.batch as number, rows: rows.filter(({ _id }) => typeof _id === 'number') };
}

function batchStatement(
  { workspace, person, call }: WorkspaceAccess,
  info: BatchInfo,
  history: readonly HistoryRow[],
  tables: readonly string[],
  answer: Sql | null,
): Sql {
  const concerned = new Set(history.map(({ table }) => table));
  for (const change of info.changes ?? [])
    concerned.add(change.do === 'addTable' ? change.table.id : (change.table ?? ''));
  const isPrivate = ({ id, privateTo }: Table) => privateTo === person.id && concerned.has(id);
  const gone = (info.inverse ?? []).flatMap((change) => (change.do === 'addTable' ? [change.table] : []));
  const batch = [
    workspace.id,
    person.id,
    info.kind,
    info.title,
    json(info.changes),
    json(info.inverse),
    info.changes ? workspace.version : null,
    call?.key ?? null,
    [...workspace.model.tables, ...gone].some(isPrivate) ? person.id : null,
    ...(info.id === undefined ? [] : [info.id]),
  ];
  const column = (pick: (row: HistoryRow) => unknown) => history.map(pick);
  const rows = [
    column(({ table }) => table),
    column(({ first }) => first),
    column(({ last }) => last),
    column(({ kind }) => kind),
    column(({ before }) => json(before)),
    column(({ after }) => json(after)),
    column(({ step = 0 }) => step),
    column(({ routine = null }) => routine),
  ];
  const undoes = info.undoes === undefined ? [] : [info.undoes];
  const runs = info.runs?.length ? runsValues({ workspace, person }, info.runs) : [];
  const told = [tablesToTell(tables), workspace.id, workspace.peers.map(({ id }) => id)];
  const values = [...batch, ...rows, ...undoes, ...runs, ...told, ...(answer?.values ?? [])];
  return written(
    workspace.model,
    `batch ${batch.length} ${undoes.length} ${runs.length} ${answer?.text ?? ''}`,
    values,
    () => {
      const types = ['text[]', 'bigint[]', 'bigint[]', 'text[]', 'jsonb[]', 'jsonb[]', 'smallint[]', 'text[]'];
      const [workspaceId, personId, ...others] = batch;
      const id = info.id === undefined ? empty : sql`, id`;
      const [tablesTold, own, peers] = told;
      return sql`
      with b as (
        insert into loom.batches (workspace, person, kind, title, changes, inverse, version, call, private_to${id})
        values (${workspaceId}, nullif(${personId}::int, 0), ${join(others)})
        ${info.id === undefined ? empty : begun}
        returning id
      ), h as (
        insert into loom.history (batch, table_id, first_id, last_id, kind, before, after, step, routine)
        select b.id, h.* from b, unnest(${join(rows.map((row, index) => sql`${row}::${raw(types[index] ?? '')}`))}) h
      )
      ${undoes.length > 0 ? sql`, u as (update loom.batches set undone_by = b.id from b where loom.batches.id = ${undoes[0]})` : empty}
      ${runs.length > 0 ? sql`, g as (${runsSql(runs, raw('b.id'), raw('b,'))})` : empty}
      , n as (
        select loom.tell('', json_build_object('workspace', w, 'batch', b.id, 'tables', ${tablesTold}::text[])::text)
        from b, unnest(${own}::int || ${peers}::int[]) w
      )
      select b.id as batch ${answer ? sql`, r.*` : empty}
      from b ${answer ? sql`left join (${answer}) r on true` : empty}
      where ${allTaken(['n'])}
    `;
    },
  );
}
