import { findField, findTable, tableOf } from '$core/model/model';
import type { TransferPlan } from '$core/transfer/receipt';
import type { Compiled } from '$core/transfer/work';
import type { Change } from '$core/types/change';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client } from '../database/pool';
import { countChosen } from '../records/sets/chosen';

/** How many records a transfer takes, by table: those that its person sees. `isFeed`: by the sources of a feed. */
export async function takesOf(
  client: Client,
  access: WorkspaceAccess,
  changes: readonly Change[],
  isFeed: boolean,
): Promise<TransferPlan['takes']> {
  const takes: TransferPlan['takes'][number][] = [];
  for (const change of changes) {
    if (isFeed) takes.push(...(await fedBy(client, access, change)));
    const named =
      change.do === 'copyRecords' ? change.from : change.do === 'setValues' && !change.source ? change.table : null;
    const table = named === null ? undefined : findTable(access.whole.model, named);
    if (!table || (change.do !== 'copyRecords' && change.do !== 'setValues') || change.chosen.under) continue;
    const count = await countChosen(client, { ...access, workspace: access.whole }, table, change.chosen);
    takes.push({ table: table.label, count });
  }
  return takes;
}

/** How many records come into a feed by each source that a change gives it. */
async function fedBy(client: Client, access: WorkspaceAccess, change: Change): Promise<TransferPlan['takes']> {
  if ((change.do !== 'addPart' && change.do !== 'changePart') || change.kind !== 'feed') return [];
  const { model } = access.whole;
  const takes: TransferPlan['takes'][number][] = [];
  for (const { table: id, where, link } of change.part.sources) {
    const table = findTable(model, id);
    if (!table || findField(model, link)) continue;
    const count = await countChosen(client, { ...access, workspace: access.whole }, table, { where });
    takes.push({ table: table.label, count });
  }
  return takes;
}

/** How many records would not come along. */
export async function leftOf(
  client: Client,
  access: WorkspaceAccess,
  left: Compiled['left'] = [],
): Promise<TransferPlan['left']> {
  const counts: TransferPlan['left'][number][] = [];
  for (const { table: id, where, words } of left) {
    const table = tableOf(access.whole.model, id);
    const count = await countChosen(client, { ...access, workspace: access.whole }, table, { where });
    if (count > 0) counts.push({ words, count });
  }
  return counts;
}
