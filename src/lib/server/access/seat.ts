import { and, eq } from 'drizzle-orm';
import { emptyModel, tableNamed, type Model, type Table } from '$core/model/model';
import { quoteIdentifier } from '$core/sql';
import { members, workspaces, type Role } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { notHere, refuse } from '../refusal';

export interface Person {
  readonly id: number;
  readonly email: string;
  readonly name: string;
}

/** A workspace as it was at one version of its model. */
export interface WorkspaceState {
  readonly id: number;
  readonly key: string;
  readonly label: string;
  readonly description: string;
  readonly zone: string;
  readonly day: string;
  readonly version: number;
  readonly model: Model;
}

/**
 * A person's place in a workspace. Every server function that touches a workspace asks for one, and `takeSeat` is the
 * only place that gives them: this is where rights are decided.
 */
export interface Seat {
  readonly person: Person;
  readonly role: Role;
  readonly workspace: WorkspaceState;
}

const ranks: Record<Role, number> = { reader: 0, editor: 1, administrator: 2 };

const roleWords: Record<Role, string> = { reader: 'read', editor: 'change records', administrator: 'change the structure' };

/** The seat of a person in a workspace, named by key or id, or a refusal: 404 without membership, 403 below the role. */
export async function takeSeat(connection: Pool | Client, person: Person, workspace: string, least: Role): Promise<Seat> {
  const byId = /^\d{1,9}$/.test(workspace) ? eq(workspaces.id, Number(workspace)) : eq(workspaces.key, workspace);
  const [found] = await catalogueOn(connection)
    .select({
      id: workspaces.id,
      key: workspaces.key,
      label: workspaces.label,
      description: workspaces.description,
      zone: workspaces.zone,
      day: workspaces.day,
      version: workspaces.version,
      role: members.role,
    })
    .from(workspaces)
    .innerJoin(members, and(eq(members.workspace, workspaces.id), eq(members.person, person.id)))
    .where(byId);
  if (!found) throw notHere('workspace');
  const { role, ...state } = found;
  requireRole(role, least);
  return { person, role, workspace: { ...state, model: await modelAt(connection, state.id, state.version) } };
}

/** Refuses where the role is below what an action needs. */
export function requireRole(role: Role, least: Role): void {
  if (ranks[role] < ranks[least])
    throw refuse(403, `Your role here is ${role}; this needs someone who may ${roleWords[least]}.`, 'Ask an administrator of the workspace.');
}

// Models are immutable, so the newest of each workspace can be shared by all requests of this process.
const models = new Map<number, { version: number; model: Model }>();

/** The model of a workspace at a version; from memory unless it moved on. */
export async function modelAt(connection: Pool | Client, workspace: number, version: number): Promise<Model> {
  const known = models.get(workspace);
  if (known?.version === version) return known.model;
  const [row] = await catalogueOn(connection)
    .select({ model: workspaces.model, version: workspaces.version })
    .from(workspaces)
    .where(eq(workspaces.id, workspace));
  if (!row) return emptyModel;
  if (row.version >= (known?.version ?? 0)) models.set(workspace, row);
  return row.model;
}

/** The seat as it is now, after the model or the day moved on under it. */
export const refreshSeat = (connection: Pool | Client, seat: Seat): Promise<Seat> => takeSeat(connection, seat.person, String(seat.workspace.id), 'reader');

/** The table of a seat's workspace that a request names. */
export function tableAt(seat: Seat, name: string): Table {
  const table = tableNamed(seat.workspace.model, name);
  if (!table) throw notHere('table');
  return table;
}

/** The quoted name of a table in its workspace's schema. */
export const tableName = (workspace: { readonly key: string }, table: { readonly key: string }): string =>
  `${quoteIdentifier(workspace.key)}.${quoteIdentifier(table.key)}`;
