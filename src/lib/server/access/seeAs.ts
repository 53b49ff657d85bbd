import { roleInWords } from '$core/access/rights';
import type { Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { auditing } from './audit';
import { roleNamed } from './limits';
import { membersOf } from './members';
import type { SeeAs } from './models';
import type { WorkspaceAccess } from './workspaceAccess';

/** What a browser keeps while somebody looks as another, and for how many seconds. */
export const seeAsCookie = 'see-as';
export const seeAsFor = 3_600;

/** As whom somebody wants to look: a person of the workspace, or one of its roles. */
export type SeeAsWish = { readonly person: number } | { readonly role: string };

/** Begins to look as somebody else, which stands in the audit trail; in words, as whom. */
export async function beginSeeAs(
  pool: Pool,
  access: WorkspaceAccess,
  wish: SeeAsWish,
): Promise<{ readonly as: SeeAs; readonly words: string }> {
  const { workspace, whole, person } = access;
  const words = 'role' in wish ? roleOf(access, wish.role) : await nameOf(pool, access, wish.person);
  await auditing(pool, person, workspace.id, 'sawAs', { who: words });
  return { as: { workspace: whole.id, ...wish }, words };
}

function roleOf({ whole }: WorkspaceAccess, id: string): string {
  const role = roleNamed(whole.model, id);
  if (!role) throw refuse(422, 'There is no such role here.', 'Choose one of the page Roles.', '/role');
  return `the role ${roleInWords(role)}`;
}

async function nameOf(pool: Pool, access: WorkspaceAccess, id: number): Promise<string> {
  const member = (await membersOf(pool, access)).find((one) => one.id === id);
  if (!member) throw refuse(422, 'This person is not in this workspace.', 'Choose one of the page People.', '/person');
  return member.name;
}

/** As a browser keeps it. */
export const printSeeAs = (as: SeeAs): string =>
  `${as.workspace}.${'person' in as ? `person.${as.person}` : `role.${as.role}`}`;

/** What `printSeeAs` wrote; nothing for anything else. */
export function readSeeAs(written: string | undefined): SeeAs | undefined {
  const [, workspace, kind, name = ''] = /^(\d{1,9})\.(person|role)\.(\w{1,40})$/.exec(written ?? '') ?? [];
  if (workspace === undefined) return undefined;
  if (kind === 'role') return { workspace: Number(workspace), role: name };
  return /^\d{1,9}$/.test(name) ? { workspace: Number(workspace), person: Number(name) } : undefined;
}
