import { randomBytes } from 'node:crypto';
import { and, eq } from 'drizzle-orm';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { has, isWithin } from '$core/access/rights';
import { auditing } from '../access/audit';
import { lockExclusively } from '../access/lock';
import { roleNamed } from '../access/limits';
import { newSecret } from '../access/secrets';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import { analysts, people, type RoleId } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { errorCode, inTransaction } from '../database/transaction';
import { dropAnalystViews, keepAnalystViews, stands } from './analystViews';

/** A read-only way into the database, as it is shown: never its password, which is shown once. */
export interface AnalystShown {
  readonly id: number;
  readonly label: string;
  readonly role: RoleId;
  readonly roleLabel: string;
  readonly names: 'labels' | 'keys';
  /** The name of its database role, and of the schema that it reads. */
  readonly login: string;
  readonly madeAt: string;
  readonly by: string;
  /** Connections that are open now. */
  readonly connected: number;
}

export interface AnalystWish {
  readonly label: string;
  readonly role: RoleId;
  readonly names: 'labels' | 'keys';
}

/** The ways into the database of a workspace, in the order they were made. */
export async function analystsOf(connection: Pool | Client, { whole }: WorkspaceAccess): Promise<AnalystShown[]> {
  const rows = await catalogueOn(connection)
    .select({ analyst: analysts, by: people.name })
    .from(analysts)
    .innerJoin(people, eq(people.id, analysts.person))
    .where(eq(analysts.workspace, whole.id))
    .orderBy(analysts.id);
  const { rows: open } = await connection.query<{ login: string; n: number }>(sql`
    select usename as login, count(*)::int as n from pg_stat_activity
    where usename = any(${rows.map(({ analyst }) => analyst.login)}) group by usename
  `);
  return rows.map(({ analyst: { id, label, role, names, login, madeAt }, by }) => ({
    id,
    label,
    role,
    roleLabel: roleNamed(whole.model, role)?.label ?? 'a role that is gone',
    names,
    login,
    madeAt,
    by,
    connected: open.find((one) => one.login === login)?.n ?? 0,
  }));
}

/** Settings of every such role: it reads, for a minute at a time, in few connections. */
const settings = [
  `default_transaction_read_only = on`,
  `statement_timeout = '60s'`,
  `idle_in_transaction_session_timeout = '60s'`,
  `lock_timeout = '5s'`,
];
const mostConnections = 5;

/**
 * Makes a database role that reads a workspace as tables, cut to what one of its roles may see; its address with the
 * password is in the answer, and nowhere else.
 */
export async function makeAnalyst(
  pool: Pool,
  access: WorkspaceAccess,
  { label, role: id, names }: AnalystWish,
): Promise<AnalystShown & { readonly password: string; readonly address: string }> {
  const { whole, rights, person } = access;
  const role = roleNamed(whole.model, id);
  if (!role) throw refuse(422, 'There is no such role here.', 'Use one of the roles of the workspace.', '/role');
  if (!has(role, 'takeOut'))
    throw refuse(422, `The role ${role.label} does not take data out.`, 'Use a role that may, or let it.', '/role');
  if (!isWithin(role, rights))
    throw refuse(403, `The role ${role.label} may do more than yours.`, 'Choose another one.', '/role');
  // Roles are of the whole server, whatever databases it has.
  const login = `loom_reader_${randomBytes(6).toString('hex')}`;
  const password = newSecret();
  const name = quoteIdentifier(login);
  try {
    return await inTransaction(pool, 'select 1', async (client) => {
      await lockExclusively(client, [whole.id]);
      const [made] = await catalogueOn(client)
        .insert(analysts)
        .values({ workspace: whole.id, label: label.trim(), role: id, login, names, person: person.id })
        .returning({ id: analysts.id });
      await client.query(
        [
          `create role ${name} login nosuperuser nocreatedb nocreaterole noinherit connection limit ${mostConnections}
             password ${quoteText(password)}`,
          ...settings.map((setting) => `alter role ${name} set ${setting}`),
          `alter role ${name} set search_path = ${name}`,
          // Whoever is a member may put it out.
          `grant ${name} to current_user`,
        ].join('; '),
      );
      for (const limit of limits(name)) await tried(client, limit);
      await keepAnalystViews(client, [whole.id]);
      await auditing(client, person, whole.id, 'analystMade', { label: label.trim(), role: role.label });
      const shown = (await analystsOf(client, access)).find((one) => one.id === made?.id);
      if (!shown) throw new Error('what was made is there');
      return { ...shown, password, address: addressOf(pool, login, password) };
    });
  } catch (error) {
    if (errorCode(error) === '42501')
      throw refuse(
        422,
        'The database lets this server make no roles.',
        'Ask whoever runs the server to give its database role CREATEROLE.',
      );
    throw error;
  }
}

/**
 * What whoever connects could do to others: fill the disk with temporary tables or sorts, and take the locks by which
 * edits wait for each other. Each takes a right that the server's own role may not have.
 */
const limits = (name: string): string[] => [
  `do $$ begin execute format('revoke temporary on database %I from public', current_database()); end $$`,
  `alter role ${name} set temp_file_limit = '1GB'`,
  ...['lock', 'lock_shared', 'xact_lock', 'xact_lock_shared'].flatMap((lock) =>
    ['', 'try_'].flatMap((tries) =>
      ['bigint', 'int, int'].map(
        (keys) => `revoke execute on function pg_${tries}advisory_${lock}(${keys}) from public`,
      ),
    ),
  ),
];

async function tried(client: Client, statement: string): Promise<void> {
  await client.query('savepoint tried');
  try {
    await client.query(statement);
  } catch (error) {
    if (errorCode(error) !== '42501') throw error;
    await client.query('rollback to savepoint tried');
  }
  await client.query('release savepoint tried');
}

/** Where it connects to, as the server itself does. */
function addressOf(pool: Pool, login: string, password: string): string {
  const url = new URL(pool.options.connectionString ?? 'postgres://localhost/');
  [url.username, url.password] = [login, password];
  return url.href;
}

/** Takes a way into the database away; who reads by it is put out at once. */
export async function deleteAnalyst(pool: Pool, access: WorkspaceAccess, id: number): Promise<void> {
  const { whole, person } = access;
  const login = await inTransaction(pool, 'select 1', async (client) => {
    await lockExclusively(client, [whole.id]);
    const [found] = await catalogueOn(client)
      .select()
      .from(analysts)
      .where(and(eq(analysts.id, id), eq(analysts.workspace, whole.id)));
    if (!found) throw notHere('way into the database');
    // First: a role that nobody can connect as any more has no new connections.
    await letIn(client, found.login, false);
    await auditing(client, person, whole.id, 'analystDeleted', { label: found.label });
    return found.login;
  });
  await putOut(pool, login);
  await inTransaction(pool, 'select 1', async (client) => {
    await client.query(`drop schema if exists ${quoteIdentifier(login)} cascade`);
    await client.query(`drop role if exists ${quoteIdentifier(login)}`);
    await catalogueOn(client).delete(analysts).where(eq(analysts.id, id));
  });
}

async function letIn(client: Client, login: string, isLet: boolean): Promise<void> {
  if (await stands(client, login))
    await client.query(`alter role ${quoteIdentifier(login)} ${isLet ? 'login' : 'nologin'}`);
}

const putOut = (connection: Pool | Client, login: string): Promise<unknown> =>
  connection.query(sql`select pg_terminate_backend(pid) from pg_stat_activity where usename = ${login}`);

/** Shuts the ways into a workspace that goes to the bin, or opens those of one that comes back. */
export async function shutAnalysts(client: Client, workspace: number, shut: boolean): Promise<void> {
  const rows = await catalogueOn(client)
    .select({ login: analysts.login })
    .from(analysts)
    .where(eq(analysts.workspace, workspace));
  for (const { login } of rows) {
    await letIn(client, login, !shut);
    if (shut) await putOut(client, login);
  }
  if (shut) await dropAnalystViews(client, [workspace]);
  else await keepAnalystViews(client, [workspace]);
}

/**
 * Ends what analysts have no business with: statements beyond their minute, which they can give themselves, and locks
 * of ours.
 */
export async function watchAnalysts(pool: Pool): Promise<void> {
  await pool.query(sql`
    select pg_terminate_backend(a.pid) from pg_stat_activity a join loom.analysts n on n.login = a.usename
    where a.state <> 'idle' and a.query_start < now() - interval '90 seconds'
      or exists (select from pg_locks l where l.pid = a.pid and l.locktype = 'advisory')
  `);
}
