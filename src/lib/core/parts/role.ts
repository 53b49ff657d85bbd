import { conditionsInRights, mapRights } from '../access/rights';
import { checkRole, readRole, roleJson, type RoleJson } from '../access/roleJson';
import { builtInRole } from '../access/rights';
import type { Role } from '../types/role';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    /** A role of the workspace's own; those that every workspace has stand in no model. */
    readonly role: Role;
  }
}

/**
 * Conditions of a role that read what is gone are met by nothing, so a role never lets through more than it was written
 * for.
 */
export const role: PartDescriptor<'role'> = {
  word: 'role',
  words: 'roles',
  idPrefix: 'a',
  ofWorkspace: 'people',
  needs: 'people',
  check: (model, _, part) => checkRole(model, part),
  conditions: (part) => conditionsInRights(part),
  // Roles are seen whole, or not at all.
  keeping: (part) => part,
  following: (part, { old, now, turned }) => ({
    ...part,
    ...mapRights(
      part,
      (_, condition) => turned(condition),
      (id) => (id === old ? now : id),
    ),
  }),
  blank: () => ({ ...(builtInRole('reader') as Role), label: '', description: '' }),
  print: (model, _, part) => {
    const { role: json, lost } = roleJson(model, part);
    return { json: { ...json }, lost };
  },
  read: (model, _, id, json) => readRole(model, id, json as unknown as RoleJson),
};
