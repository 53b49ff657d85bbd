import { and, eq, inArray, isNull, type SQL } from 'drizzle-orm';
import { tableNamed } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import { quoteText } from '$core/base/sql';
import { bothOf, builtInRole, designs, has, onlySeeing, roleInWords, writes } from '$core/access/rights';
import { leastSights, nameless, seenOf, type Sights } from '$core/parts/visible';
import type { Rights, Role, WorkspaceRight } from '$core/types/role';
import { memberships, people, workspaces, type RoleId } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { sql } from '../base/sql';
import { prepared } from '../sql/statement';
import { notHere, refuse } from '../base/refusal';
import type { Kept } from './keptRoutines';
import { membershipsOf, reaches, rightsWithin, roleNamed } from './limits';
import { homeColumns, homesOf, modelOver, type Home, type Person, type SeeAs } from './models';
import { recordCuts, viewerSql } from './recordCuts';
import type { RecordCuts, WorkspaceState } from './workspaceState';

export type { Home, Person };

/** Whoever comes by an address from outside: nobody of the Directory. */
export const nobodyOutside: Person = { id: 0, email: '', name: 'somebody outside' };

/**
 * A person's place in a workspace. Every server function that touches a workspace asks for one, and `authorize` is the
 * only place that gives them: this is where rights are decided.
 */
export interface WorkspaceAccess {
  readonly person: Person;
  readonly role: Pick<Role, 'id' | 'label'>;
  /** Who looks, for conditions that ask: the person, or whom they look as. */
  readonly viewer: number;
  /** As whom they look, in words: nothing is written then. */
  readonly seenAs?: string;
  /** What they may do here; what they may see follows from it. */
  readonly rights: Rights;
  /** The workspace as the person may see it; inside a write (`acting`) all of it. */
  readonly workspace: WorkspaceState;
  /** Inside a write: how its routines stood as that began, where there are any. */
  readonly routines?: ReadonlyMap<string, Kept>;
  /**
   * All of it, for what the system itself does on the person's behalf: never to be shown, and nothing they wrote is
   * read with it.
   */
  readonly whole: WorkspaceState;
  readonly sights: Sights;
  /** What of it the person may see: with this everything is read that they write. */
  readonly sight: Model;
  /** Where they see some records of tables only. */
  readonly cuts?: RecordCuts;
  /** The call it was taken for, where that has an Idempotency-Key; batches remember it. */
  readonly call?: KeyedCall;
  /** Where it goes by a membership of before, what gives a row for as long as it is so. */
  readonly still?: string;
}

/** What a call can need: to be in the workspace, to write in some table, or a right of the workspace. */
export type Need = 'see' | 'write' | WorkspaceRight;

/** What each of them is, behind “may”. */
export const needWords: Record<Need, string> = {
  see: 'see it',
  write: 'change records',
  design: 'change the structure',
  bringIn: 'bring data in',
  takeOut: 'take data out',
  share: 'share with others',
  routines: 'manage routines',
  people: 'manage people',
};

/** A workspace by its key or id, while it is not deleted. */
const isNamed = (workspace: string): SQL | undefined =>
  and(
    /^\d{1,9}$/.test(workspace) ? eq(workspaces.id, Number(workspace)) : eq(workspaces.key, workspace),
    isNull(workspaces.deletedAt),
  );

/** A workspace as a person asked for it, with the role that they have there; null where they have none. */
export interface Membership {
  readonly workspace: string;
  readonly found:
    (Omit<WorkspaceState, 'peers' | 'model'> & { readonly peers: number[]; readonly role: RoleId }) | null;
  /** A statement without parameters that gives a row for as long as it is so. */
  readonly still?: string;
}

/** Such a statement: that a person has this role there still, and that they are still who calls (`caller`). */
export const stillMember = (
  { person, workspace, role }: { readonly person: number; readonly workspace: number; readonly role: RoleId },
  caller: string,
): string => `
  select 1 from loom.memberships m join loom.workspaces w on w.id = m.workspace and w.deleted_at is null
  where m.workspace = ${workspace} and m.person = ${person} and m.role = ${quoteText(role)} and m.person = (${caller})`;

/** What a statement over `people` takes along to know what they are in a workspace. */
export const membershipIn = (workspace: string) => ({
  columns: { state: stateColumns, role: memberships.role },
  workspace: isNamed(workspace),
  member: and(eq(memberships.workspace, workspaces.id), eq(memberships.person, people.id)),
});

/**
 * The access of a person in a workspace, named by key or id, or a refusal: 404 without membership, 403 without the right.
 * `known`: what was read with the person.
 */
export async function authorize(
  connection: Pool | Client,
  person: Person,
  workspace: string,
  need: Need,
  known?: Membership,
): Promise<WorkspaceAccess> {
  const found = known?.workspace === workspace ? known.found : await membershipOf(connection, person, workspace);
  if (!found || !reaches(person, found.id)) throw notHere('workspace');
  const { role: id, ...state } = found;
  const whole = await withModel(connection, state);
  const role = roleNamed(whole.model, id);
  // A role that was deleted under somebody lets them see nothing.
  if (!role) throw notHere('workspace');
  const rights = rightsWithin(person, whole.model, role);
  const still = known?.workspace === workspace && known.still ? { still: known.still } : {};
  const own = accessTo({ person, role, rights, viewer: person.id, ...still }, whole, {
    own: rights,
    homes: await peerRights(connection, person, whole),
    viewer: person.id,
  });
  const access = person.seeAs?.workspace === whole.id ? await seenAs(connection, own, person.seeAs) : own;
  requireRight(access, need);
  return access;
}

async function membershipOf(
  connection: Pool | Client,
  person: Person,
  workspace: string,
): Promise<Membership['found']> {
  const [found] = await catalogueOn(connection)
    .select({ ...stateColumns, role: memberships.role })
    .from(workspaces)
    .innerJoin(memberships, and(eq(memberships.workspace, workspaces.id), eq(memberships.person, person.id)))
    .where(isNamed(workspace));
  return found ?? null;
}

/** An access in a workspace that is known whole, with what it may see of it. */
function accessTo(
  { viewer, ...of }: Omit<WorkspaceAccess, 'workspace' | 'whole' | 'sights' | 'sight' | 'cuts'>,
  whole: WorkspaceState,
  sights: Sights,
): WorkspaceAccess {
  const sight = seenOf(whole.model, sights);
  const cuts = recordCuts(whole, sights, viewer);
  const isWhole = sight === whole.model && cuts === null;
  return {
    ...of,
    viewer,
    whole,
    sights,
    sight,
    workspace: isWhole ? whole : { ...whole, model: sight, ...(cuts ? { cuts } : {}) },
    ...(cuts ? { cuts } : {}),
  };
}

/**
 * The workspace as somebody else sees it, for one who manages people; nothing is written with it. As a role it is looked
 * at by themselves, who may be whom its conditions let through.
 */
async function seenAs(connection: Pool | Client, own: WorkspaceAccess, as: SeeAs): Promise<WorkspaceAccess> {
  if (!has(own.rights, 'people')) return own;
  const { whole, person } = own;
  if ('role' in as) {
    const role = roleNamed(whole.model, as.role);
    return role ? accessAs(own, role, role, person.id, `a person with the role ${roleInWords(role)}`) : own;
  }
  const [found] = await catalogueOn(connection)
    .select({ role: memberships.role, name: people.name })
    .from(memberships)
    .innerJoin(people, eq(people.id, memberships.person))
    .where(and(eq(memberships.workspace, whole.id), eq(memberships.person, as.person)));
  const role = found && roleNamed(whole.model, found.role);
  if (!role) return own;
  // Of linked workspaces they see no more than they do by themselves.
  const theirs = await peerRights(connection, { id: as.person, email: '', name: found.name }, whole);
  const homes = Object.entries(theirs).flatMap(([key, rights]): [string, Rights][] => {
    const mine = own.sights.homes[key];
    return mine === undefined || mine === 'ends' ? [] : [[key, bothOf(rights, mine)]];
  });
  return accessAs(own, role, role, as.person, found.name, Object.fromEntries(homes));
}

/** The access that these rights would give to somebody, for looking only. */
export function accessAs(
  { person, whole, rights: own }: WorkspaceAccess,
  role: Pick<Role, 'id' | 'label'>,
  rights: Rights,
  viewer: number,
  words: string,
  homes: Readonly<Record<string, Rights>> = {},
): WorkspaceAccess {
  const both = bothOf(rights, own);
  return accessTo({ person, role, rights: onlySeeing(both), viewer, seenAs: words }, whole, { own: both, homes });
}

/** The access with all of the workspace before it, for what the system itself does on the person's behalf. */
export const acting = (access: WorkspaceAccess): WorkspaceAccess =>
  access.workspace === access.whole ? access : { ...access, workspace: access.whole };

/** As `acting`, for what is told of it and not done: what the person may not see has no name there. */
export const telling = (access: WorkspaceAccess): WorkspaceAccess =>
  access.workspace === access.whole
    ? access
    : { ...access, workspace: { ...access.whole, model: nameless(access.whole.model, access.sight) } };

/** The workspace as the person sees it, whatever the access has before it. */
export function seeing(access: WorkspaceAccess): WorkspaceAccess {
  const { workspace, sight, cuts } = access;
  if (workspace.model === sight && workspace.cuts === cuts) return access;
  const { cuts: _, ...state } = workspace;
  return { ...access, workspace: { ...state, model: sight, ...(cuts ? { cuts } : {}) } };
}

/** The access of the system itself, which sees everything. */
export const systemAccess = (whole: WorkspaceState): WorkspaceAccess =>
  accessTo(
    { person: { id: 0, email: '', name: 'the system' }, role: administrator, rights: administrator, viewer: 0 },
    whole,
    {
      own: administrator,
      homes: Object.fromEntries(whole.peers.map(({ key }) => [key, administrator])),
      viewer: 'everybody',
    },
  );

/**
 * The access of somebody from outside: it may write what a form lets through, and sees what every reader does, of no
 * other workspace.
 */
export const outsideAccess = (whole: WorkspaceState): WorkspaceAccess =>
  accessTo({ person: nobodyOutside, role: editor, rights: editor, viewer: 0 }, whole, leastSights);

/**
 * The access of a program that reads by a role of a workspace's own accord, and is no person: conditions that ask who
 * looks meet nothing, and of linked workspaces it sees what links show.
 */
export const analystAccess = (whole: WorkspaceState, role: Role): WorkspaceAccess => {
  const rights = onlySeeing(role);
  return accessTo({ person: nobodyOutside, role, rights, viewer: 0 }, whole, { own: role, homes: {} });
};

const [administrator, editor] = ['administrator', 'editor'].map((id) => builtInRole(id)) as [Role, Role];

/**
 * What a person may do in the workspaces that one is linked with, by their keys. Where they are no member it is left out:
 * there they see what links show, which is titles.
 */
async function peerRights(
  connection: Pool | Client,
  person: Person,
  { peers, model }: WorkspaceState,
): Promise<Readonly<Record<string, Rights>>> {
  const ids = peers.map(({ id }) => id);
  if (ids.length === 0) return {};
  const rows = await catalogueOn(connection)
    .select({ workspace: memberships.workspace, role: memberships.role })
    .from(memberships)
    .where(and(membershipsOf(person), inArray(memberships.workspace, [...ids])));
  const found = peers.flatMap(({ id, key }): [string, Rights][] => {
    const row = rows.find(({ workspace }) => workspace === id);
    const owner = { parts: model.peerParts?.[key] ?? {} };
    const role = row && roleNamed(owner, row.role);
    return role ? [[key, rightsWithin(person, owner, role)]] : [];
  });
  return Object.fromEntries(found);
}

/** Another structure of a access's workspace, such as an earlier one, as far as the person may see it. */
export const seenBy = ({ sights }: WorkspaceAccess, model: Model): Model => seenOf(model, sights);

/** A workspace's row with its peers and the model over all of them. */
export async function withModel(
  connection: Pool | Client,
  { peers, ...state }: Omit<WorkspaceState, 'peers' | 'model'> & { readonly peers: readonly number[] },
): Promise<WorkspaceState> {
  let [now, wanted] = [state, peers];
  for (;;) {
    const homes = await homesOf(connection, wanted);
    const model = await modelOver(connection, now, homes);
    if (model) return { ...now, peers: homes, model };
    // It moved on between the two reads: a model under the version of another would be taken for it.
    const [row] = await catalogueOn(connection)
      .select(stateColumns)
      .from(workspaces)
      .where(eq(workspaces.id, state.id));
    if (!row) throw notHere('workspace');
    const { peers: also, ...moved } = row;
    [now, wanted] = [{ ...now, ...moved }, [...new Set([...wanted, ...also])]];
  }
}

/** The access with further workspaces beside its own, whose tables links are about to point at. */
export async function accessOver(
  connection: Pool | Client,
  access: WorkspaceAccess,
  homes: readonly Pick<Home, 'id'>[],
): Promise<WorkspaceAccess> {
  const { whole } = access;
  const known = new Set([whole.id, ...whole.peers.map(({ id }) => id)]);
  const more = homes.map(({ id }) => id).filter((id) => !known.has(id));
  if (more.length === 0) return access;
  const rows = await catalogueOn(connection)
    .select({ id: workspaces.id, peers: workspaces.peers })
    .from(workspaces)
    .where(inArray(workspaces.id, more));
  const peers = new Set([...whole.peers.map(({ id }) => id), ...rows.flatMap((row) => [row.id, ...row.peers])]);
  peers.delete(whole.id);
  const over = await withModel(connection, { ...whole, peers: [...peers] });
  const wider = accessTo(access, over, {
    ...access.sights,
    homes: await peerRights(connection, access.person, over),
  });
  return access.workspace === access.whole ? acting(wider) : wider;
}

/** Whether rights allow what a call needs. */
export function allows(rights: Rights, need: Need): boolean {
  if (need === 'see') return true;
  if (need === 'write') return writes(rights);
  // Whoever may change a table may do what there is for that; which table is looked at where it is changed.
  return has(rights, need) || (need === 'design' && Object.keys(rights.tables).some((id) => designs(rights, id)));
}

/** Refuses what the person's rights do not allow. */
export function requireRight({ rights, role }: Pick<WorkspaceAccess, 'rights' | 'role'>, need: Need): void {
  if (!allows(rights, need))
    throw refuse(
      403,
      `Your role here is ${roleInWords(role)}; this needs someone who may ${needWords[need]}.`,
      'Ask an administrator of the workspace.',
    );
}

/** What a workspace's state is made from, without the model: that is read once for each version. */
export const stateColumns = {
  ...homeColumns,
  label: workspaces.label,
  description: workspaces.description,
  dye: workspaces.dye,
  icon: workspaces.icon,
  peers: workspaces.peers,
};

/**
 * The access as it is now, after the model or the day moved on under it. What nobody in particular does goes on as it
 * was.
 */
export async function refreshAccess(connection: Pool | Client, access: WorkspaceAccess): Promise<WorkspaceAccess> {
  const { call } = access;
  if (access.person.id > 0)
    return {
      ...(await authorize(connection, access.person, String(access.workspace.id), 'see')),
      ...(call ? { call } : {}),
    };
  const [row] = await catalogueOn(connection)
    .select(stateColumns)
    .from(workspaces)
    .where(eq(workspaces.id, access.workspace.id));
  if (!row) throw notHere('workspace');
  const now = await withModel(connection, row);
  return access.person.id === 0 && access.role.id === 'administrator' ? systemAccess(now) : outsideAccess(now);
}

/** The table of a access's workspace that a request names. */
export function tableAt(access: WorkspaceAccess, name: string): Table {
  const table = tableNamed(access.workspace.model, name);
  if (!table || table.home !== undefined) throw notHere('table');
  return table;
}

/**
 * What a member may do in the workspace that an access has before it, as it is inside the same transaction; null where
 * they are no member any more.
 */
export async function accessOfMember(
  connection: Pool | Client,
  id: number,
  { whole }: WorkspaceAccess,
): Promise<WorkspaceAccess | null> {
  const { rows } = await prepared(
    connection,
    sql`
      select m.role, p.name, p.email from loom.memberships m join loom.people p on p.id = m.person
      where m.workspace = ${whole.id} and m.person = ${id}
    `,
    '',
  );
  const [found] = rows as unknown as readonly {
    readonly role: RoleId;
    readonly name: string;
    readonly email: string;
  }[];
  const role = found && roleNamed(whole.model, found.role);
  if (!role) return null;
  const person: Person = { id, name: found.name, email: found.email };
  const rights = rightsWithin(person, whole.model, role);
  const homes = await peerRights(connection, person, whole);
  return acting(accessTo({ person, role, rights, viewer: id }, whole, { own: rights, homes, viewer: id }));
}

/** What stands for whoever looks, in a statement. */
export const viewerOf = ({ viewer }: Pick<WorkspaceAccess, 'viewer'>): string => viewerSql(viewer);

/** A call that carries an Idempotency-Key. */
export interface KeyedCall {
  readonly key: string;
  /** Method and path. */
  readonly name: string;
  /** SHA-256 of the body that came with it. */
  readonly body: string;
  /** Its transaction keeps its answer; else whoever does the call keeps it. */
  readonly inOneTransaction: boolean;
}
