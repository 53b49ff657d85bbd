import { and, asc, count, eq, inArray, isNull, sql as catalogueSql } from 'drizzle-orm';
import { groupPeople, groups, people } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { errorCode, inTransaction } from '../database/transaction';
import { lookAgain } from '../database/changeEvents';
import { notHere, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import { auditing } from './audit';
import { invite } from './invitations';
import type { Person } from './models';

/** A person of the organisation, as fields show and offer them. */
export interface DirectoryEntry {
  readonly id: number;
  readonly name: string;
  readonly email: string;
  readonly post: string;
}

/** Everybody in the Directory who is not deactivated, by name. It is small: an organisation's people, not the public. */
export const directory = (connection: Pool | Client): Promise<DirectoryEntry[]> =>
  catalogueOn(connection)
    .select({ id: people.id, name: people.name, email: people.email, post: people.post })
    .from(people)
    .where(catalogueSql`${people.deactivatedAt} is null`)
    .orderBy(people.name, people.id);

/** A person as those who manage the Directory see them. */
export interface PersonShown extends DirectoryEntry {
  readonly manages: boolean;
  readonly signsIn: boolean;
  readonly deactivatedAt: string | null;
  readonly seenAt: string | null;
  /** The ids of their groups. */
  readonly groups: readonly number[];
}

export interface GroupShown {
  readonly id: number;
  readonly label: string;
  readonly description: string;
  /** Whether the sign-in of the organisation says who is in it. */
  readonly follows: boolean;
  /** How many are in it who are not deactivated. */
  readonly people: number;
}

/** Whether somebody changes the Directory. */
export async function managesDirectory(connection: Pool | Client, { id, limits, seeAs }: Person): Promise<boolean> {
  if (limits || seeAs) return false;
  const [found] = await catalogueOn(connection)
    .select({ manages: people.manages })
    .from(people)
    .where(eq(people.id, id));
  return found?.manages ?? false;
}

async function requireManages(connection: Pool | Client, person: Person): Promise<void> {
  if (!(await managesDirectory(connection, person)))
    throw refuse(403, 'You do not manage the Directory.', 'Ask somebody who does.');
}

/** Everybody, deactivated ones too, by name; for those who manage the Directory. */
export async function allPeople(connection: Pool | Client, by: Person): Promise<PersonShown[]> {
  await requireManages(connection, by);
  return shownPeople(connection);
}

async function shownPeople(connection: Pool | Client, id?: number): Promise<PersonShown[]> {
  return catalogueOn(connection)
    .select({
      id: people.id,
      name: people.name,
      email: people.email,
      post: people.post,
      manages: people.manages,
      signsIn: catalogueSql<boolean>`${people.passwordHash} is not null`,
      deactivatedAt: people.deactivatedAt,
      seenAt: people.seenAt,
      groups: catalogueSql<number[]>`
        array(select i."group" from loom.group_people i where i.person = ${people.id} order by 1)
      `,
    })
    .from(people)
    .where(id === undefined ? undefined : eq(people.id, id))
    .orderBy(asc(people.name), asc(people.id));
}

async function personNow(connection: Pool | Client, id: number): Promise<PersonShown> {
  const [found] = await shownPeople(connection, id);
  if (!found) throw notHere('person');
  return found;
}

/** What is settled about a person. */
export interface PersonWish {
  readonly name?: string;
  readonly email?: string;
  readonly post?: string;
  readonly manages?: boolean;
  readonly deactivated?: boolean;
}

/** Adds somebody to the Directory; `origin` where they are sent an address to set a password. */
export async function addPerson(
  pool: Pool,
  by: Person,
  { name, email, post = '' }: Required<Pick<PersonWish, 'name' | 'email'>> & PersonWish,
  origin: string | null,
): Promise<PersonShown> {
  await requireManages(pool, by);
  return inTransaction(pool, 'select 1', async (client) => {
    const id = await madePerson(client, { name, email, post });
    await auditing(client, by, null, 'personAdded', { who: name });
    if (origin !== null) await invite(client, by, { id, name, email }, origin, null);
    return personNow(client, id);
  });
}

/** Puts somebody into the Directory, who cannot sign in yet. */
export async function madePerson(
  client: Client,
  { name, email, post = '' }: { readonly name: string; readonly email: string; readonly post?: string },
): Promise<number> {
  try {
    const [made] = await catalogueOn(client)
      .insert(people)
      .values({ name: name.trim(), email: email.trim().toLowerCase(), post: post.trim() })
      .returning({ id: people.id });
    return made?.id ?? 0;
  } catch (error) {
    if (errorCode(error) === '23505')
      throw refuse(409, 'Somebody in the Directory has this address.', 'Look for them in the list.', '/email');
    throw error;
  }
}

/** Changes what is known of somebody; one who is deactivated is out everywhere, at once. */
export async function changePerson(pool: Pool, by: Person, id: number, wish: PersonWish): Promise<PersonShown> {
  await requireManages(pool, by);
  if (id === by.id && (wish.deactivated || wish.manages === false))
    throw refuse(409, 'Somebody else has to do this to you.', 'Ask another who manages the Directory.');
  return inTransaction(pool, 'select 1', async (client) => {
    const before = await personNow(client, id);
    await catalogueOn(client)
      .update(people)
      .set({
        name: wish.name?.trim() ?? before.name,
        post: wish.post?.trim() ?? before.post,
        manages: wish.manages ?? before.manages,
        ...(wish.deactivated === undefined
          ? {}
          : { deactivatedAt: wish.deactivated ? catalogueSql`coalesce(${people.deactivatedAt}, now())` : null }),
      })
      .where(eq(people.id, id));
    if (wish.deactivated) {
      await client.query(sql`delete from loom.sessions where person = ${id}`);
      await client.query(sql`delete from loom.invitations where person = ${id}`);
    }
    if (wish.deactivated !== undefined && wish.deactivated !== (before.deactivatedAt !== null))
      await auditing(client, by, null, wish.deactivated ? 'personDeactivated' : 'personActivated', {
        who: before.name,
      });
    await lookAgain(client, await workspacesWith(client, [id]));
    return personNow(client, id);
  });
}

/** Every group, by name. */
export async function allGroups(connection: Pool | Client): Promise<GroupShown[]> {
  return catalogueOn(connection)
    .select({
      id: groups.id,
      label: groups.label,
      description: groups.description,
      follows: groups.follows,
      people: count(people.id),
    })
    .from(groups)
    .leftJoin(groupPeople, eq(groupPeople.group, groups.id))
    .leftJoin(people, and(eq(people.id, groupPeople.person), isNull(people.deactivatedAt)))
    .groupBy(groups.id)
    .orderBy(asc(groups.label));
}

/** What is settled about a group; `people` are all who are in it. */
export interface GroupWish {
  readonly label?: string;
  readonly description?: string;
  readonly follows?: boolean;
  readonly people?: readonly number[];
}

/** Makes a group, or changes one; whoever comes or goes is in, or out, of what it was given at once. */
export async function keepGroup(pool: Pool, by: Person, id: number | null, wish: GroupWish): Promise<GroupShown> {
  await requireManages(pool, by);
  return inTransaction(pool, 'select 1', async (client) => {
    const group = id ?? (await madeGroup(client, wish));
    const before = (await allGroups(client)).find((one) => one.id === group);
    if (!before) throw notHere('group');
    await catalogueOn(client)
      .update(groups)
      .set({
        label: wish.label?.trim() ?? before.label,
        description: wish.description ?? before.description,
        follows: wish.follows ?? before.follows,
      })
      .where(eq(groups.id, group))
      .catch(sameName);
    if (wish.people) await setPeople(client, group, wish.people);
    const facts = { label: wish.label?.trim() ?? before.label };
    await auditing(client, by, null, id === null ? 'groupMade' : 'groupChanged', facts);
    await lookAgain(client, await workspacesOfGroup(client, group));
    const after = (await allGroups(client)).find((one) => one.id === group);
    if (!after) throw notHere('group');
    return after;
  });
}

function sameName(error: unknown): never {
  if (errorCode(error) === '23505')
    throw refuse(409, 'There is a group of this name.', 'Choose another name.', '/label');
  throw error;
}

async function madeGroup(client: Client, { label = '' }: GroupWish): Promise<number> {
  const [made] = await catalogueOn(client)
    .insert(groups)
    .values({ label: label.trim() })
    .returning({ id: groups.id })
    .catch(sameName);
  return made?.id ?? 0;
}

async function setPeople(client: Client, group: number, ids: readonly number[]): Promise<void> {
  const known =
    ids.length === 0
      ? []
      : await catalogueOn(client)
          .select({ id: people.id })
          .from(people)
          .where(inArray(people.id, [...ids]));
  if (known.length < new Set(ids).size)
    throw refuse(422, 'Not all of these people are in the Directory.', 'Choose them from its list.', '/people');
  await catalogueOn(client).delete(groupPeople).where(eq(groupPeople.group, group));
  if (ids.length > 0)
    await catalogueOn(client)
      .insert(groupPeople)
      .values([...new Set(ids)].map((person) => ({ group, person })));
}

/** Deletes a group; whoever was in a workspace by it alone is out. */
export async function deleteGroup(pool: Pool, by: Person, id: number): Promise<void> {
  await requireManages(pool, by);
  await inTransaction(pool, 'select 1', async (client) => {
    const there = await workspacesOfGroup(client, id);
    const [gone] = await catalogueOn(client).delete(groups).where(eq(groups.id, id)).returning({ label: groups.label });
    if (!gone) throw notHere('group');
    await auditing(client, by, null, 'groupDeleted', gone);
    await lookAgain(client, there);
  });
}

async function workspacesOfGroup(client: Client, group: number): Promise<number[]> {
  const { rows } = await client.query<{ id: number }>(
    sql`select workspace as id from loom.group_members where "group" = ${group}`,
  );
  return rows.map(({ id }) => id);
}

/** The workspaces that people were or are in, by themselves or by a group. */
export async function workspacesWith(client: Client, ids: readonly number[]): Promise<number[]> {
  const { rows } = await client.query<{ id: number }>(
    sql`
      select workspace as id from loom.members where person = any(${ids})
      union
      select g.workspace from loom.group_members g
      join loom.group_people i on i."group" = g."group" and i.person = any(${ids})
    `,
  );
  return rows.map(({ id }) => id);
}
