import { quoteIdentifier } from '$core/base/sql';
import { fieldOf, tableOf } from '$core/model/model';
import type { PointLinks } from '$core/types/recordChange';
import { tableSql } from '../../access/workspaceState';
import { identifier, join, raw, sql } from '../../base/sql';
import { changedColumns } from '../../sql/column';
import { pairsSql, type SetWork } from './chosen';
import { effectsOfChanged } from './effects';
import { keptJson } from './history';
import { lookAt } from './lookedAt';
import { noMisfits, type SetDone } from './outcome';

const stage = raw('pg_temp._point_links');

/**
 * Points links at what came of the records that they point at. Pairs of a link to many that would stand twice by it are
 * deleted instead.
 */
export async function pointLinks(work: SetWork, change: PointLinks): Promise<SetDone> {
  const { client, access, batch, step, fresh } = work;
  const { model } = access.workspace;
  const table = tableOf(model, change.table);
  const link = fieldOf(model, change.link).field;
  const into = change.into === null ? null : fieldOf(model, change.into).field;
  const name = tableSql(access.workspace, table);
  const column = identifier(link.key);
  const isMoved = into !== null && into.id !== link.id;
  await client.query(sql`drop table if exists ${stage}`);
  await client.query(sql`
    create temp table _point_links on commit drop as
    select t._id as id, t.${column} as was, m.target${isMoved ? sql`, t.${identifier(into.key)} as had` : raw('')}
    from ${name} t
    join ${pairsSql(change.cameOf)} m on m.source = t.${column}
  `);
  await client.query(sql`create unique index on ${stage} (id); analyze ${stage}`);
  const doubled = table.pairs && into?.id === link.id ? await removeDoubled(work, change) : null;
  const { rows } = await client.query<{ n: number }>(sql`select count(*)::int as n from ${stage}`);
  const written = rows[0]?.n ?? 0;
  const fields = [...(change.keeps ? [] : [link]), ...(isMoved ? [into] : [])];
  // What fills a field that was made just now is no change of the record, and goes with the field.
  const isFilled = change.keeps === true && isMoved && fresh?.has(into.id) === true;
  const ids = sql`select id from ${stage}`;
  const before = await effectsOfChanged(work, table, fields, ids, written);
  const lookedAt = await lookAt(work, { table, fields: fields.map(({ id }) => id), changed: ids });
  const set = [
    ...(change.keeps ? [] : [into?.id === link.id ? sql`${column} = s.target` : sql`${column} = null`]),
    ...(isMoved ? [sql`${identifier(into.key)} = s.target`] : []),
    ...(isFilled
      ? []
      : [...changedColumns(table.fields, quoteIdentifier).map((one) => raw(one)), raw('_version = t._version + 1')]),
  ];
  await client.query(sql`update ${name} t set ${join(set)} from ${stage} s where t._id = s.id`);
  if (!isFilled) {
    const value = (id: string, of: string) => sql`${id}::text, ${raw(of)}`;
    const other = isMoved ? [into] : [];
    await client.query(sql`
      insert into loom.history (batch, table_id, first_id, last_id, kind, step, before, after)
      select ${batch}, ${table.id}, s.id, s.id, 'changed', ${step},
        jsonb_build_object(${join([
          ...(change.keeps ? [] : [value(link.id, 's.was')]),
          ...other.map((one) => value(one.id, 's.had')),
        ])}),
        jsonb_build_object(${join([
          ...(change.keeps ? [] : [value(link.id, into?.id === link.id ? 's.target' : 'null::bigint')]),
          ...other.map((one) => value(one.id, 's.target')),
        ])})
      from ${stage} s
    `);
  }
  const after = await effectsOfChanged(work, table, fields, ids, written);
  return {
    effects: [...(doubled?.effects ?? []), ...before.effects, ...after.effects],
    anew: [],
    aside: [],
    counts: {
      chosen: written + (doubled?.count ?? 0),
      written,
      same: doubled?.count ?? 0,
      left: [],
      misfits: noMisfits,
    },
    lookedAt: [...(doubled?.lookedAt ?? []), ...lookedAt],
  };
}

/** Deletes the pairs whose two records are linked already, or by an earlier one of those that change. */
async function removeDoubled(work: SetWork, change: PointLinks) {
  const { client, access, batch, step } = work;
  const table = tableOf(access.workspace.model, change.table);
  const name = tableSql(access.workspace, table);
  const near = fieldOf(access.workspace.model, change.link).field;
  const far = table.fields.find(({ id, type }) => type.kind === 'link' && id !== change.link);
  if (!far) return null;
  const doubled = sql`
    select id from (
      select p._id as id, s.id is not null as changes,
        row_number() over (
          partition by coalesce(s.target, p.${identifier(near.key)}), p.${identifier(far.key)}
          order by s.id is not null, p._id
        ) as n
      from ${name} p left join ${stage} s on s.id = p._id
    ) r
    where r.n > 1 and r.changes
  `;
  const { rows } = await client.query<{ id: number }>(doubled);
  if (rows.length === 0) return null;
  const ids = rows.map(({ id }) => id);
  const gone = sql`select unnest(${ids}::bigint[]) as id`;
  const lookedAt = await lookAt(work, { table, fields: [], removed: gone });
  const { effects } = await effectsOfChanged(work, table, table.fields, gone, ids.length);
  await client.query(sql`
    with gone as (delete from ${name} t where t._id = any(${ids}::bigint[]) returning t.*),
      out as (delete from ${stage} s where s.id = any(${ids}::bigint[]))
    insert into loom.history (batch, table_id, first_id, last_id, kind, step, before)
    select ${batch}, ${table.id}, g._id, g._id, 'deleted', ${step}, ${keptJson(table, 'g')} from gone g
  `);
  return { effects, count: ids.length, lookedAt };
}
