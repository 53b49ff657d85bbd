import { and, asc, eq, sql as catalogueSql } from 'drizzle-orm';
import { members, people, type Role } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { lookAgain } from '../database/changeEvents';
import { inTransaction } from '../database/transaction';
import { notHere, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import { auditing } from './audit';
import { roleWithin } from './limits';
import { requireRole, type WorkspaceAccess } from './workspaceAccess';

/** Somebody who is in a workspace. */
export interface Member {
  readonly id: number;
  readonly name: string;
  readonly email: string;
  readonly post: string;
  readonly role: Role;
  readonly since: string;
  /** When they were last seen anywhere, to the minute; null for never. */
  readonly seenAt: string | null;
}

const columns = {
  id: people.id,
  name: people.name,
  email: people.email,
  post: people.post,
  role: members.role,
  since: members.since,
  seenAt: people.seenAt,
};

/** Who is in a workspace, by name. */
export const membersOf = (connection: Pool | Client, { workspace }: WorkspaceAccess): Promise<Member[]> =>
  catalogueOn(connection)
    .select(columns)
    .from(members)
    .innerJoin(people, eq(people.id, members.person))
    .where(eq(members.workspace, workspace.id))
    .orderBy(asc(people.name), asc(people.id));

/** Adds somebody of the Directory to a workspace. */
export async function addMember(
  pool: Pool,
  access: WorkspaceAccess,
  { person, role }: { readonly person: number | string; readonly role: Role },
): Promise<Member> {
  return changing(pool, access, 'administrator', async (client) => {
    const [found] = await catalogueOn(client)
      .select({ id: people.id, name: people.name })
      .from(people)
      .where(typeof person === 'number' ? eq(people.id, person) : eq(people.email, person.trim().toLowerCase()));
    if (!found) throw refuse(422, 'There is no such person in the Directory.', 'Choose one of its people.', '/person');
    const made = await catalogueOn(client)
      .insert(members)
      .values({ workspace: access.workspace.id, person: found.id, role })
      .onConflictDoNothing()
      .returning({ person: members.person });
    if (made.length === 0)
      throw refuse(409, `${found.name} is in this workspace already.`, 'Change their role instead.', '/person');
    await auditing(client, access.person, access.workspace.id, 'memberAdded', { who: found.name, role });
    return memberNow(client, access, found.id);
  });
}

/** Gives a member another role. */
export async function changeMember(pool: Pool, access: WorkspaceAccess, person: number, role: Role): Promise<Member> {
  return changing(pool, access, 'administrator', async (client) => {
    const before = await memberNow(client, access, person);
    if (before.role === role) return before;
    await requireAnother(client, access, before, role);
    await catalogueOn(client).update(members).set({ role }).where(isMember(access, person));
    const facts = { who: before.name, before: before.role, role };
    await auditing(client, access.person, access.workspace.id, 'memberChanged', facts);
    return { ...before, role };
  });
}

/** Removes a member; everybody may leave by themselves. What they entered stays. */
export async function removeMember(pool: Pool, access: WorkspaceAccess, person: number): Promise<void> {
  const isOwn = person === access.person.id && access.person.limits === undefined;
  await changing(pool, access, 'reader', async (client, role) => {
    const before = await memberNow(client, access, person);
    if (!isOwn) requireRole(role, 'administrator');
    await requireAnother(client, access, before, null);
    await catalogueOn(client).delete(members).where(isMember(access, person));
    const facts = { who: before.name, role: before.role };
    await auditing(client, access.person, access.workspace.id, 'memberRemoved', facts);
  });
}

const isMember = ({ workspace }: WorkspaceAccess, person: number) =>
  and(eq(members.workspace, workspace.id), eq(members.person, person));

async function memberNow(client: Client, access: WorkspaceAccess, person: number): Promise<Member> {
  const [found] = await catalogueOn(client)
    .select(columns)
    .from(members)
    .innerJoin(people, eq(people.id, members.person))
    .where(isMember(access, person));
  if (!found) throw notHere('member');
  return found;
}

/** A workspace always has an administrator. */
async function requireAnother(client: Client, access: WorkspaceAccess, of: Member, role: Role | null): Promise<void> {
  if (of.role !== 'administrator' || role === 'administrator') return;
  const [row] = await catalogueOn(client)
    .select({ others: catalogueSql<number>`count(*)`.mapWith(Number) })
    .from(members)
    .where(
      and(
        eq(members.workspace, access.workspace.id),
        eq(members.role, 'administrator'),
        catalogueSql`${members.person} <> ${of.id}`,
      ),
    );
  if (row?.others === 0)
    throw refuse(409, `${of.name} is the only administrator here.`, 'Make somebody else administrator first.', '/role');
}

/**
 * Changes who is in a workspace, one change after the other, as long as who does it may; open pages of the workspace
 * look at their rights again at once.
 */
async function changing<T>(
  pool: Pool,
  { workspace, person }: WorkspaceAccess,
  least: Role,
  work: (client: Client, role: Role) => Promise<T>,
): Promise<T> {
  return inTransaction(pool, 'select 1', async (client) => {
    // Two administrators who remove each other come one after the other, and the later one is none any more.
    await client.query(sql`select 1 from loom.members where workspace = ${workspace.id} order by person for update`);
    const { rows } = await client.query<{ role: Role }>(
      sql`select role from loom.members where workspace = ${workspace.id} and person = ${person.id}`,
    );
    if (!rows[0]) throw notHere('workspace');
    const role = roleWithin(person, rows[0].role);
    requireRole(role, least);
    const done = await work(client, role);
    await lookAgain(client, [workspace.id]);
    return done;
  });
}
