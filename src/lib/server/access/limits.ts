import { and, eq, type SQL } from 'drizzle-orm';
import { members, type Role } from '../database/catalogue';
import { refuse } from '../base/refusal';
import type { Person } from './models';

export const ranks: Record<Role, number> = { reader: 0, editor: 1, administrator: 2 };

/** The role a person has somewhere, cut to what they came with. */
export const roleWithin = ({ limits }: Person, role: Role): Role =>
  limits?.role && ranks[limits.role] < ranks[role] ? limits.role : role;

/** Whether what they came with reaches into a workspace. */
export const reaches = ({ limits }: Person, workspace: number): boolean =>
  limits?.workspace === undefined || limits.workspace === null || limits.workspace === workspace;

/** The memberships that count for a person, as a condition on `members`. */
export const membershipsOf = ({ id, limits }: Person): SQL | undefined =>
  and(
    eq(members.person, id),
    limits?.workspace === undefined || limits.workspace === null ? undefined : eq(members.workspace, limits.workspace),
  );

/** Refuses what is for the person themselves, and no program with less than their rights. */
export function requireUnlimited({ limits }: Person): void {
  if (limits && (limits.workspace !== null || (limits.role !== null && limits.role !== 'administrator')))
    throw refuse(403, 'This token does not reach that far.', 'Use one without a role and a workspace of its own.');
}
