import { builtInRole, builtInRoles } from '$core/access/rights';
import { say } from '$core/base/say';

/** A role as one chooses it: by its id, with its name and what it may do. */
export interface RoleChoice {
  readonly id: string;
  readonly label: string;
  readonly description: string;
}

/** The roles that every workspace has, for those who choose one without its own. */
export const builtInChoices: readonly RoleChoice[] = builtInRoles;

/** What a role is called: those that every workspace has in the language of the interface, others as they were named. */
export const roleWords = (id: string, label: string): string => (builtInRole(id) ? say(label) : label);
