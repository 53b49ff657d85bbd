import { isDeepStrictEqual } from 'node:util';
import { and, desc, eq, lt, or, sql as catalogueSql, type SQL } from 'drizzle-orm';
import { carried } from '$core/intake/carried';
import type { Decisions, IntakeSheet, Proposal, ReadingWish, Receipt, SheetPreview } from '$core/intake/intake';
import { identitiesOf, propose } from '$core/intake/proposal/propose';
import { privateToOthers } from '$core/parts/visible';
import { resolveDecisions } from '$core/intake/resolveDecisions';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { intakes, type IntakeProgress, type IntakeState } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { intakeLock } from '../database/locks';
import { inTransaction } from '../database/transaction';
import type { UploadedFile } from '../files/uploaded';
import { notHere, Refusal, refuse } from '../base/refusal';
import { cleanColumns } from './staged/cleanColumns';
import { readFiles } from './readFiles';
import { awaited, inHand } from './inTurn';
import { keepSources, removeSources } from './sources';
import { shapeWishes, type SourceFile } from '$core/intake/sheets/sourceFile';
import { withSplit, type SplitWish } from './staged/splitByHand';
import { stagedName } from './staged/stagedName';
import { raw, sql } from '../base/sql';
import { pageOf } from '../base/listed';

export interface IntakeOut {
  readonly id: number;
  readonly state: IntakeState;
  readonly problem: string | null;
  readonly progress: IntakeProgress | null;
  readonly files: readonly SourceFile[];
  readonly preview: readonly SheetPreview[] | null;
  readonly sheets: readonly IntakeSheet[];
  readonly proposal: Proposal | null;
  readonly receipt: Receipt | null;
  readonly batch: number | null;
}

export const intakeColumns = {
  id: intakes.id,
  state: intakes.state,
  problem: intakes.problem,
  progress: intakes.progress,
  files: intakes.files,
  preview: intakes.preview,
  sheets: intakes.sheets,
  proposal: intakes.proposal,
  receipt: intakes.receipt,
  batch: intakes.batch,
};

/** Said until the files are open. */
const beginning = 'Beginning';

/** Begins an intake: the files are read and profiled while the answer is on its way. */
export async function beginIntake(
  pool: Pool,
  access: WorkspaceAccess,
  files: readonly UploadedFile[],
): Promise<IntakeOut> {
  requireRight(access, 'bringIn');
  if (files.length === 0) throw refuse(400, 'No file came in.', 'Choose at least one CSV file.');
  const [made] = await catalogueOn(pool)
    .insert(intakes)
    .values({
      workspace: access.workspace.id,
      person: access.person.id,
      state: 'reading',
      progress: awaited(beginning),
    })
    .returning(intakeColumns);
  if (!made) throw new Error('the intake was not made');
  const kept = await keepSources(made.id, files).catch(async (error: unknown) => {
    await catalogueOn(pool).delete(intakes).where(eq(intakes.id, made.id));
    throw error;
  });
  await catalogueOn(pool).update(intakes).set({ files: kept }).where(eq(intakes.id, made.id));
  void readFiles(pool, access, made.id, kept);
  return { ...made, files: kept };
}

/** Reads a file of the intake again, another way; everything is found anew, and what was decided by names holds. */
export async function readAgain(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  index: number,
  wish: ReadingWish,
): Promise<IntakeOut> {
  requireRight(access, 'bringIn');
  const intake = await readIntake(pool, access, id);
  requireState(intake, ['ready', 'undone', 'failed']);
  if (!intake.files[index]) throw notHere('file');
  const kept = shapeWishes.filter((kind) => isDeepStrictEqual(wish[kind], intake.files[index]?.wish[kind]));
  const files = intake.files.map((file, at) => ({
    ...file,
    ...(at === index ? { wish, kept } : { kept: shapeWishes }),
  }));
  const before = intake.proposal ? carried(intake.sheets, intake.proposal.decisions) : null;
  await dropStaged(pool, intake.sheets);
  const [begun] = await catalogueOn(pool)
    .update(intakes)
    .set({
      state: 'reading',
      files,
      sheets: [],
      proposal: null,
      receipt: null,
      problem: null,
      progress: awaited(beginning),
      batch: null,
      madeAt: new Date().toISOString(),
    })
    .where(and(eq(intakes.id, id), eq(intakes.state, intake.state)))
    .returning(intakeColumns);
  if (!begun) throw refuse(409, 'This intake has been changed meanwhile.', 'Look at it again.');
  void readFiles(pool, access, id, files, before);
  return begun;
}

/** The intakes of a workspace that somebody may look at: what others bring into a table of theirs alone is not there. */
function seenIntakes({ workspace, whole, person, sights }: WorkspaceAccess): SQL | undefined {
  const hidden = [...privateToOthers(whole.model, sights)];
  return and(
    eq(intakes.workspace, workspace.id),
    or(
      eq(intakes.person, person.id),
      and(
        ...hidden.map((table) => catalogueSql`strpos(coalesce(${intakes.proposal}::text, ''), ${table}) = 0`),
        catalogueSql`not exists (
          select from loom.batches b where b.id = ${intakes.batch} and b.private_to <> ${person.id}
        )`,
      ),
    ),
  );
}

/** The intake as it stands; work that was cut off is said so. */
export async function readIntake(pool: Pool, access: WorkspaceAccess, id: number): Promise<IntakeOut> {
  // A load can be undone, and that undone again, from History as well: what became of its batch is what stands.
  await pool.query(
    sql`
      update loom.intakes i
      set state = case when b.undone_by is null then 'loaded' else 'undone' end
      from loom.batches b
      where i.id = ${id} and b.id = i.batch
        and i.state = case when b.undone_by is null then 'undone' else 'loaded' end
    `,
  );
  const [found] = await catalogueOn(pool)
    .select(intakeColumns)
    .from(intakes)
    .where(and(eq(intakes.id, id), seenIntakes(access)));
  if (!found) throw notHere('intake');
  if (found.state !== 'loading' && found.state !== 'reading') return found;
  const { rows } = await pool.query<{ held: boolean }>(
    sql`
      select exists (
        select 1 from pg_locks where locktype = 'advisory' and classid = ${intakeLock} and objid = ${id}
      ) as held
    `,
  );
  if (rows[0]?.held || inHand(pool, id, found.progress)) return found;
  const problem =
    found.state === 'loading'
      ? 'The server was stopped in the middle of the load; nothing of it was kept.'
      : 'The server was stopped while reading; nothing was kept. Bring the files in again.';
  const state: IntakeState = found.state === 'loading' && (await isStaged(pool, found.sheets)) ? 'ready' : 'failed';
  const again = state === 'failed' && found.state === 'loading' ? ' Bring the files in again.' : '';
  const [changed] = await catalogueOn(pool)
    .update(intakes)
    .set({ state, problem: problem + again, progress: null })
    .where(and(eq(intakes.id, id), eq(intakes.state, found.state)))
    .returning(intakeColumns);
  return changed ?? found;
}

/** After a crash PostgreSQL empties unlogged tables; after an orderly restart the staged rows are still there. */
async function isStaged(pool: Pool, sheets: readonly IntakeSheet[]): Promise<boolean> {
  for (const { staged } of sheets) {
    const found = await pool
      .query(sql`select 1 from ${raw(stagedName(staged))} limit 1`)
      .catch(() => ({ rowCount: 0 }));
    if (found.rowCount === 0) return false;
  }
  return sheets.length > 0;
}

export async function listIntakes(
  pool: Pool,
  access: WorkspaceAccess,
  { after, limit }: { readonly after?: number | undefined; readonly limit: number } = { limit: 20 },
) {
  const rows = await catalogueOn(pool)
    .select({ id: intakes.id, state: intakes.state, madeAt: intakes.madeAt, sheets: intakes.sheets })
    .from(intakes)
    .where(and(seenIntakes(access), after === undefined ? undefined : lt(intakes.id, after)))
    .orderBy(desc(intakes.id))
    .limit(limit + 1);
  const shown = rows.map(({ sheets, ...row }) => ({
    ...row,
    names: sheets.map(({ name }) => name),
    rows: sheets.reduce((sum, sheet) => sum + sheet.rows, 0),
  }));
  return pageOf(shown, limit, ({ id }) => id);
}

/**
 * Changes what is found and proposed of an intake, with its staged rows, in one transaction that holds it: two windows
 * change it one after the other, and what is cut off changes nothing.
 */
async function changing(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  states: readonly IntakeState[],
  work: (client: Client, intake: IntakeOut) => Promise<Pick<IntakeOut, 'sheets' | 'proposal'>>,
): Promise<IntakeOut> {
  // Work that was cut off, and loads that were undone elsewhere, are said so first.
  await readIntake(pool, access, id);
  return inTransaction(pool, 'select 1', async (client) => {
    const seen = and(eq(intakes.id, id), seenIntakes(access));
    const [intake] = await catalogueOn(client).select(intakeColumns).from(intakes).where(seen).for('update');
    if (!intake) throw notHere('intake');
    requireState(intake, states);
    const changed = { ...(await work(client, intake)), receipt: null, problem: null, state: 'ready' as const };
    await catalogueOn(client).update(intakes).set(changed).where(eq(intakes.id, id));
    return { ...intake, ...changed };
  });
}

/** Makes the proposal anew with the person's corrections; everything they did not touch keeps its identity. */
export async function correctIntake(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  sent: Decisions,
): Promise<IntakeOut> {
  requireRight(access, 'bringIn');
  return changing(pool, access, id, ['ready', 'undone'], async (client, intake) => {
    const before = intake.proposal?.links ?? [];
    const resolved = resolveDecisions({ model: access.workspace.model, sheets: intake.sheets, links: before }, sent);
    if (!resolved.ok) throw new Refusal(422, resolved.problem);
    const decisions = resolved.value;
    const { sheets, links } = await cleanColumns(client, access, intake.sheets, before, decisions);
    const identities = intake.state === 'undone' || !intake.proposal ? undefined : identitiesOf(intake.proposal);
    return { sheets, proposal: propose({ model: access.workspace.model, sheets, links, decisions, identities }) };
  });
}

/**
 * Splits columns of a sheet off by hand; the proposal is made anew with it. Rows that disagree are told, however many.
 */
export async function splitByHand(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  wish: SplitWish,
): Promise<IntakeOut> {
  requireRight(access, 'bringIn');
  return changing(pool, access, id, ['ready'], async (client, { sheets, proposal: before }) => {
    const { sheets: now, links } = await withSplit(client, access, sheets, before?.links ?? [], wish);
    const { [`${wish.sheet}.${wish.determinant}`]: _, ...others } = before?.decisions.columns ?? {};
    const decisions = { ...before?.decisions, tables: before?.decisions.tables ?? {}, columns: others };
    const identities = before ? identitiesOf(before) : undefined;
    return {
      sheets: now,
      proposal: propose({ model: access.workspace.model, sheets: now, links, decisions, identities }),
    };
  });
}

export function requireState(intake: IntakeOut, states: readonly IntakeState[]): void {
  if (!states.includes(intake.state))
    throw refuse(
      409,
      `This intake is ${intake.state}.`,
      intake.state === 'loaded' ? 'Undo the load to do it again.' : 'Bring the files in again.',
    );
}

/** Cancels work that is going on, undoes a load, or discards the intake. */
export async function endIntake(pool: Pool, access: WorkspaceAccess, id: number): Promise<IntakeOut | null> {
  requireRight(access, 'bringIn');
  const intake = await readIntake(pool, access, id);
  if (intake.state === 'reading' || intake.state === 'loading') {
    await catalogueOn(pool).update(intakes).set({ cancelAsked: 1 }).where(eq(intakes.id, id));
    // A long statement is cut short, too.
    if (intake.progress?.backend) await pool.query(sql`select pg_cancel_backend(${intake.progress.backend})`);
    return readIntake(pool, access, id);
  }
  await dropStaged(pool, intake.sheets);
  await removeSources(id);
  await catalogueOn(pool).delete(intakes).where(eq(intakes.id, id));
  return null;
}

async function dropStaged(pool: Pool, sheets: readonly IntakeSheet[]): Promise<void> {
  for (const { staged } of sheets) await pool.query(sql`drop table if exists ${raw(stagedName(staged))}`);
}
