import { builtInRoles } from '$core/access/rights';

/** A role as one chooses it: by its id, with its name and what it may do. */
export interface RoleChoice {
  readonly id: string;
  readonly label: string;
  readonly description: string;
}

/** The roles that every workspace has, for those who choose one without its own. */
export const builtInChoices: readonly RoleChoice[] = builtInRoles;
