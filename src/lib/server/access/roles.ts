import { builtInRoles, isWithin } from '$core/access/rights';
import { roleJson, type RoleJson } from '$core/access/roleJson';
import { partsOf } from '$core/types/part';
import type { RoleId } from '../database/catalogue';
import type { Client, Pool } from '../database/pool';
import { notHere, refuse } from '../base/refusal';
import { holdersOf } from './members';
import type { WorkspaceAccess } from './workspaceAccess';

/** A role of a workspace as its page shows it. */
export interface RoleShown extends RoleJson {
  readonly id: RoleId;
  /** Every workspace has it, and nobody changes it. */
  readonly builtIn: boolean;
  /** How many people and groups have it here. */
  readonly holders: number;
  /** Whether whoever asks may give it: nobody gives more than they have. */
  readonly givable: boolean;
  /** What of it reads fields that are gone, in words. */
  readonly lost: readonly string[];
}

/** The roles of a workspace: those that every one has, and its own. */
export async function rolesOf(connection: Pool | Client, access: WorkspaceAccess): Promise<RoleShown[]> {
  const { whole, sight, rights } = access;
  const holders = await holdersOf(connection, access);
  const own = partsOf(whole.model, 'role');
  const seen = partsOf(sight, 'role');
  return [...builtInRoles, ...own].map((role) => {
    // What it says of tables that are hidden from whoever asks is left out.
    const { role: written, lost } = roleJson(sight, seen.find(({ id }) => id === role.id) ?? role);
    return {
      id: role.id,
      ...written,
      builtIn: !own.includes(role),
      holders: holders.get(role.id) ?? 0,
      givable: isWithin(role, rights),
      lost,
    };
  });
}

/** A role of the workspace's own; refused for one that every workspace has. */
export function ownRole({ whole }: WorkspaceAccess, id: RoleId) {
  if (builtInRoles.some((role) => role.id === id))
    throw refuse(409, 'Every workspace has this role as it is.', 'Make a role of your own.');
  const role = partsOf(whole.model, 'role').find((one) => one.id === id);
  if (!role) throw notHere('role');
  return role;
}

/** Refuses to delete a role that somebody has. */
export async function requireUnheld(connection: Pool | Client, access: WorkspaceAccess, id: RoleId): Promise<void> {
  const { label } = ownRole(access, id);
  const holders = (await holdersOf(connection, access)).get(id) ?? 0;
  if (holders > 0)
    throw refuse(
      409,
      `“${label}” is the role of ${holders} ${holders === 1 ? 'person, group or way into the database' : 'people, groups and ways into the database'}.`,
      'Give them another role first.',
    );
}
