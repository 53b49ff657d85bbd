import { eq } from 'drizzle-orm';
import { isOfRecords } from '$core/changes/change';
import { shownType } from '$core/formula/shownType';
import { findTable, isStored, isWritten } from '$core/model/model';
import type { StepMisfits } from '$core/transfer/receipt';
import type { Change } from '$core/types/change';
import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { notHere } from '../base/refusal';
import { transferMisfits } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { cellOf } from '../export/cells';
import { readByIds } from '../query/read';
import type { SetCounts } from '../records/sets/outcome';

/** What the changes of a transfer left behind or set aside; `step` is the place of its line in the receipt. */
export function misfitsOf(changes: readonly Change[], counts: ReadonlyMap<number, SetCounts>): StepMisfits[] {
  return changes
    .flatMap((change, at) => {
      const misfits = counts.get(at)?.misfits;
      if (!misfits || !isOfRecords(change) || typeof change.table !== 'string') return [];
      return [{ ...misfits, from: change.do === 'copyRecords' ? change.from : change.table, to: change.table }];
    })
    .map((one, step) => ({ ...one, step }))
    .filter(({ left, aside }) => left.length > 0 || aside.length > 0);
}

/** Keeps the misfits of a run in the place of those of the run before. */
export async function keepMisfits(
  connection: Pool | Client,
  transfer: number,
  misfits: readonly StepMisfits[],
): Promise<void> {
  const catalogue = catalogueOn(connection);
  await catalogue.delete(transferMisfits).where(eq(transferMisfits.transfer, transfer));
  if (misfits.length > 0) await catalogue.insert(transferMisfits).values({ transfer, misfits });
}

interface MisfitFile {
  readonly transfer: number;
  readonly step: number;
  readonly what: 'records' | 'values';
  /** Whether it was done, not tried only. */
  readonly done: boolean;
}

/** A record that is in the file: what did not fit stands in its cell, by field. */
interface MisfitRecord {
  readonly id: number;
  readonly reasons: string[];
  readonly texts: Map<string, string>;
}

const atOnce = 1_000;

/** The misfits of one step as rows: the cells that can be entered, and the reason; records that are gone are left out. */
export async function misfitTable(
  pool: Pool,
  access: WorkspaceAccess,
  { transfer, step, what, done }: MisfitFile,
): Promise<AsyncGenerator<string[][], void>> {
  const [kept] = await catalogueOn(pool).select().from(transferMisfits).where(eq(transferMisfits.transfer, transfer));
  const misfits = kept?.misfits.find((one) => one.step === step);
  // Values are with the records that were made, once these are there.
  const isMade = what === 'values' && done;
  const table = misfits && findTable(access.workspace.model, isMade ? misfits.to : misfits.from);
  if (!misfits || !table) throw notHere('file of misfits');
  return rowsOf(pool, access, table, [...recordsOf(misfits, what, isMade, access).values()]);
}

function recordsOf(
  { left, aside, to }: StepMisfits,
  what: MisfitFile['what'],
  isMade: boolean,
  access: WorkspaceAccess,
) {
  const records = new Map<number, MisfitRecord>();
  const at = (id: number): MisfitRecord => {
    const one = records.get(id) ?? { id, reasons: [], texts: new Map() };
    records.set(id, one);
    return one;
  };
  if (what === 'records') for (const { reason, ids } of left) for (const id of ids) at(id).reasons.push(reason);
  else {
    const fields = new Map(findTable(access.workspace.model, to)?.fields.map((field) => [field.id, field]));
    for (const { record, source = record, field: id, text, reason } of aside) {
      const field = fields.get(id);
      // What its person does not see any more is not told either.
      if (!field) continue;
      const one = at(isMade ? record : source);
      const named = `“${field.label}”`;
      one.reasons.push(reason.includes(named) ? `“${text}” ${reason}` : `${field.label}: “${text}” ${reason}`);
      if (isMade) one.texts.set(id, text);
    }
  }
  return records;
}

async function* rowsOf(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  records: readonly MisfitRecord[],
): AsyncGenerator<string[][], void> {
  const fields = table.fields.filter((field) => isStored(field) && isWritten(field));
  const types = fields.map((field) => shownType(access.workspace.model, field));
  yield [[...fields.map(({ label }) => label), 'Reason']];
  for (let from = 0; from < records.length; from += atOnce) {
    const some = new Map(records.slice(from, from + atOnce).map((one) => [one.id, one]));
    const read = await readByIds(pool, access, table, [...some.keys()]);
    yield read.map(({ id, values }) => [
      ...fields.map(({ id: field, key }, at) => {
        const type = types[at];
        return some.get(id)?.texts.get(field) ?? (type ? cellOf(type, values[key]).text : '');
      }),
      some.get(id)?.reasons.join('; ') ?? '',
    ]);
  }
}
