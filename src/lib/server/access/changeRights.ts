import { designs, has, isWithin, rightsOver, roleInWords } from '$core/access/rights';
import { isOfRecords } from '$core/changes/change';
import { partOf } from '$core/parts/parts';
import type { Change } from '$core/types/change';
import { findField, findTable, linkedTable } from '$core/model/model';
import type { TableId } from '$core/types/identity';
import { privateToOthers } from '$core/parts/visible';
import type { Model } from '$core/types/model';
import { partsOf } from '$core/types/part';
import type { Client, Pool } from '../database/pool';
import { refuse, type Refusal } from '../base/refusal';
import { requireUnheld } from './roles';
import { requireRight, type WorkspaceAccess } from './workspaceAccess';

/**
 * Refuses changes of the structure that somebody may not make: of parts without the right for their kind, of tables that
 * they do not design, of roles beyond their own, or that somebody has.
 */
export async function requireChanges(
  connection: Pool | Client,
  access: WorkspaceAccess,
  changes: readonly Change[],
): Promise<void> {
  requireNotPrivate(access, changes);
  // Tables that the same changes make need no right of their own.
  const made = new Set<TableId>();
  for (const change of changes) {
    // Records are looked at one by one where they are written.
    if (isOfRecords(change)) continue;
    if (change.do === 'addPart' || change.do === 'changePart' || change.do === 'removePart') {
      const { needs } = partOf(change.kind);
      if (needs === 'design' && change.table !== null) requireDesign(access, change.table, made);
      else requireRight(access, needs);
      if (change.kind === 'feed' && change.do !== 'addPart') requireWholeFeed(access, change.table);
      if (change.kind === 'role') requireGivable(access, change);
      if (change.kind === 'role' && change.do === 'removePart') await requireUnheld(connection, access, change.part);
      continue;
    }
    if (change.do === 'addTable') {
      // Another workspace is asked for its own rights.
      if (change.table.home === undefined) requireDesign(access, change.table.id);
      made.add(change.table.id);
    } else for (const table of tablesOf(access.whole.model, change)) requireDesign(access, table, made);
  }
  if (changes.length === 0) requireRight(access, 'design');
}

/** A feed is changed by who sees all that it takes records from: of the others it would lose what they do not see. */
function requireWholeFeed({ whole, sight }: WorkspaceAccess, id: TableId | null): void {
  const [all, seen] = [whole.model, sight].map(
    (model) => partsOf(findTable(model, id ?? '') ?? {}, 'feed')[0]?.sources,
  );
  if (all?.length !== seen?.length || all?.some(({ table }) => !findTable(sight, table)))
    throw refuse(
      403,
      'This feed takes records from tables that you may not see.',
      'Ask somebody who may see all of them.',
    );
}

/** What is private to somebody else is not there, whatever names it: a plan of theirs, or the undo of a step. */
function requireNotPrivate({ whole, sights }: WorkspaceAccess, changes: readonly Change[]): void {
  const made = changes.flatMap((change) => (change.do === 'addTable' ? [change.table] : []));
  const hidden = privateToOthers({ tables: [...whole.model.tables, ...made] }, sights);
  const named = changes.flatMap((change) => {
    if (change.do === 'addTable') return [change.table.id];
    const linked = change.do === 'addField' && change.field.type.kind === 'link' ? [change.field.type.to] : [];
    return [change.table ?? '', ...linked];
  });
  if (named.some((id) => hidden.has(id))) throw privateRefusal();
}

export const privateRefusal = (): Refusal =>
  refuse(403, 'This concerns a table that is private to somebody else.', 'Ask them to do it, or to share it.');

type FieldOrTableChange = Exclude<Change, { readonly do: 'addTable' | 'addPart' | 'changePart' | 'removePart' }>;

/** The tables whose structure a change changes: of a link that comes or goes, both sides. */
function tablesOf(model: Model, change: FieldOrTableChange): TableId[] {
  if (change.do === 'addField')
    return change.field.type.kind === 'link' ? [change.table, change.field.type.to] : [change.table];
  const field = change.do === 'removeField' ? findField(model, change.field)?.field : undefined;
  const other = field && linkedTable(model, field)?.table;
  return other ? [change.table, other.id] : [change.table];
}

/** Whether somebody designs a table; one that is not there yet is the workspace's. Those of linked ones are asked for there. */
export function designsTable({ rights, whole }: WorkspaceAccess, id: TableId): boolean {
  const table = findTable(whole.model, id);
  if (table?.home !== undefined) return true;
  return table ? rightsOver(whole.model, rights, table).design : has(rights, 'design');
}

/** Refuses a change of the structure of a table that somebody does not design; `made` by the same changes all are. */
export function requireDesign(access: WorkspaceAccess, id: TableId, made: ReadonlySet<TableId> = new Set()): void {
  if (!made.has(id) && !designsTable(access, id)) throw notDesigned(access);
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
