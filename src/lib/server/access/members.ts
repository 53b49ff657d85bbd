import { and, asc, eq, sql as catalogueSql } from 'drizzle-orm';
import { isWithin, roleInWords } from '$core/access/rights';
import type { Role } from '$core/types/role';
import {
  analysts,
  groupMembers,
  groups,
  members,
  memberships,
  people,
  workspaces,
  type RoleId,
} from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { lookAgain } from '../database/changeEvents';
import { inTransaction } from '../database/transaction';
import { notHere, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import { auditing } from './audit';
import { madePerson } from './directory';
import { invite } from './invitations';
import { roleNamed } from './limits';
import { authorize, requireRight, type Need, type WorkspaceAccess } from './workspaceAccess';

/** Somebody who is in a workspace, or a group that is. */
interface InWorkspace {
  readonly id: number;
  readonly role: RoleId;
  readonly roleLabel: string;
  readonly since: string;
}

export interface Member extends InWorkspace {
  readonly name: string;
  readonly email: string;
  readonly post: string;
  /** When they were last seen anywhere, to the minute; null for never. */
  readonly seenAt: string | null;
  /** The group that they are in by, as long as they have no role of their own. */
  readonly via: string | null;
}

export interface GroupMember extends InWorkspace {
  readonly label: string;
  readonly description: string;
  readonly people: number;
}

/** What a role is called; one that was deleted is called so. */
const labelOf = ({ whole }: WorkspaceAccess, role: RoleId): string => roleNamed(whole.model, role)?.label ?? 'deleted';

/** Who is in a workspace, by name: by a role of their own, or by a group. */
export async function membersOf(connection: Pool | Client, access: WorkspaceAccess): Promise<Member[]> {
  const rows = await memberRows(connection, access).orderBy(asc(people.name), asc(people.id));
  return rows.map((row) => ({ ...row, roleLabel: labelOf(access, row.role) }));
}

const memberRows = (connection: Pool | Client, { workspace }: WorkspaceAccess, person?: number) =>
  catalogueOn(connection)
    .select({
      id: people.id,
      name: people.name,
      email: people.email,
      post: people.post,
      role: memberships.role,
      since: catalogueSql<string>`
        to_char(coalesce(${members.since}, ${groupMembers.since}) at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')
      `,
      seenAt: people.seenAt,
      via: groups.label,
    })
    .from(memberships)
    .innerJoin(people, eq(people.id, memberships.person))
    .leftJoin(members, and(eq(members.workspace, memberships.workspace), eq(members.person, memberships.person)))
    .leftJoin(groups, eq(groups.id, memberships.via))
    .leftJoin(
      groupMembers,
      and(eq(groupMembers.workspace, memberships.workspace), eq(groupMembers.group, memberships.via)),
    )
    .where(
      and(eq(memberships.workspace, workspace.id), person === undefined ? undefined : eq(memberships.person, person)),
    )
    .$dynamic();

/** Adds somebody of the Directory to a workspace. */
export async function addMember(
  pool: Pool,
  access: WorkspaceAccess,
  { person, role }: { readonly person: number | string; readonly role: RoleId },
): Promise<Member> {
  return changing(pool, access, 'people', async (client, now) => {
    const [found] = await catalogueOn(client)
      .select({ id: people.id })
      .from(people)
      .where(
        and(
          typeof person === 'number' ? eq(people.id, person) : eq(people.email, person.trim().toLowerCase()),
          catalogueSql`${people.deactivatedAt} is null`,
        ),
      );
    if (!found) throw refuse(422, 'There is no such person in the Directory.', 'Choose one of its people.', '/person');
    return memberMade(client, now, found.id, role);
  });
}

/** Puts somebody of the Directory into a workspace; refused where they have a role of their own there. */
async function memberMade(client: Client, access: WorkspaceAccess, id: number, role: RoleId): Promise<Member> {
  const given = roleInWords(givable(access, role));
  const made = await catalogueOn(client)
    .insert(members)
    .values({ workspace: access.workspace.id, person: id, role })
    .onConflictDoNothing()
    .returning({ person: members.person });
  const member = await memberNow(client, access, id);
  if (made.length === 0)
    throw refuse(409, `${member.name} is in this workspace already.`, 'Change their role instead.', '/person');
  await auditing(client, access.person, access.workspace.id, 'memberAdded', { who: member.name, role: given });
  return member;
}

/**
 * Invites somebody by address: into the Directory where they are not in it yet, and into the workspace; a message says
 * so, with an address to set a password at for one who has none.
 */
export async function inviteMember(
  pool: Pool,
  access: WorkspaceAccess,
  { email, name, role }: { readonly email: string; readonly name?: string; readonly role: RoleId },
  origin: string,
): Promise<Member> {
  const address = email.trim().toLowerCase();
  return changing(pool, access, 'people', async (client, now) => {
    const [known] = await catalogueOn(client)
      .select({ id: people.id, passwordHash: people.passwordHash, gone: people.deactivatedAt })
      .from(people)
      .where(eq(people.email, address));
    if (known && known.gone !== null)
      throw refuse(409, 'Whoever has this address is deactivated.', 'Have them activated in the Directory.', '/email');
    const id =
      known?.id ?? (await madePerson(client, { name: name ?? address.split('@')[0] ?? address, email: address }));
    const member = await memberMade(client, now, id, role);
    await invite(
      client,
      now.person,
      { id, name: member.name, email: address },
      origin,
      now.workspace.label,
      known?.passwordHash != null,
    );
    return member;
  });
}

/** Gives a member another role; one who is in by a group has a role of their own from then on. */
export async function changeMember(pool: Pool, access: WorkspaceAccess, person: number, role: RoleId): Promise<Member> {
  return changing(pool, access, 'people', async (client, now) => {
    const before = await memberNow(client, now, person);
    if (before.role === role && before.via === null) return before;
    requireWithin(now, before.role);
    const given = roleInWords(givable(now, role));
    await requireAnother(client, now, before, role);
    await catalogueOn(client)
      .insert(members)
      .values({ workspace: now.workspace.id, person, role })
      .onConflictDoUpdate({ target: [members.workspace, members.person], set: { role } });
    const facts = { who: before.name, before: inWords(before), role: given };
    await auditing(client, now.person, now.workspace.id, 'memberChanged', facts);
    return memberNow(client, now, person);
  });
}

/** Removes a member; everybody may leave by themselves. What they entered stays. */
export async function removeMember(pool: Pool, access: WorkspaceAccess, person: number): Promise<void> {
  const isOwn = person === access.person.id && access.person.limits === undefined;
  await changing(pool, access, 'see', async (client, now) => {
    const before = await memberNow(client, now, person);
    if (!isOwn) {
      requireRight(now, 'people');
      requireWithin(now, before.role);
    }
    if (before.via !== null)
      throw refuse(409, `${before.name} is in by the group ${before.via}.`, 'Take them out of the group.', '/person');
    await requireAnother(client, now, before, null);
    await catalogueOn(client)
      .delete(members)
      .where(and(eq(members.workspace, now.workspace.id), eq(members.person, person)));
    const facts = { who: before.name, role: inWords(before) };
    await auditing(client, now.person, now.workspace.id, 'memberRemoved', facts);
  });
}

/** The groups that a workspace is given to, by name. */
export async function groupsIn(connection: Pool | Client, access: WorkspaceAccess): Promise<GroupMember[]> {
  const rows = await catalogueOn(connection)
    .select({
      id: groups.id,
      label: groups.label,
      description: groups.description,
      role: groupMembers.role,
      since: groupMembers.since,
      people: catalogueSql<number>`(
        select count(*) from loom.group_people i
        join loom.people p on p.id = i.person and p.deactivated_at is null
        where i."group" = ${groups.id}
      )`.mapWith(Number),
    })
    .from(groupMembers)
    .innerJoin(groups, eq(groups.id, groupMembers.group))
    .where(eq(groupMembers.workspace, access.workspace.id))
    .orderBy(asc(groups.label));
  return rows.map((row) => ({ ...row, roleLabel: labelOf(access, row.role) }));
}

/** Gives a workspace to a group of the Directory, with a role that all of its people have there. */
export async function giveToGroup(
  pool: Pool,
  access: WorkspaceAccess,
  group: number,
  role: RoleId,
): Promise<GroupMember> {
  return changing(pool, access, 'people', async (client, now) => {
    const given = roleInWords(givable(now, role));
    const [found] = await catalogueOn(client).select().from(groups).where(eq(groups.id, group));
    if (!found) throw refuse(422, 'There is no such group in the Directory.', 'Choose one of its groups.', '/group');
    const before = (await groupsIn(client, now)).find(({ id }) => id === group);
    if (before) requireWithin(now, before.role);
    await catalogueOn(client)
      .insert(groupMembers)
      .values({ workspace: now.workspace.id, group, role })
      .onConflictDoUpdate({ target: [groupMembers.workspace, groupMembers.group], set: { role } });
    const who = `the group ${found.label}`;
    if (before) {
      const facts = { who, before: inWords(before), role: given };
      await auditing(client, now.person, now.workspace.id, 'memberChanged', facts);
    } else await auditing(client, now.person, now.workspace.id, 'memberAdded', { who, role: given });
    const after = (await groupsIn(client, now)).find(({ id }) => id === group);
    if (!after) throw notHere('group');
    return after;
  });
}

/** Takes a workspace away from a group. */
export async function takeFromGroup(pool: Pool, access: WorkspaceAccess, group: number): Promise<void> {
  await changing(pool, access, 'people', async (client, now) => {
    const before = (await groupsIn(client, now)).find(({ id }) => id === group);
    if (!before) throw notHere('group');
    requireWithin(now, before.role);
    await catalogueOn(client)
      .delete(groupMembers)
      .where(and(eq(groupMembers.workspace, now.workspace.id), eq(groupMembers.group, group)));
    const facts = { who: `the group ${before.label}`, role: inWords(before) };
    await auditing(client, now.person, now.workspace.id, 'memberRemoved', facts);
  });
}

/** How many people, groups and ways into the database have a role. */
export async function holdersOf(connection: Pool | Client, access: WorkspaceAccess): Promise<Map<RoleId, number>> {
  const counts = new Map<RoleId, number>();
  for (const { role, via } of await membersOf(connection, access))
    if (via === null) counts.set(role, (counts.get(role) ?? 0) + 1);
  const analysing = await catalogueOn(connection)
    .select({ role: analysts.role })
    .from(analysts)
    .where(eq(analysts.workspace, access.workspace.id));
  for (const { role } of [...(await groupsIn(connection, access)), ...analysing])
    counts.set(role, (counts.get(role) ?? 0) + 1);
  return counts;
}

/** A role that is here and that whoever gives it has no less than. */
function givable(access: WorkspaceAccess, id: RoleId): Role {
  const role = roleNamed(access.whole.model, id);
  if (!role) throw refuse(422, 'There is no such role here.', 'Choose one of the roles on the page People.', '/role');
  requireWithin(access, id);
  return role;
}

function requireWithin({ whole, rights }: WorkspaceAccess, id: RoleId): void {
  const role = roleNamed(whole.model, id);
  if (role && !isWithin(role, rights))
    throw refuse(
      403,
      `The role ${role.label} may do more than yours.`,
      'Ask an administrator of the workspace.',
      '/role',
    );
}

const inWords = ({ role, roleLabel }: InWorkspace): string => roleInWords({ id: role, label: roleLabel });

async function memberNow(client: Client, access: WorkspaceAccess, person: number): Promise<Member> {
  const [found] = await memberRows(client, access, person);
  if (!found) throw notHere('member');
  return { ...found, roleLabel: labelOf(access, found.role) };
}

/** A workspace always has an administrator by a role of their own. */
async function requireAnother(client: Client, access: WorkspaceAccess, of: Member, role: RoleId | null): Promise<void> {
  if (of.role !== 'administrator' || of.via !== null || role === 'administrator') return;
  const [row] = await catalogueOn(client)
    .select({ others: catalogueSql<number>`count(*)`.mapWith(Number) })
    .from(memberships)
    .where(
      and(
        eq(memberships.workspace, access.workspace.id),
        eq(memberships.role, 'administrator'),
        catalogueSql`${memberships.via} is null and ${memberships.person} <> ${of.id}`,
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
  need: Need,
  work: (client: Client, access: WorkspaceAccess) => Promise<T>,
): Promise<T> {
  return inTransaction(pool, 'select 1', async (client) => {
    // Two administrators who remove each other come one after the other, and the later one is none any more.
    await client.query(sql`select 1 from loom.members where workspace = ${workspace.id} order by person for update`);
    const [here] = await catalogueOn(client)
      .select({ id: workspaces.id })
      .from(workspaces)
      .where(eq(workspaces.id, workspace.id));
    if (!here) throw notHere('workspace');
    const done = await work(client, await authorize(client, person, String(workspace.id), need));
    await lookAgain(client, [workspace.id]);
    return done;
  });
}
