import { applyChange, describeChange, isOfRecords } from '$core/changes/change';
import { sourcesInto } from '$core/flow/feeds';
import { findTable } from '$core/model/model';
import type { ReceiptLine, TransferReceipt } from '$core/transfer/receipt';
import type { Compiled } from '$core/transfer/work';
import type { Change } from '$core/types/change';
import type { Model } from '$core/types/model';
import type { Transfer } from '$core/types/transfer';
import type { WorkspaceState } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { fedFrom } from '../records/feedRecords';
import type { AppliedStructure } from '../structure/structure';

/** What came into a feed by each of the sources that a transfer gave it, and what does not meet its condition. */
export async function fedLines(client: Client, workspace: WorkspaceState, transfer: Transfer): Promise<ReceiptLine[]> {
  if (transfer.work !== 'feed') return [];
  const lines: ReceiptLine[] = [];
  for (const source of sourcesInto(workspace.model, transfer.to)) {
    if (!transfer.make.some((change) => change.do === 'addField' && change.field.id === source.link.id)) continue;
    const { read, fed } = await fedFrom(client, workspace, source);
    const left = read - fed;
    lines.push({
      words: `${source.table.label}: records from ${source.source.label}`,
      label: source.source.label,
      table: source.source.home === undefined ? source.source.key : null,
      did: 'copyRecords',
      chosen: read,
      written: fed,
      same: 0,
      aside: 0,
      left: left > 0 ? [{ reason: 'does not meet the condition', count: left, records: [] }] : [],
    });
  }
  return lines;
}

/** The words of each change of records over the model that it was made on. */
export function receiptOf(
  before: Model,
  { changes }: Compiled,
  applied: AppliedStructure,
  ms: number,
): TransferReceipt {
  let model = before;
  const lines: ReceiptLine[] = [];
  const after = applied.access.workspace.model;
  for (const [at, change] of changes.entries()) {
    const next = applyChange(model, change);
    const counts = applied.counts.get(at);
    if (counts && isOfRecords(change)) {
      const about = change.do === 'copyRecords' ? change.from : tableIn(change);
      const table = findTable(model, about);
      const standing = findTable(after, about);
      const { sums: _, misfits, ...numbers } = counts;
      lines.push({
        words: describeChange(model, change),
        label: table?.label ?? '',
        table: standing ? standing.key : null,
        did: didOf(change),
        ...numbers,
        aside: misfits.aside.length,
      });
    }
    model = next.ok ? next.value : model;
  }
  return {
    lines,
    sums: [...applied.counts.values()].flatMap(({ sums = [] }) => sums),
    formulas: applied.compared,
    seconds: Math.round(ms) / 1000,
  };
}

const didOf = (change: Change): ReceiptLine['did'] =>
  change.do === 'pointLinks' && change.into === null ? 'clearLinks' : (change.do as ReceiptLine['did']);

const tableIn = (change: Change): string => (change.do === 'addTable' ? change.table.id : (change.table ?? ''));
