import type { StandingSource } from '$core/flow/feeds';
import { calculationSteps } from '$core/flow/graph';
import { compileCondition } from '$core/formula/compiler';
import type { Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import { isStored, tableOf } from '$core/model/model';
import { quoteText } from '$core/base/sql';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableName, tableSql, type WorkspaceState } from '../access/workspaceState';
import { empty, identifier, join, raw, sql, type Sql } from '../base/sql';
import { affectedRecords, type Affected } from '../calculation/affected';
import { calculatedOver, calculating } from '../calculation/calculationStep';
import { shownDirectly } from '../calculation/fedStep';
import { mostLimited, type Effects, type Ids, type Known } from '../calculation/effects';
import { columnType, toColumn, wireOf } from '../sql/column';
import type { Client, Pool } from '../database/pool';
import { among, prepared, statementEpoch } from '../sql/statement';
import type { Following, WriteDone } from './edits';
import { defaultsOf, insertRecords } from './insertRecords';
import { ownFields, takeOut, waitingName } from './writeEdits';

/** The records of a source that may come into its feed or leave it, given what changed. */
export async function sourcesAffected(run: Following, known: Known, source: StandingSource): Promise<Affected> {
  if (run.anew?.has(source.link.id)) return { ids: 'all', effects: [] };
  // Of very many records that were made it is known only that every field of theirs is another.
  if (source.source.fields.every(({ id }) => known.of(id) === 'all')) return { ids: 'all', effects: [] };
  const affected = await affectedRecords(run, known, source.source, source.on);
  return affected.ids !== 'all' && affected.ids.size > mostLimited ? { ...affected, ids: 'all' } : affected;
}

/**
 * Makes the records that a feed lacks of these records of a source, and takes out those whose source no longer meets its
 * condition. What people entered in them waits, and comes back with them under the same number; what pointed at them is
 * treated as its link says of deleted ones. Neither is a step of the history: it follows from the source.
 */
export async function feedRecords(run: Following, source: StandingSource, ids: Ids): Promise<WriteDone> {
  const { leaving, back, come } = await differing(run, source, ids);
  const left = leaving.length > 0 ? await takeOut(run, source, leaving) : { effects: [], history: [] };
  const returned = back.length > 0 ? await bringBack(run, source, back) : [];
  const made = come === 'all' ? await makeAll(run, source) : come.length > 0 ? await makeFor(run, source, come) : [];
  return { effects: [...left.effects, ...returned, ...made], history: left.history };
}

interface Differing {
  /** Records of the feed whose source no longer meets its condition. */
  readonly leaving: readonly number[];
  /** Records of the source whose records of the feed wait. */
  readonly back: readonly number[];
  /** Records of the source that the feed never had. */
  readonly come: readonly number[] | 'all';
}

/** The condition of a source over its record `r`; a blank one is not met. */
function conditionOf(workspace: WorkspaceState, { source, where }: StandingSource, many: boolean) {
  if (!where) return { where: raw('true'), joins: empty };
  const compiled = compileCondition(where, calculating(workspace, source, many ? 'grouped' : 'each'));
  return { where: raw(`coalesce(${compiled.where}, false)`), joins: raw(compiled.joins) };
}

/** How many records a source has, and how many of its feed stand for them. */
export async function fedFrom(
  client: Client | Pool,
  workspace: WorkspaceState,
  { table, source, link }: StandingSource,
): Promise<{ readonly read: number; readonly fed: number }> {
  const { rows } = await client.query<{ read: number; fed: number }>(sql`
    select (select count(*)::int from ${tableSql(workspace, source)}) as read,
      (select count(${identifier(link.key)})::int from ${tableSql(workspace, table)}) as fed
  `);
  return rows[0] ?? { read: 0, fed: 0 };
}

/**
 * How many records a source has that its feed lacks, and how many the feed has that no longer meet its condition.
 * `stands`: its link is there already.
 */
export async function feedCounts(
  client: Client | Pool,
  workspace: WorkspaceState,
  source: StandingSource,
  stands = true,
): Promise<{ readonly come: number; readonly leave: number }> {
  const { where, joins } = conditionOf(workspace, source, true);
  const { rows } = await client.query<{ come: number; leave: number }>(sql`
    select count(*) filter (where ${where} and f._id is null)::int as come,
      count(*) filter (where not ${where} and f._id is not null)::int as leave
    from ${tableSql(workspace, source.source)} r ${joins}
    left join ${stands ? sql`${tableSql(workspace, source.table)} f on f.${identifier(source.link.key)} = r._id` : sql`(select null::bigint as _id) f on false`}
  `);
  return rows[0] ?? { come: 0, leave: 0 };
}

async function differing(run: Following, source: StandingSource, ids: Ids): Promise<Differing> {
  const { client, workspace } = run;
  const { table, link } = source;
  const condition = conditionOf(workspace, source, ids === 'all');
  const fed = sql`${tableSql(workspace, table)} f on f.${identifier(link.key)} = r._id`;
  const waits = sql`loom.feed_waiting w on w.link_id = ${link.id} and w.source_id = r._id`;
  const from = tableSql(workspace, source.source);
  if (ids !== 'all') {
    // As whoever gathers records: two people who edit two of them would each decide without the other.
    if (!run.exclusive && source.on.some(({ path }) => path.length > 0))
      await prepared(
        client,
        sql`select 1 from ${from} where ${among(identifier('_id'), [...ids])} order by _id for no key update`,
        statementEpoch(workspace),
      );
    const { rows } = await prepared(
      client,
      sql`
        select r._id as id, f._id as fed, w.record_id as waits, ${condition.where} as fits
        from ${from} r ${condition.joins} left join ${fed} left join ${waits}
        where ${among(raw('r._id'), [...ids])} order by r._id
      `,
      statementEpoch(workspace),
    );
    const coming = rows.filter(({ fits, fed: has }) => fits === true && has === null);
    return {
      leaving: rows.flatMap(({ fits, fed: has }) => (fits !== true && has !== null ? [has as number] : [])),
      back: coming.flatMap(({ id, waits: has }) => (has !== null ? [id as number] : [])),
      come: coming.flatMap(({ id, waits: has }) => (has === null ? [id as number] : [])),
    };
  }
  const listed = async (select: Sql) => (await client.query<{ id: number }>(select)).rows.map(({ id }) => id);
  return {
    leaving: source.where
      ? await listed(sql`
          select f._id as id from ${from} r ${condition.joins} join ${fed} where not ${condition.where} order by 1
        `)
      : [],
    back: await listed(sql`
      select r._id as id from ${from} r ${condition.joins} join ${waits} left join ${fed}
      where f._id is null and ${condition.where} order by 1
    `),
    come: 'all',
  };
}

/** Makes records of the feed for these of the source. */
async function makeFor(run: Following, { table, link }: StandingSource, ids: readonly number[]): Promise<Effects[]> {
  const insert = ids.map((id) => ({ values: new Map<FieldId, Scalar>([[link.id, id]]) }));
  const { effects } = await insertRecords(run, { table, insert, update: [], remove: [] });
  return [...effects];
}

/** Brings records back with what waited with them, as far as it can still stand. */
async function bringBack(run: Following, { table, link }: StandingSource, ids: readonly number[]): Promise<Effects[]> {
  const { rows } = await run.client.query<{ source: number; record: number; values: Record<string, Scalar> }>(sql`
    delete from loom.feed_waiting where link_id = ${link.id} and source_id = any(${ids}::bigint[])
    returning source_id as source, record_id as record, values
  `);
  const waiting = rows.toSorted((a, b) => a.record - b.record);
  const own = ownFields(table).filter((field) => waiting.some(({ values }) => waitingName(field) in values));
  const barred = new Map<FieldId, ReadonlySet<Scalar>>();
  for (const field of own) {
    const all = waiting.map(({ values }) => values[waitingName(field)] ?? null);
    barred.set(field.id, await barredValues(run, table, field, all));
  }
  const insert = waiting.map(({ source, record, values }) => ({
    id: record,
    values: new Map<FieldId, Scalar>([
      [link.id, source],
      ...own.flatMap((field) => {
        const value = values[waitingName(field)] ?? null;
        return value === null || barred.get(field.id)?.has(value) ? [] : [[field.id, value] as const];
      }),
    ]),
  }));
  const { effects } = await insertRecords(run, { table, insert, update: [], remove: [] });
  return [...effects];
}

/** Values that cannot stand again: links to what was deleted, and what must stand once and stands elsewhere by now. */
async function barredValues(
  { client, workspace }: Following,
  table: Table,
  field: Field,
  values: readonly Scalar[],
): Promise<ReadonlySet<Scalar>> {
  const given = [...new Set(values.filter((value) => value !== null))];
  if (given.length === 0 || (field.type.kind !== 'link' && !field.unique)) return new Set();
  const { type, cast } = wireOf(field);
  const sent = sql`unnest(${given.map((value) => toColumn(field, value))}::${raw(type)}[]) with ordinality u(value, n)`;
  const value = sql`u.value${raw(cast)}`;
  const target = field.type.kind === 'link' ? tableOf(workspace.model, field.type.to) : null;
  const isThere = (of: Table, column: Sql) =>
    sql`exists (select from ${tableSql(workspace, of)} t where t.${column} = ${value})`;
  const bars = [
    ...(target ? [sql`not ${isThere(target, raw('_id'))}`] : []),
    ...(field.unique ? [isThere(table, identifier(field.key))] : []),
  ];
  const { rows } = await client.query<{ n: number }>(sql`select u.n from ${sent} where ${join(bars, ' or ')}`);
  return new Set(rows.map(({ n }) => given[Number(n) - 1] ?? null));
}

/**
 * Makes all records that the feed lacks of a source, at once, with all that is calculated of them: what nothing points
 * at yet comes from nothing but its source and itself.
 */
async function makeAll(run: Following, source: StandingSource): Promise<Effects[]> {
  const made = await fillFeed(run, source);
  return made > 0 ? [{ changed: source.table.fields.map(({ id }) => [id, 'all'] as const) }] : [];
}

/** How many records `makeAll` made. `isEmpty`: the feed has none of the source yet. */
export async function fillFeed(
  { client, workspace }: Pick<Following, 'client' | 'workspace'>,
  source: StandingSource,
  isEmpty = false,
): Promise<number> {
  const { table, link, source: from } = source;
  const condition = conditionOf(workspace, source, true);
  const presets = defaultsOf(workspace, table, [link]);
  const key = identifier(link.key);
  const all = calculationSteps(workspace.model)
    .filter((step) => step.table.id === table.id && !step.feeds && !step.hierarchy)
    .flatMap(({ fields }) => fields);
  const shown = shownDirectly(workspace, source, all, 'grouped');
  const lacking = sql`not exists (select from ${tableSql(workspace, table)} f where f.${key} = r._id)`;
  const given = [link, ...shown.fields, ...presets.fields];
  // What nobody fills is blank for what is calculated from it, and left to the table's own defaults.
  const blanks = table.fields
    .filter((field) => isStored(field) && field.type.kind !== 'formula' && !given.includes(field))
    .map((field) => sql`null::${raw(columnType(field))} as ${identifier(field.key)}`);
  const read = sql`
    select ${join([sql`r._id as ${key}`, ...shown.values, ...presets.blanks])}
    from ${tableSql(workspace, from)} r ${condition.joins} ${shown.joins}
    where ${condition.where} ${isEmpty ? empty : sql`and ${lacking}`}
  `;
  // Looked up once: as a part of the statement it would be for each record.
  const { rows: found } = await client.query<{ sequence: string }>(
    sql`select pg_get_serial_sequence(${tableName(workspace, table)}, '_id') as sequence`,
  );
  const numbered = raw(`nextval(${quoteText(found[0]?.sequence ?? '')}::regclass) as _id`);
  const rows = sql`
    select ${join([
      numbered,
      ...[link, ...shown.fields].map(({ key: name }) => sql`r.${identifier(name)}`),
      ...presets.fields.map((field, at) => sql`${presets.values[at] ?? raw('null')} as ${identifier(field.key)}`),
      ...blanks,
    ])}
    from (${read} order by r._id) r ${raw(presets.joins)}
  `;
  const { rest } = shown;
  const columns = [raw('_id'), ...[...given, ...rest.map(({ field }) => field)].map((field) => identifier(field.key))];
  const { rowCount } = await client.query(sql`
    insert into ${tableSql(workspace, table)} (${join(columns)})
    select ${join(columns)} from (${rest.length > 0 ? calculatedOver(workspace, table, rest, sql`${rows} offset 0`, given) : rows}) c
  `);
  // PostgreSQL would take a table that was empty before for empty still.
  if (rowCount) await client.query(sql`analyze ${tableSql(workspace, table)}`);
  return rowCount ?? 0;
}
