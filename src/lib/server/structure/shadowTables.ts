import type { TableId } from '$core/types/identity';
import { findTable } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import { quoteIdentifier } from '$core/base/sql';
import { shadowSchema, homeOf, tableName, type WorkspaceState } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { errorCode } from '../database/transaction';
import type { ReportProgress } from '../database/progress';
import { identifier, raw, sql } from '../base/sql';

/**
 * A table that is worked on beside the one that people read meanwhile. PostgreSQL knows both by number, whatever they
 * are called by then.
 */
interface Copied {
  readonly table: TableId;
  readonly schema: string;
  readonly read: number;
  readonly copy: number;
}

/** What a change in progress works on out of sight. */
export interface ShadowTables {
  /** The workspace in which these tables' names lead to the copies. */
  readonly workspace: WorkspaceState;
  readonly copied: readonly Copied[];
}

/**
 * Copies tables to a schema of their own, without indexes and constraints. A change that works over all values shuts
 * readers out for as long as it takes; made on a copy, it shuts them out for the exchange only. Writers wait all the
 * while: those of Inner Loom for the workspace's lock, others for the one that is taken here on each table.
 */
export async function copyToShadow(
  client: Client,
  workspace: WorkspaceState,
  tables: readonly Table[],
  reportProgress?: ReportProgress,
): Promise<ShadowTables> {
  if (tables.length === 0) return { workspace, copied: [] };
  const now = { ...workspace, shadowed: new Set(tables.map(({ id }) => id)) };
  const copied: Copied[] = [];
  for (const [index, table] of tables.entries()) {
    await reportProgress?.('copy', index, tables.length);
    const home = homeOf(workspace, table);
    const [read, copy] = [tableName(workspace, table), tableName(now, table)];
    await client.query(sql`create schema if not exists ${identifier(shadowSchema(home))}`);
    await client.query(sql`lock table ${raw(read)} in share row exclusive mode`);
    await client.query(
      sql`
        create table ${raw(copy)} (
          like ${raw(read)} including defaults including generated including identity including storage including comments
        );
        insert into ${raw(copy)}
        select *
        from ${raw(read)};
        analyze ${raw(copy)}
      `,
    );
    // The numbering goes on where it was, also behind records that were deleted since, and behind those that brought
    // their numbers along without the sequence having been asked.
    await client.query(
      sql`
        select setval(pg_get_serial_sequence(${copy}, '_id'), n.last)
        from (
          select greatest(
            pg_sequence_last_value(pg_get_serial_sequence(${read}, '_id')::regclass),
              (select max(_id) from ${raw(read)})
          ) as last
        ) n
        where n.last is not null
      `,
    );
    // Tables keep the name of their numbering when they are renamed, so another one may have this one's by now.
    const { rows } = await client.query<{ read: number; copy: number; numbering: string; grants: string }>(
      sql`
        select c.oid as read, ${copy}::text::regclass::oid as copy,
          pg_get_serial_sequence(${copy}::text, '_id') as numbering,
          (
            select string_agg(
              format(
                'grant %s on %s to %s', a.privilege_type, ${copy}::text,
                  case a.grantee when 0 then 'public' else a.grantee::regrole::text end
              ),
                '; '
            )
            from aclexplode(c.relacl) a
            where a.grantee <> c.relowner
          ) as grants
        from pg_class c
        where c.oid = ${read}::text::regclass
      `,
    );
    const [found] = rows;
    if (!found) throw new Error(`${read} is gone`);
    await client.query(sql`alter sequence ${raw(found.numbering)} rename to ${identifier(`${table.id}_id_seq`)}`);
    if (found.grants) await client.query(found.grants);
    copied.push({ table: table.id, schema: home.key, read: found.read, copy: found.copy });
  }
  return { workspace: now, copied };
}

/** The tables of a model that are copies now. */
export const copiedTables = (model: Model, { copied }: ShadowTables): Table[] =>
  copied.flatMap(({ table }) => findTable(model, table) ?? []);

interface Reference {
  readonly child: string;
  readonly constraint: string;
  readonly column: string;
  readonly copy: string;
}

/**
 * Puts the copies in the place of the tables, in the last moments of the transaction. Links from other tables are held
 * to the copy first, while people go on reading. `last` are statements that shut readers out, too.
 */
export async function putInPlace(
  client: Client,
  { copied }: ShadowTables,
  last: readonly string[],
  reportProgress?: ReportProgress,
): Promise<void> {
  if (copied.length > 0) {
    await reportProgress?.('exchange');
    // A table with checks still to come cannot be exchanged.
    await client.query('set constraints all immediate');
    const references = await referencesTo(client, copied);
    for (const { child, constraint, column, copy } of references) {
      const next = quoteIdentifier(`${constraint}_next`);
      await client.query(
        sql`
          alter table ${raw(child)} add constraint ${raw(next)} foreign key (${raw(column)}) references ${raw(copy)} (_id) deferrable initially immediate not valid;
          alter table ${raw(child)} validate constraint ${raw(next)}
        `,
      );
    }
    const { rows } = await client.query<{ read: string; copy: string; schema: string; beside: string }>(
      sql`
        select format('%I.%I', n.nspname, r.relname) as read, format('%I.%I', m.nspname, c.relname) as copy,
          quote_ident(m.nspname) as beside, quote_ident(u.schema) as schema
        from unnest(
          ${copied.map(({ read }) => read)}::bigint[], ${copied.map(({ copy }) => copy)}::bigint[],
            ${copied.map(({ schema }) => schema)}::text[]
        ) u(read, copy, schema)
        join pg_class r on r.oid = u.read
        join pg_namespace n on n.oid = r.relnamespace
        join pg_class c on c.oid = u.copy
        join pg_namespace m on m.oid = c.relnamespace
      `,
    );
    await shutOut(client, [...new Set([...rows.map(({ read }) => read), ...references.map(({ child }) => child)])]);
    const statements = [
      ...references.flatMap(({ child, constraint }) => [
        `alter table ${child} drop constraint ${quoteIdentifier(constraint)}`,
        `
          alter table ${child} rename constraint ${quoteIdentifier(`${constraint}_next`)} to ${quoteIdentifier(constraint)}
        `,
      ]),
      // In one statement, as links among them would keep each of them alone.
      `drop table ${rows.map(({ read }) => read).join(', ')}`,
      ...rows.map(({ copy, schema }) => `alter table ${copy} set schema ${schema}`),
      ...new Set(rows.map(({ beside }) => `drop schema ${beside}`)),
    ];
    await client.query(statements.join('; '));
  }
  for (const statement of last) await client.query(statement);
}

/** The links from tables that stay as they are, to those that are exchanged. */
async function referencesTo(client: Client, copied: readonly Copied[]): Promise<Reference[]> {
  const { rows } = await client.query<Reference>(
    sql`
      select format('%I.%I', n.nspname, c.relname) as child, k.conname as constraint,
        quote_ident(a.attname) as column, format('%I.%I', m.nspname, t.relname) as copy
      from pg_constraint k
      join unnest(
        ${copied.map(({ read }) => read)}::bigint[], ${copied.map(({ copy }) => copy)}::bigint[]
      ) u(read, copy) on k.confrelid = u.read
      join pg_class c on c.oid = k.conrelid
      join pg_namespace n on n.oid = c.relnamespace
      join pg_attribute a on a.attrelid = k.conrelid and a.attnum = k.conkey[1]
      join pg_class t on t.oid = u.copy
      join pg_namespace m on m.oid = t.relnamespace
      where k.contype = 'f' and not k.conrelid::bigint = any(${copied.map(({ read }) => read)})
      order by k.conrelid, k.conname
    `,
  );
  return rows;
}

/**
 * What waits for this long and no longer lets others by and tries again. Shorter than PostgreSQL takes to look for a
 * deadlock.
 */
const patience = '250ms';
const tries = 40;

/**
 * Takes tables for this transaction alone. Readers take theirs one by one in any order, and a long one would make all
 * that come after it wait behind us: so we step back and try again instead of standing in the way.
 */
async function shutOut(client: Client, tables: readonly string[]): Promise<void> {
  for (let attempt = 1; ; attempt++)
    try {
      await client.query(
        sql`
          savepoint exchange;
          set local lock_timeout = '${raw(attempt < tries ? patience : '0')}';
          lock table ${raw(tables.join(', '))} in access exclusive mode
        `,
      );
      await client.query('set local lock_timeout = 0');
      return;
    } catch (error) {
      if (errorCode(error) !== '55P03') throw error;
      await client.query('rollback to savepoint exchange');
      await new Promise((resolve) => setTimeout(resolve, 50 + Math.random() * 100));
    }
}
