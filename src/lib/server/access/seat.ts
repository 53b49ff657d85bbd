import { and, eq, inArray, isNull } from 'drizzle-orm';
import type { TableId } from '$core/model/identity';
import type { Icon } from '$core/model/icons';
import { tableNamed } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Dye } from '$core/types/field';
import { leastSights, nameless, seenOf, type Sight, type Sights } from '$core/model/visible';
import { quoteIdentifier } from '$core/sql';
import { members, workspaces, type Role } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { notHere, refuse } from '../base/refusal';
import { homeColumns, homesOf, modelOver, type Home, type Person } from './models';

export type { Home, Person };

/** Whoever comes by an address from outside: nobody of the Directory. */
export const nobodyOutside: Person = { id: 0, email: '', name: 'somebody outside' };

/** A workspace as it was at one version of its model. */
export interface WorkspaceState extends Home {
  readonly label: string;
  readonly description: string;
  readonly dye: Dye;
  readonly icon: Icon | null;
  /**
   * The workspaces that links lead to or come from; their tables stand in the model behind its own, with their `home`.
   */
  readonly peers: readonly Home[];
  readonly model: Model;
  /** Tables that a change in progress works on beside those that are read meanwhile. */
  readonly beside?: ReadonlySet<TableId>;
  /**
   * The structure is that of an open transaction: nothing that is made for it may be kept, as it may never come to be.
   */
  readonly uncommitted?: true;
}

/** Where a table lives. */
export function homeOf(workspace: WorkspaceState, table: Pick<Table, 'home'>): Home {
  return workspace.peers.find(({ key }) => key === table.home) ?? workspace;
}

/**
 * A person's place in a workspace. Every server function that touches a workspace asks for one, and `takeSeat` is the
 * only place that gives them: this is where rights are decided.
 */
export interface Seat {
  readonly person: Person;
  readonly role: Role;
  /** The workspace as the person may see it; inside a write (`acting`) all of it. */
  readonly workspace: WorkspaceState;
  /**
   * All of it, for what the system itself does on the person's behalf: never to be shown, and nothing they wrote is
   * read with it.
   */
  readonly whole: WorkspaceState;
  readonly sights: Sights;
  /** What of it the person may see: with this everything is read that they write. */
  readonly sight: Model;
  /** The Idempotency-Key of the call it was taken for; batches remember it. */
  readonly call?: string;
}

const ranks: Record<Role, number> = { reader: 0, editor: 1, administrator: 2 };

const roleWords: Record<Role, string> = {
  reader: 'read',
  editor: 'change records',
  administrator: 'change the structure',
};

/**
 * The seat of a person in a workspace, named by key or id, or a refusal: 404 without membership, 403 below the role.
 */
export async function takeSeat(
  connection: Pool | Client,
  person: Person,
  workspace: string,
  least: Role,
): Promise<Seat> {
  const byId = /^\d{1,9}$/.test(workspace) ? eq(workspaces.id, Number(workspace)) : eq(workspaces.key, workspace);
  const db = catalogueOn(connection);
  const [found] = await db
    .select({ ...stateColumns, role: members.role })
    .from(workspaces)
    .innerJoin(members, and(eq(members.workspace, workspaces.id), eq(members.person, person.id)))
    .where(and(byId, isNull(workspaces.deletedAt)));
  if (!found) throw notHere('workspace');
  const { role, ...state } = found;
  requireRole(role, least);
  const whole = await withModel(connection, state);
  const roles = await rolesIn(
    connection,
    person,
    whole.peers.map(({ id }) => id),
  );
  return seated({ person, role }, whole, sightsOf(role, whole, roles));
}

/** A seat in a workspace that is known whole, with what it may see of it. */
function seated(of: Pick<Seat, 'person' | 'role' | 'call'>, whole: WorkspaceState, sights: Sights): Seat {
  const sight = seenOf(whole.model, sights);
  return { ...of, whole, sights, sight, workspace: sight === whole.model ? whole : { ...whole, model: sight } };
}

/** The seat with all of the workspace before it, for what the system itself does on the person's behalf. */
export const acting = (seat: Seat): Seat => (seat.workspace === seat.whole ? seat : { ...seat, workspace: seat.whole });

/** As `acting`, for what is told of it and not done: what the person may not see has no name there. */
export const telling = (seat: Seat): Seat =>
  seat.workspace === seat.whole
    ? seat
    : { ...seat, workspace: { ...seat.whole, model: nameless(seat.whole.model, seat.workspace.model) } };

/** The workspace as the person sees it, whatever the seat has before it. */
export const seeing = (seat: Seat): Seat =>
  seat.workspace.model === seat.sight ? seat : { ...seat, workspace: { ...seat.workspace, model: seat.sight } };

/** The seat of the system itself, which sees everything. */
export const systemSeat = (whole: WorkspaceState): Seat =>
  seated({ person: { id: 0, email: '', name: 'the system' }, role: 'administrator' }, whole, {
    own: 'all',
    homes: Object.fromEntries(whole.peers.map(({ key }) => [key, 'all'])),
  });

/**
 * The seat of somebody from outside: it may write what a form lets through, and sees what every reader does, of no
 * other workspace.
 */
export const outsideSeat = (whole: WorkspaceState): Seat =>
  seated({ person: nobodyOutside, role: 'editor' }, whole, leastSights);

/** The roles of a person in other workspaces, by id. */
async function rolesIn(
  connection: Pool | Client,
  person: Person,
  ids: readonly number[],
): Promise<ReadonlyMap<number, Role>> {
  if (ids.length === 0) return new Map();
  const rows = await catalogueOn(connection)
    .select({ workspace: members.workspace, role: members.role })
    .from(members)
    .where(and(eq(members.person, person.id), inArray(members.workspace, [...ids])));
  return new Map(rows.map(({ workspace, role }) => [workspace, role]));
}

/** Internal fields are for those who may write; a reader's model has never had them. */
const sightFor = (role: Role | undefined): Sight => (role === undefined ? 'ends' : role === 'reader' ? 'plain' : 'all');

/**
 * What of a structure somebody may see: the one place where that is decided. Of linked workspaces it goes by their own
 * membership there; without one they see what links show, which is titles.
 */
const sightsOf = (role: Role, { peers }: Pick<WorkspaceState, 'peers'>, roles: ReadonlyMap<number, Role>): Sights => ({
  own: sightFor(role),
  homes: Object.fromEntries(peers.map(({ id, key }) => [key, sightFor(roles.get(id))])),
});

/** Another structure of a seat's workspace, such as an earlier one, as far as the person may see it. */
export const seenBy = ({ sights }: Seat, model: Model): Model => seenOf(model, sights);

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

/** The seat with further workspaces beside its own, whose tables links are about to point at. */
export async function seatOver(
  connection: Pool | Client,
  seat: Seat,
  homes: readonly Pick<Home, 'id'>[],
): Promise<Seat> {
  const { whole } = seat;
  const known = new Set([whole.id, ...whole.peers.map(({ id }) => id)]);
  const more = homes.map(({ id }) => id).filter((id) => !known.has(id));
  if (more.length === 0) return seat;
  const rows = await catalogueOn(connection)
    .select({ id: workspaces.id, peers: workspaces.peers })
    .from(workspaces)
    .where(inArray(workspaces.id, more));
  const peers = new Set([...whole.peers.map(({ id }) => id), ...rows.flatMap((row) => [row.id, ...row.peers])]);
  peers.delete(whole.id);
  const over = await withModel(connection, { ...whole, peers: [...peers] });
  const wider = seated(seat, over, sightsOf(seat.role, over, await rolesIn(connection, seat.person, [...peers])));
  return seat.workspace === seat.whole ? acting(wider) : wider;
}

/** Refuses where the role is below what an action needs. */
export function requireRole(role: Role, least: Role): void {
  if (ranks[role] < ranks[least])
    throw refuse(
      403,
      `Your role here is ${role}; this needs someone who may ${roleWords[least]}.`,
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
 * The seat as it is now, after the model or the day moved on under it. What nobody in particular does goes on as it
 * was.
 */
export async function refreshSeat(connection: Pool | Client, seat: Seat): Promise<Seat> {
  const { call } = seat;
  if (seat.person.id > 0)
    return {
      ...(await takeSeat(connection, seat.person, String(seat.workspace.id), 'reader')),
      ...(call ? { call } : {}),
    };
  const [row] = await catalogueOn(connection)
    .select(stateColumns)
    .from(workspaces)
    .where(eq(workspaces.id, seat.workspace.id));
  if (!row) throw notHere('workspace');
  const now = await withModel(connection, row);
  return seat.person.id === 0 && seat.role === 'administrator' ? systemSeat(now) : outsideSeat(now);
}

/** The table of a seat's workspace that a request names. */
export function tableAt(seat: Seat, name: string): Table {
  const table = tableNamed(seat.workspace.model, name);
  if (!table || table.home !== undefined) throw notHere('table');
  return table;
}

/** The schema in which a change in progress works on copies of a workspace's tables. */
export const besideSchema = ({ id }: Pick<Home, 'id'>): string => `_beside_${id}`;

/** The schema that a table is in now. */
export const schemaOf = (workspace: WorkspaceState, table: Pick<Table, 'id' | 'home'>): string =>
  workspace.beside?.has(table.id) ? besideSchema(homeOf(workspace, table)) : (table.home ?? workspace.key);

/** The quoted name of a table in the schema it is in now. */
export const tableName = (workspace: WorkspaceState, table: Pick<Table, 'id' | 'key' | 'home'>): string =>
  `${quoteIdentifier(schemaOf(workspace, table))}.${quoteIdentifier(table.key)}`;
