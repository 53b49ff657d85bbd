import { and, desc, eq, lt } from 'drizzle-orm';
import { counted } from '$core/base/counted';
import { applyChanges, isOfRecords } from '$core/changes/change';
import type { TransferPlan, TransferReceipt } from '$core/transfer/receipt';
import type { Compiled } from '$core/transfer/work';
import { printTransfer } from '$core/transfer/works';
import { tableOf } from '$core/model/model';
import { freeLabel } from '$core/model/names/naming';
import { sharedViews } from '$core/views/view';
import type { Model } from '$core/types/model';
import type { Transfer } from '$core/types/transfer';
import { withWorkspace } from '../access/lock';
import { accessOver, authorize, telling, type WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, Refusal, refuse } from '../base/refusal';
import { pageOf, type Listed } from '../base/listed';
import { transfers, views } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { progressOf } from '../database/progress';
import { inTransaction } from '../database/transaction';
import { RulesBroken } from '../records/holdRules';
import { constraintRefusal } from '../records/constraint';
import { epochOf } from '../sql/statement';
import { effectsOf } from '../structure/effects';
import { applyStructure } from '../structure/structure';
import { keepIndexes } from '../structure/standingIndexes';
import { compiled, requireTransfer } from './compile';
import { keptReceipt, shownReceipt } from './keptReceipt';
import { leftOf, takesOf } from './counts';
import { keepMisfits, misfitsOf, misfitTable } from './misfits';
import { fedLines, receiptOf } from './receipts';
import { samplesOf } from './samples';
import { numberingsOf } from '../sql/sequences';

/** A transfer as its maker sees it. */
export interface TransferOut {
  readonly id: number;
  readonly madeAt: string;
  readonly transfer: Readonly<Record<string, unknown>>;
  readonly plan: TransferPlan;
  /** What the last try came to; null where it was not tried since its plan was made. */
  readonly tried: TransferReceipt | null;
  readonly receipt: TransferReceipt | null;
  readonly batch: number | null;
}

/** The workspaces of an epoch. */
const homesIn = (epoch: string): { id: number }[] =>
  epoch
    .split(',')
    .map((one) => ({ id: Number.parseInt(one, 10) }))
    .filter(({ id }) => id > 0);

/** Works out what a transfer would do and keeps it; nothing of the workspace is written. */
export async function makeTransfer(pool: Pool, given: WorkspaceAccess, transfer: Transfer): Promise<TransferOut> {
  const plan = await planOf(pool, given, transfer);
  const [made] = await catalogueOn(pool)
    .insert(transfers)
    .values({
      workspace: given.workspace.id,
      person: given.person.id,
      transfer,
      epoch: epochOf(given.whole),
      plan: { ...plan, samples: [] },
    })
    .returning();
  if (!made) throw new Error('the transfer was not kept');
  return { ...outOf(given, made), plan };
}

/** The same transfer, changed: its plan is made anew. */
export async function changeTransfer(
  pool: Pool,
  given: WorkspaceAccess,
  id: number,
  transfer: Transfer,
): Promise<TransferOut> {
  const before = await rowOf(pool, given, id);
  requireUndone(before);
  const plan = await planOf(pool, given, transfer);
  const [made] = await catalogueOn(pool)
    .update(transfers)
    .set({ transfer, epoch: epochOf(given.whole), plan: { ...plan, samples: [] }, tried: null })
    .where(eq(transfers.id, id))
    .returning();
  if (!made) throw notHere('transfer');
  await keepMisfits(pool, id, []);
  return { ...outOf(given, made), plan };
}

async function planOf(pool: Pool, given: WorkspaceAccess, transfer: Transfer): Promise<TransferPlan> {
  const { changes, links, formulas, left, problems: blocked, title } = compiled(given, transfer);
  await requireTransfer(pool, given, changes);
  const access = telling(given);
  return inTransaction(pool, 'set transaction read only', async (client) => {
    const ofStructure = changes.filter((change) => !isOfRecords(change));
    const effects = await effectsOf(client, access, ofStructure);
    const known = [...blocked, ...effects.flatMap(({ breaks }) => breaks)];
    // What only its changes of records cannot do is said before, too.
    const made = known.length > 0 ? null : applyChanges(given.whole.model, changes);
    const problems = made?.ok === false ? [made.problem] : known;
    return {
      title,
      takes: await takesOf(client, given, changes, transfer.work === 'feed'),
      left: await leftOf(client, given, left),
      links,
      formulas,
      effects,
      samples: problems.length > 0 ? [] : await samplesOf(client, given, changes),
      problems,
    };
  });
}

/** Does a transfer, or tries it: the very same, rolled back. */
export async function runTransfer(pool: Pool, given: WorkspaceAccess, id: number, dry: boolean): Promise<TransferOut> {
  const row = await rowOf(pool, given, id);
  requireUndone(row);
  const access = await accessOver(pool, given, homesIn(row.epoch));
  const peers = access.workspace.peers.map((peer) => peer.id);
  try {
    const done = await withWorkspace(
      pool,
      access,
      'exclusive',
      async (client, held) => {
        const now = await accessOver(client, held, homesIn(row.epoch));
        // Another window may have done it, and rights may have been taken away, while this one waited.
        requireUndone(await rowOf(client, now, id));
        if (!isSeen(now, row.transfer)) throw notHere('transfer');
        if (row.epoch !== epochOf(now.whole))
          throw refuse(
            409,
            'The structure moved on since this transfer was planned.',
            'Look at its plan again: it is made anew with one click.',
          );
        const restored = dry ? await numberingsOf(client, schemasOf(now)) : null;
        if (dry) await client.query('savepoint tried');
        const came = await transferred(client, now, row.transfer, id);
        if (!dry) {
          requireSound(row.transfer, came.receipt);
          await catalogueOn(client)
            .update(transfers)
            .set({ receipt: keptReceipt(came.receipt), batch: came.batch })
            .where(eq(transfers.id, id));
          await keepMisfits(client, id, came.misfits);
          return { ...came, access: await authorize(client, now.person, String(now.workspace.id), 'see') };
        }
        await client.query('rollback to savepoint tried');
        await restored?.();
        await catalogueOn(client)
          .update(transfers)
          .set({ tried: keptReceipt(came.receipt) })
          .where(eq(transfers.id, id));
        await keepMisfits(client, id, came.misfits);
        return { ...came, access: null };
      },
      { also: peers },
    );
    // Nobody waits for indexes: without them everything is right, only slower.
    if (done.access) void keepIndexes(pool, done.access);
    const now = await readTransferOf(pool, done.access ?? given, id);
    return { ...now, [dry ? 'tried' : 'receipt']: done.receipt };
  } catch (error) {
    if (error instanceof RulesBroken) throw new Refusal(422, error.problem);
    throw constraintRefusal(access, error) ?? error;
  }
}

/** Works in which the table of the records goes: none of them may be left there. */
const takesAll = (transfer: Transfer): boolean =>
  transfer.work === 'merge' || transfer.work === 'splitOff' || (transfer.work === 'toRows' && transfer.remove);

/** Refuses what would lose records, or give calculated fields other values without anybody having said so. */
function requireSound(transfer: Transfer, { lines, formulas }: TransferReceipt): void {
  const [left] = lines.flatMap((line) =>
    line.did === 'copyRecords' ? line.left.map((one) => ({ ...one, line })) : [],
  );
  if (left && takesAll(transfer))
    throw refuse(
      422,
      `${counted(left.count, 'record')} of ${left.line.label} cannot come along: ${left.reason}.`,
      'Change them first; a dry run names them.',
    );
  const differing = formulas.find(({ differ }) => differ > 0);
  if (differing && !('accept' in transfer && transfer.accept))
    throw refuse(
      422,
      `${differing.field} would have another value on ${counted(differing.differ, 'record')}.`,
      'Look at them in a dry run, and accept the differences where they are meant.',
      '/accept',
    );
}

const schemasOf = ({ workspace }: WorkspaceAccess): string[] => [workspace, ...workspace.peers].map(({ key }) => key);

async function transferred(client: Client, access: WorkspaceAccess, transfer: Transfer, id: number) {
  const began = performance.now();
  const work = compiled(access, transfer);
  const [problem] = work.problems;
  if (problem) throw new Refusal(422, problem);
  await requireTransfer(client, access, work.changes);
  const writing = {
    client,
    access,
    exclusive: true,
    reportProgress: progressOf(client, access.workspace.id, { kind: 'transfer', id }),
  };
  const applied = await applyStructure(writing, work.changes, { kind: 'transfer', title: work.title });
  await carryOwnViews(client, applied.access, work);
  const receipt = receiptOf(access.workspace.model, work, applied, performance.now() - began);
  const fed = await fedLines(client, applied.access.workspace, transfer);
  return {
    batch: applied.batch,
    receipt: { ...receipt, lines: [...receipt.lines, ...fed] },
    misfits: misfitsOf(work.changes, applied.counts),
  };
}

/** Views of people's own, of tables that went, are made anew; those that were wait for an undo. */
async function carryOwnViews(client: Client, { workspace }: WorkspaceAccess, { ownView }: Compiled): Promise<void> {
  if (!ownView) return;
  const catalogue = catalogueOn(client);
  const rows = await catalogue.select().from(views).where(eq(views.workspace, workspace.id)).orderBy(views.place);
  const used = new Map<string, string[]>();
  const carried = rows.flatMap((row) => {
    const now = ownView(row.tableId, row.view);
    if (!now) return [];
    const theirs = `${row.person} ${now.table}`;
    const taken = used.get(theirs) ?? sharedViews(tableOf(workspace.model, now.table)).map(({ label }) => label);
    const label = freeLabel(now.view.label, taken);
    used.set(theirs, [...taken, label]);
    return [{ ...row, id: now.view.id, tableId: now.table, view: { ...now.view, label } }];
  });
  if (carried.length > 0) await catalogue.insert(views).values(carried);
}

type TransferRow = typeof transfers.$inferSelect;

/** A transfer of one's own. What it names and one no longer sees is not there either. */
async function rowOf(connection: Pool | Client, access: WorkspaceAccess, id: number): Promise<TransferRow> {
  const [row] = await catalogueOn(connection)
    .select()
    .from(transfers)
    .where(and(eq(transfers.id, id), eq(transfers.workspace, access.whole.id), eq(transfers.person, access.person.id)));
  if (!row) throw notHere('transfer');
  return row;
}

function requireUndone({ batch }: TransferRow): void {
  if (batch !== null) throw refuse(409, 'This transfer is done already.', 'Make another one to do it again.');
}

/** Whether all that a transfer names, and the workspace has, is seen by whoever looks. */
function isSeen({ sight, whole }: WorkspaceAccess, transfer: Transfer): boolean {
  if (sight === whole.model) return true;
  const names = (model: Model) =>
    new Set(model.tables.flatMap(({ id, fields }) => [id, ...fields.map((field) => field.id)]));
  const [seen, all] = [names(sight), names(whole.model)];
  return [...JSON.stringify(transfer).matchAll(/[tf]_[0-9a-z]{10}/g)].every(([id]) => seen.has(id) || !all.has(id));
}

function outOf(access: WorkspaceAccess, row: TransferRow): TransferOut {
  if (!isSeen(access, row.transfer)) throw notHere('transfer');
  return {
    id: row.id,
    madeAt: row.madeAt,
    transfer: printed(access, row),
    plan: row.plan,
    tried: row.tried,
    receipt: row.receipt,
    batch: row.batch,
  };
}

/** With today's keys; what names things that are gone is written no more, only its title. */
function printed(access: WorkspaceAccess, { transfer }: TransferRow): Readonly<Record<string, unknown>> {
  try {
    return printTransfer(access.whole.model, transfer);
  } catch {
    return { work: transfer.work };
  }
}

export async function readTransferOf(pool: Pool, given: WorkspaceAccess, id: number): Promise<TransferOut> {
  const row = await rowOf(pool, given, id);
  const access = await accessOver(pool, given, homesIn(row.epoch));
  const out = outOf(access, row);
  return {
    ...out,
    tried: await shownReceipt(pool, access, out.tried),
    receipt: await shownReceipt(pool, access, out.receipt),
  };
}

/**
 * What did not come along whole in one step of the last run, as the rows of a file: the cells of each record as its
 * person sees them, and why.
 */
export async function misfitRows(
  pool: Pool,
  given: WorkspaceAccess,
  id: number,
  wanted: { readonly step: number; readonly what: 'records' | 'values' },
): Promise<AsyncGenerator<string[][], void>> {
  const row = await rowOf(pool, given, id);
  const access = await accessOver(pool, given, homesIn(row.epoch));
  if (!isSeen(access, row.transfer)) throw notHere('transfer');
  return misfitTable(pool, access, { ...wanted, transfer: id, done: row.batch !== null });
}

/** One's own transfers of a workspace, the newest first. */
export async function listTransfers(
  pool: Pool,
  access: WorkspaceAccess,
  { after, limit }: { readonly after?: number | undefined; readonly limit: number },
): Promise<Listed<Pick<TransferOut, 'id' | 'madeAt' | 'batch'> & { readonly title: string; readonly work: string }>> {
  const rows = await catalogueOn(pool)
    .select()
    .from(transfers)
    .where(
      and(
        eq(transfers.workspace, access.whole.id),
        eq(transfers.person, access.person.id),
        after === undefined ? undefined : lt(transfers.id, after),
      ),
    )
    .orderBy(desc(transfers.id))
    .limit(limit + 1);
  const page = pageOf(rows, limit, ({ id }) => id);
  return {
    ...page,
    items: page.items
      .filter(({ transfer }) => isSeen(access, transfer))
      .map(({ id, madeAt, batch, plan, transfer }) => ({ id, madeAt, batch, title: plan.title, work: transfer.work })),
  };
}

/** Throws a transfer away that is not done; a done one stays with its receipt. */
export async function dropTransfer(pool: Pool, access: WorkspaceAccess, id: number): Promise<void> {
  const row = await rowOf(pool, access, id);
  if (row.batch !== null) throw refuse(409, 'This transfer is done; its receipt is kept.', 'Undo it in History.');
  await catalogueOn(pool).delete(transfers).where(eq(transfers.id, id));
}
