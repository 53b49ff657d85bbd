import { fieldOf, tableOf } from '$core/model/model';
import type { RemoveRecords } from '$core/types/recordChange';
import { tableSql } from '../../access/workspaceState';
import { identifier, join, raw, sql } from '../../base/sql';
import { pairsSql, type SetWork } from './chosen';
import { effectsOfChanged } from './effects';
import { leaveFeedsOf } from './feeds';
import { keptJson } from './history';
import { lookAt } from './lookedAt';
import { noMisfits, type SetDone } from './outcome';

const stage = raw('pg_temp._remove_records');

/** Deletes the records of which others came; their values go to the history. */
export async function removeRecords(work: SetWork, change: RemoveRecords): Promise<SetDone> {
  const { client, access, batch, step } = work;
  const { model, id: home } = access.workspace;
  const table = tableOf(model, change.table);
  const name = tableSql(access.workspace, table);
  const kept = (change.unlessLinkedBy ?? []).map((id) => {
    const { field, table: from } = fieldOf(model, id);
    return sql`not exists (
      select from ${tableSql(access.workspace, from)} x where x.${identifier(field.key)} = m.source
    )`;
  });
  // Of those whose link names one that moves, the links themselves are meant.
  const removed =
    change.by === undefined
      ? pairsSql(change.cameOf)
      : sql`(
          select x._id as source, null::bigint as target
          from ${name} x
          join ${pairsSql(change.cameOf)} p on p.source = x.${identifier(fieldOf(model, change.by).field.key)}
        )`;
  await client.query(sql`drop table if exists ${stage}`);
  await client.query(sql`
    create temp table _remove_records on commit drop as
    select m.source as id, m.target
    from ${removed} m
    ${kept.length > 0 ? sql`where ${join(kept, ' and ')}` : raw('')}
  `);
  await client.query(sql`create unique index on ${stage} (id); analyze ${stage}`);
  const { rows } = await client.query<{ n: number }>(sql`select count(*)::int as n from ${stage}`);
  const ids = sql`select id from ${stage}`;
  const { effects } = await effectsOfChanged(work, table, table.fields, ids, rows[0]?.n ?? 0);
  const fed = await leaveFeedsOf(work, table, ids);
  const lookedAt = await lookAt(work, { table, fields: [], removed: ids });
  const { rowCount } = await client.query(sql`
    with gone as (delete from ${name} t using ${stage} s where t._id = s.id returning t.*)
    insert into loom.history (batch, table_id, first_id, last_id, kind, step, before)
    select ${batch}, ${table.id}, g._id, g._id, 'deleted', ${step}, ${keptJson(table, 'g')} from gone g
  `);
  if (change.joins)
    await client.query(sql`
      insert into loom.moved (batch, from_workspace, from_table, first_id, last_id, to_workspace, to_table, to_id)
      select ${batch}, ${home}, ${table.id}, id, id, ${home}, ${table.id}, target from ${stage}
    `);
  const written = rowCount ?? 0;
  return {
    effects: [...effects, ...fed],
    anew: [],
    aside: [],
    counts: { chosen: rows[0]?.n ?? 0, written, same: 0, left: [], misfits: noMisfits },
    lookedAt,
  };
}
