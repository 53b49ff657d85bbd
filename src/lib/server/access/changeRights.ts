import { designs, has, isWithin, rightsOver, roleInWords } from '$core/access/rights';
import { partOf } from '$core/parts/parts';
import type { Change } from '$core/types/change';
import { findTable } from '$core/model/model';
import { partsOf } from '$core/types/part';
import { refuse } from '../base/refusal';
import { requireRight, type WorkspaceAccess } from './workspaceAccess';

/**
 * Refuses changes of the structure that somebody may not make: of parts without the right for their kind, of tables that
 * they do not design, of roles beyond their own.
 */
export function requireChanges(access: WorkspaceAccess, changes: readonly Change[]): void {
  const { rights, whole } = access;
  // Tables that the same changes make need no right of their own.
  const made = new Set<string>();
  for (const change of changes) {
    if (change.do === 'addPart' || change.do === 'changePart' || change.do === 'removePart') {
      requireRight(access, partOf(change.kind).needs);
      if (change.kind === 'role') requireGivable(access, change);
      continue;
    }
    if (change.do === 'addTable') {
      requireWorkspaceDesign(access);
      made.add(change.table.id);
      continue;
    }
    const sides = [change.table];
    if (change.do === 'addField' && change.field.type.kind === 'link') sides.push(change.field.type.to);
    for (const id of sides) {
      const table = findTable(whole.model, id);
      if (made.has(id) || table?.home !== undefined) continue;
      if (table ? !rightsOver(whole.model, rights, table).design : !has(rights, 'design')) throw notDesigned(access);
    }
  }
  if (changes.length === 0) requireRight(access, 'design');
}

function requireWorkspaceDesign(access: WorkspaceAccess): void {
  if (!has(access.rights, 'design')) throw notDesigned(access);
}

/** Whoever manages people gives nobody more than they have. */
function requireGivable(
  { rights, whole }: WorkspaceAccess,
  change: Extract<Change, { readonly do: 'addPart' | 'changePart' | 'removePart' }>,
): void {
  const standing = partsOf(whole.model, 'role').find(
    ({ id }) => id === (typeof change.part === 'string' ? change.part : change.part.id),
  );
  for (const role of [standing, change.do === 'removePart' ? undefined : change.part])
    if (role && 'others' in role && !isWithin(role, rights))
      throw refuse(
        403,
        `The role “${role.label}” may do more than yours.`,
        'Ask an administrator of the workspace to change it.',
      );
}

const notDesigned = ({ role, rights }: WorkspaceAccess) =>
  refuse(
    403,
    Object.keys(rights.tables).some((id) => designs(rights, id))
      ? `Your role here, ${roleInWords(role)}, changes the structure of some tables only.`
      : `Your role here is ${roleInWords(role)}; this needs someone who may change the structure.`,
    'Ask an administrator of the workspace.',
  );
