import { and, eq, type SQL } from 'drizzle-orm';
import { bothOf, builtInRole, nothing, onlyIn } from '$core/access/rights';
import { partsOf } from '$core/types/part';
import type { PartOwner } from '$core/types/part';
import type { Rights, Role } from '$core/types/role';
import { memberships, type RoleId } from '../database/catalogue';
import { refuse } from '../base/refusal';
import type { Person } from './models';

/** A role of a workspace by its name or identity; null for one that is gone. */
export const roleNamed = (owner: PartOwner, id: RoleId): Role | null =>
  builtInRole(id) ?? partsOf(owner, 'role').find((role) => role.id === id) ?? null;

/** What somebody with a role may do somewhere, cut to what they came with. */
export function rightsWithin({ limits }: Person, owner: PartOwner, role: Rights): Rights {
  if (!limits) return role;
  const most = limits.role === null ? role : (roleNamed(owner, limits.role) ?? nothing);
  const both = most === role ? role : bothOf(role, most);
  return limits.tables === null ? both : onlyIn(both, limits.tables);
}

/** Whether what they came with reaches into a workspace. */
export const reaches = ({ limits }: Person, workspace: number): boolean =>
  limits?.workspace === undefined || limits.workspace === null || limits.workspace === workspace;

/** The memberships that count for a person, as a condition on `memberships`. */
export const membershipsOf = ({ id, limits }: Person): SQL | undefined =>
  and(
    eq(memberships.person, id),
    limits?.workspace === undefined || limits.workspace === null
      ? undefined
      : eq(memberships.workspace, limits.workspace),
  );

/** Refuses what would go on with all the rights of a person, to a program that has less of them. */
export function requireNoLess({ limits }: Person): void {
  if (limits && (limits.tables !== null || (limits.role !== null && limits.role !== 'administrator')))
    throw refuse(403, 'This token may do less than you, and what it makes would do what you may.', 'Make it yourself.');
}

/** Refuses what is for the person themselves, and no program with less than their rights. */
export function requireUnlimited({ limits }: Person): void {
  if (limits && (limits.workspace !== null || (limits.role !== null && limits.role !== 'administrator')))
    throw refuse(403, 'This token does not reach that far.', 'Use one without a role and a workspace of its own.');
}
