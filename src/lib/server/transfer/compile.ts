import { compileTransfer, titleOf } from '$core/transfer/works';
import type { Compiled } from '$core/transfer/work';
import { isOfRecords } from '$core/changes/change';
import { findTable } from '$core/model/model';
import type { Change } from '$core/types/change';
import type { Model } from '$core/types/model';
import type { Transfer } from '$core/types/transfer';
import { requireChanges } from '../access/changeRights';
import { authorize, requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { refuse, Refusal } from '../base/refusal';
import type { Client, Pool } from '../database/pool';
import { foreignHomes } from '../structure/plan';

/** What a transfer is in changes of everything, also of what its person does not see. */
export function compiled(access: WorkspaceAccess, transfer: Transfer): Compiled & { readonly title: string } {
  const { model } = access.whole;
  const result = compileTransfer(model, transfer);
  if (!result.ok) throw new Refusal(422, result.problem);
  return { ...result.value, title: titleOf(model, transfer).slice(0, 300) };
}

/** The workspaces beside its own whose records or structure changes would change. */
function homesConcerned(model: Model, changes: readonly Change[]): ReadonlyMap<string, 'write' | 'design'> {
  const homes = new Map<string, 'write' | 'design'>();
  const tables = changes.flatMap((change) => [
    ...(change.do === 'addTable' ? [] : [change.table ?? '']),
    ...(change.do === 'copyRecords' ? [change.from] : []),
  ]);
  for (const id of tables) {
    const home = findTable(model, id)?.home;
    if (home !== undefined) homes.set(home, 'write');
  }
  for (const home of foreignHomes(
    model,
    changes.filter((change) => !isOfRecords(change)),
  ))
    homes.set(home, 'design');
  return homes;
}

/**
 * Refuses a transfer that its person may not make: changes of the structure, records elsewhere, and records that would
 * lose what the person does not see of them.
 */
export async function requireTransfer(
  connection: Pool | Client,
  access: WorkspaceAccess,
  changes: readonly Change[],
): Promise<void> {
  requireRight(access, 'write');
  const ofStructure = changes.filter((change) => !isOfRecords(change));
  if (ofStructure.length > 0) await requireChanges(connection, access, ofStructure);
  for (const [home, need] of homesConcerned(access.whole.model, changes))
    await authorize(connection, access.person, home, need);
  for (const change of changes) {
    if (change.do !== 'removeRecords') continue;
    const [seen, whole] = [findTable(access.sight, change.table), findTable(access.whole.model, change.table)];
    if (whole && seen?.fields.length !== whole.fields.length)
      throw refuse(
        403,
        'These records have fields, or links that lead to them, that you may not see: they would be lost.',
        'Ask somebody who may see all of them.',
        '/table',
      );
  }
}
