import { and, desc, eq, lt, sql, type SQL } from 'drizzle-orm';
import { tableNamed } from '$core/model/model';
import type { Role } from '$core/types/role';
import { memberships, people, tokenCalls, tokens, workspaces, type RoleId } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { lookAgain } from '../database/changeEvents';
import { inTransaction } from '../database/transaction';
import { notHere, refuse } from '../base/refusal';
import { auditing } from './audit';
import { hashOfSecret, newSecret } from './secrets';
import { roleNamed } from './limits';
import { authorize, type WorkspaceAccess } from './workspaceAccess';
import type { Person } from './models';
import { pageOf, type Listed } from '../base/listed';

/** A token as its owner sees it: never the secret, which is shown once. */
export interface TokenShown {
  readonly id: number;
  readonly label: string;
  readonly madeAt: string;
  readonly role: RoleId | null;
  readonly roleLabel: string | null;
  /** The workspace it is for, by key and label; null: wherever its owner may. */
  readonly workspace: string | null;
  readonly workspaceLabel: string | null;
  /** The tables it is for, by key and label; null: all of them. */
  readonly tables: readonly { readonly key: string; readonly label: string }[] | null;
  readonly endsAt: string | null;
  readonly usedAt: string | null;
}

export interface TokenWish {
  readonly label: string;
  readonly role?: RoleId;
  /** By key or id. */
  readonly workspace?: string;
  /** Of the workspace, by key or id. */
  readonly tables?: readonly string[];
  /** In days from now; without it the token has no end. */
  readonly days?: number;
}

/** A person's tokens, the newest first. */
export const tokensOf = (connection: Pool | Client, person: Person): Promise<TokenShown[]> =>
  shown(connection, eq(tokens.person, person.id));

/** Tokens with the tables that they are for, as those are called today; those that are gone are left out. */
async function shown(connection: Pool | Client, which: SQL | undefined): Promise<TokenShown[]> {
  const rows = await catalogueOn(connection)
    .select({
      id: tokens.id,
      label: tokens.label,
      madeAt: tokens.madeAt,
      role: tokens.role,
      workspace: workspaces.key,
      workspaceLabel: workspaces.label,
      roles: sql<readonly Role[] | null>`${workspaces.model} #> '{parts,role}'`,
      tables: sql<TokenShown['tables']>`
        case when ${tokens.tables} is not null then (
          select coalesce(jsonb_agg(jsonb_build_object('key', t -> 'key', 'label', t -> 'label') order by n), '[]')
          from jsonb_array_elements(${workspaces.model} -> 'tables') with ordinality e(t, n)
          where t ->> 'id' = any(${tokens.tables})
        ) end
      `,
      endsAt: tokens.endsAt,
      usedAt: tokens.usedAt,
    })
    .from(tokens)
    .leftJoin(workspaces, eq(workspaces.id, tokens.workspace))
    .where(which)
    .orderBy(desc(tokens.id));
  return rows.map(({ id, label, madeAt, role, roles, ...rest }) => ({
    id,
    label,
    madeAt,
    role,
    roleLabel: role && (roleNamed({ parts: { role: roles ?? [] } }, role)?.label ?? role),
    ...rest,
  }));
}

/** Makes a token; the secret is in the answer, and nowhere else. */
export async function makeOwnToken(
  pool: Pool,
  person: Person,
  wish: TokenWish,
): Promise<TokenShown & { readonly token: string }> {
  requireByHand(person);
  const label = wish.label.trim();
  if (label === '') throw refuse(422, 'The name is empty.', 'Write what the token is for.', '/label');
  const within = wish.workspace === undefined ? null : await authorize(pool, person, wish.workspace, 'see');
  requireKnown(wish.role, within);
  const named = wish.tables && tablesNamed(wish.tables, within);
  const secret = newSecret();
  return inTransaction(pool, 'select 1', async (client) => {
    const [made] = await catalogueOn(client)
      .insert(tokens)
      .values({
        hash: hashOfSecret(secret),
        person: person.id,
        label,
        ...(wish.role ? { role: wish.role } : {}),
        ...(within ? { workspace: within.workspace.id } : {}),
        ...(named ? { tables: named } : {}),
        ...(wish.days === undefined ? {} : { endsAt: sql`now() + make_interval(days => ${wish.days})` }),
      })
      .returning({ id: tokens.id });
    const [token] = await shown(client, eq(tokens.id, made?.id ?? 0));
    if (!token) throw new Error('a token that was made is there');
    const { role, endsAt } = token;
    await auditing(client, person, within?.workspace.id ?? null, 'tokenMade', { label, role, ends: endsAt });
    return { ...token, token: secret };
  });
}

/** The identities of tables by their names; they are those of one workspace. */
function tablesNamed(names: readonly string[], within: WorkspaceAccess | null): string[] {
  if (!within) throw refuse(422, 'Tables are those of a workspace.', 'Name the workspace, too.', '/tables');
  return names.map((name, at) => {
    const table = tableNamed(within.workspace.model, name);
    if (!table || table.home !== undefined)
      throw refuse(422, `There is no table “${name}” here.`, 'Use a key from the model.', `/tables/${at}`);
    return table.id;
  });
}

/** A role of a workspace's own means something there only. */
function requireKnown(role: RoleId | undefined, within: WorkspaceAccess | null): void {
  if (role !== undefined && !roleNamed(within?.whole.model ?? {}, role))
    throw refuse(
      422,
      'There is no such role here.',
      within ? 'Use one of the roles of the workspace.' : 'Name the workspace whose role it is.',
      '/role',
    );
}

/** Takes a token away at once, and what listens by it is told nothing more. */
export async function revokeToken(pool: Pool, person: Person, id: number): Promise<void> {
  requireByHand(person);
  await inTransaction(pool, 'select 1', async (client) => {
    const [gone] = await catalogueOn(client)
      .delete(tokens)
      .where(and(eq(tokens.id, id), eq(tokens.person, person.id)))
      .returning({ label: tokens.label, workspace: tokens.workspace });
    if (!gone) throw notHere('token');
    await auditing(client, person, gone.workspace, 'tokenRevoked', { label: gone.label });
    const there = gone.workspace === null ? await workspacesOf(client, person) : [gone.workspace];
    await lookAgain(client, there);
  });
}

/** A call of a program: when it asked for what, and how that was answered. */
export interface TokenCall {
  readonly id: number;
  readonly at: string;
  readonly method: string;
  readonly path: string;
  readonly status: number;
}

/** What was asked by a token of a person's, newest first, with the number to go on after; null at the end. */
export async function callsOf(
  connection: Pool | Client,
  person: Person,
  id: number,
  { after, limit }: { readonly after?: number | undefined; readonly limit: number },
): Promise<Listed<TokenCall>> {
  const [own] = await shown(connection, and(eq(tokens.id, id), eq(tokens.person, person.id)));
  if (!own) throw notHere('token');
  const { id: number, at, method, path, status } = tokenCalls;
  const rows = await catalogueOn(connection)
    .select({ id: number, at, method, path, status })
    .from(tokenCalls)
    .where(and(eq(tokenCalls.token, id), after === undefined ? undefined : lt(number, after)))
    .orderBy(desc(number))
    .limit(limit + 1);
  return pageOf(rows, limit, ({ id: last }) => last);
}

async function workspacesOf(client: Client, person: Person): Promise<number[]> {
  const rows = await catalogueOn(client)
    .select({ workspace: memberships.workspace })
    .from(memberships)
    .where(eq(memberships.person, person.id));
  return rows.map(({ workspace }) => workspace);
}

/** Whoever has a program's token must not get a further one by it. */
function requireByHand({ limits }: Person): void {
  if (limits) throw refuse(403, 'A token cannot make or revoke tokens.', 'Sign in, and do it on the page Tokens.');
}

/** A token for a local server's owner, with all the rights of a person and no end. */
export async function makeToken(pool: Pool, email: string, label: string): Promise<string> {
  const db = catalogueOn(pool);
  const [person] = await db.select({ id: people.id }).from(people).where(eq(people.email, email.toLowerCase()));
  if (!person)
    throw refuse(404, `There is no person ${email} here.`, 'Use one of the addresses that ./loom demo prints.');
  const secret = newSecret();
  await db.insert(tokens).values({ hash: hashOfSecret(secret), person: person.id, label });
  return secret;
}
