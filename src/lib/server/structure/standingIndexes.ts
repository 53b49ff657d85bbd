import { fieldKinds } from '$core/fieldTypes/registry';
import { partsOf } from '$core/types/part';
import { createHash } from 'node:crypto';
import { fieldOf, isStored, ownTables } from '$core/model/model';
import type { Table } from '$core/types/model';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import { isNull } from 'drizzle-orm';
import { acting, systemAccess, withModel, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableName } from '../access/workspaceState';
import { workspaces } from '../database/catalogue';
import { indexLock } from '../database/locks';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { errorCode, isLostRace } from '../database/transaction';
import { log } from '../base/log';
import { estimatedRecords } from '../query/estimate';
import { orderSql, Selection } from '../query/selection';
import { identifier, raw, sql } from '../base/sql';

/** Below so many records everything is sorted in a moment without an index, and writes are spared one. */
const leastSorted = 20_000;
/** A search asks all tables of a workspace, so what each takes adds up: their titles are indexed sooner. */
const leastSearched = 2_000;
const mark = '_for_';
/** A statement that was stopped by another connection. */
const stopped = '57014';

interface Wanted {
  readonly name: string;
  readonly on: string;
}

/**
 * An index is named by what it is on, so that one that stands is known again, and one that is on something else is not.
 */
const wanted = (on: string): Wanted => ({
  on,
  name: `${mark}${createHash('sha256').update(on).digest('hex').slice(0, 20)}`,
});

/** The indexes by which the orders of views are read by key, where an order is by the record’s own columns. */
function orderIndexes(access: WorkspaceAccess, table: Table): Wanted[] {
  return partsOf(table, 'view').flatMap(({ groups, sort }) => {
    const parts = [...groups, ...sort];
    if (parts.length === 0 || parts.some(({ field }) => !table.fields.some(({ id }) => id === field))) return [];
    const selection = new Selection(access, table);
    const columns = parts.flatMap((part) => selection.order(part));
    // What reaches over a link, or spreads a record under its values, no index can hold.
    if (selection.joins.length > 0) return [];
    const last = { sql: 'r._id', descending: columns.at(-1)?.descending ?? false };
    return [
      wanted(
        `using btree (${[...columns, last].map((column) => orderSql({ ...column, sql: indexed(column.sql) })).join(', ')})`,
      ),
    ];
  });
}

/** A column of an order as an index holds it: by its name, or in brackets where it is worked out. */
const indexed = (sql: string): string => {
  const bare = sql.replaceAll(/\br\./g, '');
  return /^"[^"]+"( collate [\w.]+)?$/.test(bare) || bare === '_id' ? bare : `(${bare})`;
};

/** The indexes by which titles are searched: by any three letters of theirs, and by the first one or two. */
function titleIndexes(access: WorkspaceAccess, table: Table): Wanted[] {
  const title = table.title === null ? null : fieldOf(access.workspace.model, table.title).field;
  if (!title || !isStored(title) || fieldKinds[shownType(access.workspace.model, title).kind].oneLine !== true)
    return [];
  const column = `lower(${quoteIdentifier(title.key)})`;
  return [wanted(`using gin (${column} loom.gin_trgm_ops)`), wanted(`using btree (${column} text_pattern_ops)`)];
}

/**
 * Makes the indexes that large tables want for the orders of their views and for searching titles, and drops those that
 * nothing asks for any more. Each is built beside the work of others, so it waits for nobody and nobody for it; what
 * cannot be built is left out, as everything is right without it, only slower.
 */
export async function keepIndexes(pool: Pool, given: WorkspaceAccess): Promise<void> {
  const access = acting(given);
  const tables = await tablesConcerned(pool, access).catch(() => []);
  if (tables.length === 0) return;
  let client: Client | undefined;
  try {
    client = await pool.connect();
    const { rows } = await client.query<{ mine: boolean }>(
      sql`select pg_try_advisory_lock(${indexLock}, ${access.workspace.id}) as mine`,
    );
    if (!rows[0]?.mine) return;
    try {
      for (const table of tables) await keepOf(client, access, table);
    } finally {
      await client.query(sql`select pg_advisory_unlock(${indexLock}, ${access.workspace.id})`);
    }
  } catch (error) {
    // Who builds beside the work of others may have to give way to it; the next round builds what is missing.
    if (!isLostRace(error) && errorCode(error) !== stopped) log.incident(error);
  } finally {
    // Closed, so that who stops the building never meets another's statement on the same connection.
    client?.release(true);
  }
}

/**
 * Keeps the indexes of workspaces as they are until the transaction ends: whoever builds one is stopped. Building waits
 * for this transaction and this transaction for the table that is built on, so one of the two would have to give way
 * anyway, and that must not be the one with the most to lose.
 */
export async function holdIndexes(client: Client, ids: readonly number[]): Promise<void> {
  for (const id of ids) {
    const {
      rows: [held],
    } = await client.query<{ mine: boolean }>(sql`select pg_try_advisory_xact_lock(${indexLock}, ${id}) as mine`);
    if (held?.mine) continue;
    await client.query(sql`
      select pg_cancel_backend(pid)
      from pg_locks
      where locktype = 'advisory' and classid = ${indexLock} and objid = ${id} and granted
        and database = (select oid from pg_database where datname = current_database())
    `);
    await client.query(sql`select pg_advisory_xact_lock(${indexLock}, ${id})`);
  }
}

/** The tables that are large enough to want indexes, or have some from when they were. */
async function tablesConcerned(pool: Pool, access: WorkspaceAccess): Promise<Table[]> {
  const { rows } = await pool.query<{ key: string }>(
    sql`
      select t.relname as key
      from pg_class t
      join pg_namespace n on n.oid = t.relnamespace
      where n.nspname = ${access.workspace.key} and t.relkind = 'r'
        and (
          t.reltuples >= ${leastSearched}
            or exists (
              select
              from pg_index i
              join pg_class c on c.oid = i.indexrelid
              where i.indrelid = t.oid and starts_with(c.relname, ${mark})
            )
        )
    `,
  );
  const keys = new Set(rows.map(({ key }) => key));
  return ownTables(access.workspace.model).filter(({ key }) => keys.has(key));
}

async function keepOf(client: Client, access: WorkspaceAccess, table: Table): Promise<void> {
  const name = tableName(access.workspace, table);
  const { rows } = await client.query<{ name: string; valid: boolean }>(
    sql`
      select c.relname as name, i.indisvalid as valid
      from pg_index i
      join pg_class c on c.oid = i.indexrelid
      where i.indrelid = to_regclass(${name}) and starts_with(c.relname, ${mark})
    `,
  );
  const records = await estimatedRecords(client, name);
  const asked = [
    ...(records >= leastSorted ? orderIndexes(access, table) : []),
    ...(records >= leastSearched ? titleIndexes(access, table) : []),
  ];
  const all = new Map(asked.map((one) => [`${one.name}_${table.id}`, one.on]));
  const schema = quoteIdentifier(access.workspace.key);
  // One that broke off while it was built is no use, but is kept up to date all the same.
  for (const { name: standing, valid } of rows)
    if (!valid || !all.has(standing))
      await client.query(sql`drop index concurrently if exists ${raw(schema)}.${identifier(standing)}`);
  const missing = [...all].filter(([index]) => !rows.some((row) => row.name === index && row.valid));
  for (const [index, on] of missing)
    await client.query(sql`
      create index concurrently if not exists ${identifier(index)} on ${raw(name)} ${raw(on)}
    `);
  // Of what an index works out PostgreSQL knows nothing before it has looked; without that it reads by the wrong one of
  // two.
  if (missing.length > 0) await client.query(sql`analyze ${raw(name)}`);
}

/** The same for all workspaces: tables grow by loads and by work, and are noticed when PostgreSQL has analysed them. */
export async function keepAllIndexes(pool: Pool): Promise<void> {
  const rows = await catalogueOn(pool).select().from(workspaces).where(isNull(workspaces.deletedAt));
  for (const row of rows) {
    await keepIndexes(pool, systemAccess(await withModel(pool, row)));
  }
}
