import { and, eq, isNotNull, isNull, sql as catalogueSql } from 'drizzle-orm';
import type { Icon } from '$core/types/icons';
import { seesAllOf } from '$core/access/rights';
import { inLanguage, languageFor, languagesOf } from '$core/languages/texts';
import { seenOf } from '$core/parts/visible';
import type { Model, Table } from '$core/types/model';
import type { Role, WorkspaceRight } from '$core/types/role';
import { emptyModel, ownTables } from '$core/model/model';
import type { Dye } from '$core/types/field';
import { checkWorkspaceKey, freeKey, keyFromLabel } from '$core/base/key';
import { dayIn } from '$core/fieldTypes/date';
import type { Person } from '../access/workspaceAccess';
import { shutAnalysts } from '../analysts/analysts';
import { membershipsOf, requireUnlimited, rightsWithin, roleNamed } from '../access/limits';
import { byWords, members, memberships, workspaces, type RoleId } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { errorCode, inTransaction } from '../database/transaction';
import { refuse, type Refusal } from '../base/refusal';
import { identifier, join, raw, sql } from '../base/sql';

export interface WorkspaceWish {
  readonly label: string;
  readonly key?: string;
  readonly description?: string;
  readonly zone?: string;
}

/** Makes an empty workspace and its schema; who makes it administers it. */
export async function makeWorkspace(
  pool: Pool,
  person: Person,
  wish: WorkspaceWish,
): Promise<{ id: number; key: string }> {
  requireUnlimited(person);
  const label = wish.label.trim();
  if (label === '') throw refuse(422, 'The label is empty.', 'Write what people will read.', '/label');
  const zone = wish.zone ?? 'UTC';
  try {
    dayIn(zone, new Date());
  } catch {
    throw refuse(422, `“${zone}” is no time zone.`, 'Use a name such as Europe/Vienna.', '/zone');
  }
  return inTransaction(pool, 'select 1', async (client) => {
    const taken = await client.query<{ name: string }>('select nspname as name from pg_namespace');
    const names = new Set(taken.rows.map(({ name }) => name));
    const key = wish.key ?? freeKey(keyFromLabel(label, 'workspace'), names);
    const checked = checkWorkspaceKey(key);
    if (!checked.ok) throw refuse(422, checked.problem.message, checked.problem.fix, '/key');
    if (names.has(key)) throw inUse(key);
    await client.query(sql`create schema ${identifier(key)}`);
    const db = catalogueOn(client);
    const [made] = await db
      .insert(workspaces)
      .values({
        key,
        label,
        description: wish.description ?? '',
        zone,
        day: dayIn(zone, new Date()),
        model: emptyModel,
      })
      .returning({ id: workspaces.id });
    await db.insert(members).values({ workspace: made?.id ?? 0, person: person.id, role: 'administrator' });
    return { id: made?.id ?? 0, key };
  }).catch((error: unknown) => {
    // Two people made the same key at the same moment.
    if (errorCode(error) === '23505' || errorCode(error) === '42P06') throw inUse(wish.key ?? label);
    throw error;
  });
}

/** Removes a workspace for good, as if it had never been: for one that came to nothing. */
export async function dropWorkspace(
  pool: Pool,
  { id, key }: { readonly id: number; readonly key: string },
): Promise<void> {
  await inTransaction(pool, 'select 1', async (client) => {
    await client.query(sql`drop schema if exists ${identifier(key)} cascade`);
    await catalogueOn(client).delete(workspaces).where(eq(workspaces.id, id));
  });
}

/** Said in one way of what the server keeps for itself and of workspaces that the person may not know of. */
const inUse = (key: string): Refusal =>
  refuse(409, `The key “${key}” cannot be used here.`, 'Choose another key.', '/key');

/** A workspace that somebody is in, as the catalogue has it. */
interface LedgerRow {
  readonly id: number;
  readonly key: string;
  readonly label: string;
  readonly description: string;
  readonly dye: Dye;
  readonly icon: Icon | null;
  readonly model: Model;
  readonly role: RoleId;
  readonly archivedAt: string | null;
  readonly others: number;
  readonly changedAt: string | null;
  readonly changedBy: string | null;
}

/** One line of Home: a workspace or a table that the person may see. */
export interface LedgerLine {
  readonly key: string;
  readonly label: string;
  /** The person's role there, by its id, and what it is called. */
  readonly role: RoleId;
  readonly roleLabel: string;
  readonly rights: readonly WorkspaceRight[];
  readonly description: string;
  readonly dye: Dye;
  readonly icon: Icon | null;
  readonly tables: readonly {
    readonly key: string;
    readonly label: string;
    readonly dye: Dye;
    readonly icon: Icon | null;
    readonly description: string;
    /** Null where the person sees some of them only. */
    readonly records: number | null;
    readonly setAside: number;
  }[];
  readonly changedAt: string | null;
  readonly changedBy: string | null;
  /** How many others may see it, too. */
  readonly others: number;
  readonly archived: boolean;
}

/**
 * Everything the person may see, newest change first. Record counts are exact up to 10,000, beyond that as last
 * analysed.
 */
export async function ledgerOf(pool: Pool, person: Person, languages: readonly string[] = []): Promise<LedgerLine[]> {
  const rows = await catalogueOn(pool)
    .select({
      id: workspaces.id,
      key: workspaces.key,
      label: workspaces.label,
      description: workspaces.description,
      dye: workspaces.dye,
      icon: workspaces.icon,
      model: workspaces.model,
      role: memberships.role,
      archivedAt: workspaces.archivedAt,
      others:
        catalogueSql<number>`(select count(*) - 1 from loom.memberships m where m.workspace = ${workspaces.id})`.mapWith(
          Number,
        ),
      changedAt: catalogueSql<string | null>`
        (
          select to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')
          from loom.batches b
          where b.workspace = ${workspaces.id}
          order by id desc limit 1
        )
      `,
      changedBy: catalogueSql<string | null>`
        (
          select ${catalogueSql.raw(byWords)}
          from loom.batches b
          left join loom.people p on p.id = b.person
          where b.workspace = ${workspaces.id}
          order by b.id desc limit 1
        )
      `,
    })
    .from(memberships)
    .innerJoin(workspaces, eq(workspaces.id, memberships.workspace))
    .where(and(membershipsOf(person), isNull(workspaces.deletedAt), isNull(workspaces.preview)))
    .orderBy(workspaces.label);
  return Promise.all(
    rows.flatMap((row) => {
      const role = roleNamed(row.model, row.role);
      return role ? [ledgerLine(pool, person, row, role, languages)] : [];
    }),
  );
}

async function ledgerLine(
  pool: Pool,
  person: Person,
  row: LedgerRow,
  role: Role,
  languages: readonly string[],
): Promise<LedgerLine> {
  const rights = rightsWithin(person, row.model, role);
  const model = seenOf(row.model, { own: rights, homes: {}, viewer: person.id });
  const seen = ownTables(inLanguage(model, languageFor(languagesOf(model), languages)));
  const isCounted = ({ id }: Table) => seesAllOf(rights, id);
  const counts = await tableCounts(
    pool,
    row.key,
    seen.filter(isCounted).map(({ key }) => key),
  );
  const aside = await pool.query<{ id: string; n: number }>(
    sql`
          select table_id as id, count(*) as n
          from loom.open_set_aside
          where workspace = ${row.id}
          group by 1
        `,
  );
  const asideOf = new Map(aside.rows.map(({ id, n }) => [id, n]));
  const tables = seen.map(({ id, key, label, dye, icon, description }) => ({
    key,
    label,
    dye,
    icon: icon ?? null,
    description,
    records: seesAllOf(rights, id) ? (counts.get(key) ?? 0) : null,
    setAside: seesAllOf(rights, id) ? (asideOf.get(id) ?? 0) : 0,
  }));
  return {
    key: row.key,
    label: row.label,
    role: role.id,
    roleLabel: role.label,
    rights: rights.workspace,
    description: row.description,
    dye: row.dye,
    icon: row.icon,
    tables,
    changedAt: row.changedAt,
    changedBy: row.changedBy,
    others: row.others,
    archived: row.archivedAt !== null,
  };
}

/** Counting a million records takes a fifth of a second, so large tables show PostgreSQL's own estimate. */
const countedExactly = 10_000;

/**
 * How many records tables hold, by key; of a table of which only some records count, with what stands for those in
 * `cuts`. A table that does not stand has none; Health says so.
 */
export async function tableCounts(
  pool: Pool,
  schema: string,
  named: readonly string[],
  cuts: ReadonlyMap<string, string> = new Map(),
): Promise<Map<string, number>> {
  const standing = await pool.query<{ key: string }>(
    sql`
      select c.relname as key
      from pg_class c
      join pg_namespace n on n.oid = c.relnamespace
      where n.nspname = ${schema} and c.relkind = 'r' and c.relname = any(${named})
    `,
  );
  const keys = standing.rows.map(({ key }) => key);
  if (keys.length === 0) return new Map();
  const parts = keys.map((key, index) => {
    const name = sql`${identifier(schema)}.${identifier(key)}`;
    const cut = cuts.get(key);
    return sql`
      select ${index}::int as i,
        (select count(*) from (select 1 from ${cut === undefined ? name : raw(`${cut} c`)} limit ${countedExactly + 1}) x) as n,
        ${cut === undefined ? sql`(select reltuples from pg_class where oid = ${name.sql}::regclass)` : raw('0')} as estimate
    `;
  });
  const { rows } = await pool.query<{ i: number; n: number; estimate: number }>(join(parts, ' union all '));
  return new Map(
    rows.map(({ i, n, estimate }) => [keys[i] ?? '', n > countedExactly ? Math.max(n, Math.round(estimate)) : n]),
  );
}

/** A workspace in the bin, which who administers it can bring back. */
export interface DeletedWorkspace {
  readonly key: string;
  readonly label: string;
  readonly at: string;
}

export async function deletedWorkspaces(pool: Pool, person: Person): Promise<DeletedWorkspace[]> {
  const rows = await catalogueOn(pool)
    .select({ key: workspaces.key, label: workspaces.label, at: workspaces.deletedAt })
    .from(workspaces)
    .innerJoin(
      memberships,
      and(eq(memberships.workspace, workspaces.id), membershipsOf(person), eq(memberships.role, 'administrator')),
    )
    .where(isNotNull(workspaces.deletedAt));
  return rows.map(({ at, ...one }) => ({ ...one, at: at ?? '' }));
}

/** What of a workspace its administrators can set. */
export interface WorkspaceSettings {
  readonly label?: string;
  readonly description?: string;
  readonly dye?: Dye;
  readonly icon?: Icon | null;
  /** Out of sight on Home, but as it was. */
  readonly archived?: boolean;
  /** In the bin: nobody gets in until it is brought back. */
  readonly deleted?: boolean;
}

/** Names a workspace anew, puts it out of sight or in the bin, or brings it back from there. */
export async function changeWorkspace(
  pool: Pool,
  person: Person,
  name: string,
  settings: WorkspaceSettings,
): Promise<void> {
  requireUnlimited(person);
  await inTransaction(pool, 'select 1', async (client) => {
    const changed = await changedRows(client, person, name, settings);
    if (changed.length === 0)
      throw refuse(404, 'There is no workspace here that you administer.', 'Ask one of its administrators.');
    const { deleted } = settings;
    if (deleted !== undefined) for (const { id } of changed) await shutAnalysts(client, id, deleted);
  });
}

/** The workspace of this key with other settings; none where the person does not administer it. */
const changedRows = (
  client: Client,
  person: Person,
  name: string,
  { label, description, dye, icon, archived, deleted }: WorkspaceSettings,
): Promise<{ id: number }[]> =>
  catalogueOn(client)
    .update(workspaces)
    .set({
      ...(label === undefined ? {} : { label: label.trim() }),
      ...(description === undefined ? {} : { description }),
      ...(dye === undefined ? {} : { dye }),
      ...(icon === undefined ? {} : { icon }),
      ...(archived === undefined ? {} : { archivedAt: archived ? catalogueSql`now()` : null }),
      ...(deleted === undefined ? {} : { deletedAt: deleted ? catalogueSql`now()` : null }),
    })
    .where(
      and(
        eq(workspaces.key, name),
        // Who may do it is looked at here, as nobody has a access in what is in the bin.
        catalogueSql`
          exists (
            select
            from loom.memberships m
            where m.workspace = ${workspaces.id} and m.person = ${person.id} and m.role = 'administrator'
          )
        `,
      ),
    )
    .returning({ id: workspaces.id });
