import { quoteIdentifier, quoteText } from '$core/base/sql';
import { findTable, isFed, isStored } from '$core/model/model';
import type { FieldId } from '$core/types/identity';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableSql } from '../../access/workspaceState';
import { identifier, join, raw, sql, type Sql } from '../../base/sql';
import { refuse } from '../../base/refusal';
import type { Effects } from '../../calculation/effects';
import { seesRecordsOf } from '../../query/seenTitles';
import { titleSql } from '../../query/selection';
import { changedColumns, valueFromJsonSql } from '../../sql/column';
import { defaultsOf } from '../insertRecords';
import type { SetWork } from './chosen';
import { effectsOfChanged, effectsOfMade, keepEstimates } from './effects';
import { leaveFeedsOf } from './feeds';
import { keptJson } from './history';
import { lookAt, type LookedAt } from './lookedAt';
import { moveApart } from './moveApart';
import type { SetDone } from './outcome';

type Kind = 'made' | 'changed' | 'deleted';

interface Part {
  readonly table: string;
  readonly step: number;
  readonly kind: Kind;
  /** The fields that its rows have values of before. */
  readonly fields: readonly FieldId[];
}

/**
 * Brings the records of a batch back to what they were before it, from its last step to its first, set by set. What it
 * made goes first, so that what comes back finds its place free. A table that is gone with the structure is passed over
 * where that may be.
 */
export async function restoreBatch(
  work: SetWork,
  id: number,
  tablesMayBeGone: boolean,
): Promise<Pick<SetDone, 'effects' | 'anew' | 'lookedAt'>> {
  const { client, access } = work;
  const { rows: parts } = await client.query<Part>(sql`
    select h.table_id as table, h.step, h.kind, coalesce(
      array_agg(distinct k.name) filter (where k.name is not null), '{}'
    ) as fields
    from loom.history h
    left join lateral jsonb_object_keys(h.before) k(name) on true
    where h.batch = ${id}
    group by 1, 2, 3
  `);
  const effects: Effects[] = [];
  const anew: FieldId[] = [];
  const lookedAt: LookedAt[] = [];
  const order: readonly Kind[] = ['made', 'changed', 'deleted'];
  const sorted = parts.toSorted((a, b) => b.step - a.step || order.indexOf(a.kind) - order.indexOf(b.kind));
  const tables = new Map(parts.map(({ table }) => [table, findTable(access.workspace.model, table)]));
  if (!tablesMayBeGone && [...tables.values()].includes(undefined))
    throw refuse(409, 'The table of these records is in the bin.', 'Bring the table back first.');
  // Records of several tables may point at each other, so their links are checked together at the end.
  await client.query('set constraints all deferred');
  await nothingPointsAtMade(work, id);
  for (const [at, part] of sorted.entries()) {
    const table = tables.get(part.table);
    if (!table) continue;
    // Fields that went to the bin meanwhile keep their values there and are passed over.
    const fields = table.fields.filter((field) => isStored(field) && part.fields.includes(field.id));
    const step: Restored = { ...work, step: at, id, table, fields, from: part.step };
    const done = await restorers[part.kind](step);
    effects.push(...done.effects);
    anew.push(...done.anew);
    lookedAt.push(...done.lookedAt);
  }
  return { effects, anew, lookedAt };
}

interface Restored extends SetWork {
  /** The batch that is undone, and the step of it. */
  readonly id: number;
  readonly from: number;
  readonly table: Table;
  readonly fields: readonly Field[];
}

type Done = Pick<SetDone, 'effects' | 'anew' | 'lookedAt'>;

/** Rows of the history of one kind, as `h`. */
const rowsOf = ({ id, from, table }: Restored, kind: Kind): Sql => sql`
  loom.history h where h.batch = ${id} and h.step = ${from} and h.table_id = ${table.id} and h.kind = ${kind}
`;

/** How many records a statement gives, one a row. */
async function countOf({ client }: SetWork, ids: Sql): Promise<number> {
  const { rows } = await client.query<{ n: number }>(sql`select count(*)::int as n from (${ids}) i`);
  return rows[0]?.n ?? 0;
}

const restorers: Readonly<Record<Kind, (step: Restored) => Promise<Done>>> = {
  /** What was made is deleted again. */
  async made(step) {
    const { client, access, batch, table } = step;
    const name = tableSql(access.workspace, table);
    await client.query(sql`drop table if exists pg_temp._restored`);
    await client.query(sql`
      create temp table _restored on commit drop as
      select t._id as id from (select h.first_id, h.last_id from ${rowsOf(step, 'made')}) h
      join ${name} t on t._id between h.first_id and h.last_id
    `);
    const found = sql`select id from pg_temp._restored`;
    const count = await countOf(step, found);
    const { effects } = await effectsOfChanged(step, table, table.fields, found, count);
    const fed = await leaveFeedsOf(step, table, found);
    const lookedAt = await lookAt(step, { table, fields: [], removed: found });
    await client.query(sql`
      with gone as (delete from ${name} t using pg_temp._restored s where t._id = s.id returning t.*)
      insert into loom.history (batch, table_id, first_id, last_id, kind, step, before)
      select ${batch}, ${table.id}, g._id, g._id, 'deleted', ${step.step}, ${keptJson(table, 'g')} from gone g
    `);
    return { effects: [...effects, ...fed], anew: [], lookedAt };
  },
  /** What was changed has its values of before. */
  async changed(step) {
    const { client, access, batch, table, fields } = step;
    const name = tableSql(access.workspace, table);
    const ids = sql`select h.first_id as id from ${rowsOf(step, 'changed')}`;
    const missing = await client.query<{ id: number }>(sql`
      select i.id from (${ids}) i where not exists (select from ${name} t where t._id = i.id) limit 1
    `);
    if (missing.rows[0])
      throw refuse(
        409,
        `Record ${missing.rows[0].id} of ${table.label} was deleted meanwhile.`,
        'Bring it back from History first.',
      );
    if (fields.length === 0) return { effects: [], anew: [], lookedAt: [] };
    const count = await countOf(step, ids);
    const before = await effectsOfChanged(step, table, fields, ids, count);
    const lookedAt = await lookAt(step, { table, fields: fields.map(({ id }) => id), changed: ids });
    const set = [
      ...fields.map((field) => {
        const column = identifier(field.key);
        return sql`${column} = case when h.before ? ${field.id} then ${raw(valueFromJsonSql(field, `h.before -> ${quoteText(field.id)}`))} else t.${column} end`;
      }),
      ...changedColumns(table.fields, quoteIdentifier).map((one) => raw(one)),
      raw('_version = t._version + 1'),
    ];
    for (const field of fields.filter(({ unique }) => unique)) {
      const now = raw(valueFromJsonSql(field, `h.before -> ${quoteText(field.id)}`));
      const changing = sql`select h.first_id as id, ${now} as now from ${rowsOf(step, 'changed')} and h.before ? ${field.id}`;
      await moveApart(step, table, field, changing);
    }
    await client.query(sql`
      update ${name} t set ${join(set)}
      from (select h.first_id, h.before from ${rowsOf(step, 'changed')}) h
      where t._id = h.first_id
    `);
    await client.query(sql`
      insert into loom.history (batch, table_id, first_id, last_id, kind, step, before, after)
      select ${batch}, h.table_id, h.first_id, h.last_id, 'changed', ${step.step}, h.after, h.before
      from ${rowsOf(step, 'changed')}
    `);
    const after = await effectsOfChanged(step, table, fields, ids, count);
    return { effects: [...before.effects, ...after.effects], anew: [], lookedAt };
  },
  /** What was deleted comes back under its own number. */
  async deleted(step) {
    const { client, access, batch, table, fields } = step;
    const ids = sql`select h.first_id as id from ${rowsOf(step, 'deleted')}`;
    const count = await countOf(step, ids);
    // Fields that are younger than the deletion have what new records have in them.
    const presets = defaultsOf(access.workspace, table, fields);
    const columns = [raw('_id'), ...[...fields, ...presets.fields].map(({ key }) => identifier(key))];
    await client.query(sql`
      insert into ${tableSql(access.workspace, table)} (${join(columns)})
      select ${join([raw('r._id'), ...fields.map(({ key }) => sql`r.${identifier(key)}`), ...presets.values])}
      from (
        select ${join([
          raw('h.first_id as _id'),
          ...fields.map(
            (field) =>
              sql`${raw(valueFromJsonSql(field, `h.before -> ${quoteText(field.id)}`))} as ${identifier(field.key)}`,
          ),
          ...presets.blanks,
        ])}
        from ${rowsOf(step, 'deleted')}
      ) r ${raw(presets.joins)}
    `);
    const lookedAt = await lookAt(step, { table, fields: fields.map(({ id }) => id), made: ids });
    await client.query(sql`
      insert into loom.history (batch, table_id, first_id, last_id, kind, step, before, after)
      select ${batch}, h.table_id, h.first_id, h.last_id, 'made', ${step.step}, null, h.before
      from ${rowsOf(step, 'deleted')}
    `);
    await keepEstimates(step, table, count);
    const done = await effectsOfMade(step, table, ids, count);
    return { ...done, lookedAt };
  },
};

/** Records made by the batch may have been linked to since; those links stand in the way. */
async function nothingPointsAtMade({ client, access }: SetWork, id: number): Promise<void> {
  const { model } = access.workspace;
  const { rows: made } = await client.query<{ table: string }>(
    sql`select distinct table_id as table from loom.history where batch = ${id} and kind = 'made'`,
  );
  const isMade = (table: string, record: Sql) => sql`exists (
    select from loom.history h
    where h.batch = ${id} and h.kind = 'made' and h.table_id = ${table} and ${record} between h.first_id and h.last_id
  )`;
  const isChanged = (table: string, link: FieldId) => sql`exists (
    select from loom.history h
    where h.batch = ${id} and h.kind = 'changed' and h.table_id = ${table} and h.first_id = r._id and h.before ? ${link}
  )`;
  for (const { table: one } of made) {
    const table = findTable(model, one);
    for (const { type } of table?.fields ?? []) {
      if (type.kind !== 'counterpart') continue;
      const from = findTable(model, type.from);
      const link = from?.fields.find((field) => field.id === type.link);
      if (!table || !from || !link || isFed(link)) continue;
      const column = raw(`r.${quoteIdentifier(link.key)}`);
      const { rows } = await client.query<{ title: string }>(sql`
        select ${raw(seesRecordsOf(access, from.id) ? titleSql(access, from, 'r') : `'a record that you may not see'`)} as title
        from ${tableSql(access.workspace, from)} r
        where ${column} is not null and ${isMade(table.id, column)} and not ${isMade(from.id, raw('r._id'))}
          and not ${isChanged(from.id, link.id)}
        limit 4
      `);
      if (rows.length > 0)
        throw refuse(
          409,
          `Records of ${from.label} point at what would be removed: ${rows
            .slice(0, 3)
            .map(({ title }) => title)
            .join(', ')}${rows.length > 3 ? ', …' : ''}.`,
          'Point them elsewhere first.',
        );
    }
  }
}
