import { unlink } from 'node:fs/promises';
import { basename } from 'node:path';
import { and, desc, eq } from 'drizzle-orm';
import { noDecisions, type Decisions, type IntakeSheet, type Proposal, type Receipt } from '$core/intake/intake';
import { identitiesOf, propose } from '$core/intake/propose';
import { quoteIdentifier } from '$core/sql';
import { withWorkspace } from '../access/lock';
import { requireRole, type Seat } from '../access/seat';
import { intakes, type IntakeProgress, type IntakeState } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { errorCode } from '../database/transaction';
import { log } from '../http/log';
import { notHere, Refusal, refuse } from '../refusal';
import { constraintRefusal } from '../tables/constraint';
import { undoBatch } from '../tables/undo';
import { confirmKeys, confirmLinks } from './discover';
import { loadSheets } from './load';
import { stageFile, stagedName } from './stage';

/** Held by whoever works on an intake; nobody holding it while the state says so means that the work was cut off. */
const intakeLock = 7002;
const canceled = '57014';

export interface UploadedFile {
  readonly name: string;
  /** Where the upload was put; removed once it is read. */
  readonly path: string;
}

export interface IntakeOut {
  readonly id: number;
  readonly state: IntakeState;
  readonly problem: string | null;
  readonly progress: IntakeProgress | null;
  readonly sheets: readonly IntakeSheet[];
  readonly proposal: Proposal | null;
  readonly receipt: Receipt | null;
  readonly batch: number | null;
}

const columns = {
  id: intakes.id,
  state: intakes.state,
  problem: intakes.problem,
  progress: intakes.progress,
  sheets: intakes.sheets,
  proposal: intakes.proposal,
  receipt: intakes.receipt,
  batch: intakes.batch,
};

/** A name to show and to make a table's label from: no folders, no control characters. */
const safeName = (name: string): string =>
  basename(name.replaceAll('\\', '/'))
    .replace(/\p{Cc}/gu, '')
    .replace(/^\.+/, '')
    .slice(0, 100) || 'file.csv';

/** Begins an intake: the files are read and profiled while the answer is on its way. */
export async function beginIntake(pool: Pool, seat: Seat, files: readonly UploadedFile[]): Promise<IntakeOut> {
  requireRole(seat.role, 'administrator');
  if (files.length === 0) throw refuse(400, 'No file came in.', 'Choose at least one CSV file.');
  const [made] = await catalogueOn(pool).insert(intakes).values({ workspace: seat.workspace.id, person: seat.person.id, state: 'reading' }).returning(columns);
  if (!made) throw new Error('the intake was not made');
  void read(pool, seat, made.id, files);
  return made;
}

/** A connection that holds the intake's lock, or null when somebody works on it already. */
async function occupy(pool: Pool, id: number): Promise<Client | null> {
  const client = await pool.connect();
  const { rows } = await client.query<{ held: boolean }>('select pg_try_advisory_lock($1, $2) as held', [intakeLock, id]);
  if (rows[0]?.held) return client;
  client.release();
  return null;
}

/**
 * Works on an intake under its lock; what goes wrong becomes the intake's state, for people. The lock is held from before
 * the state says that work goes on until after it says how it ended, so whoever finds the lock free knows that it was cut off.
 */
async function working(
  client: Client,
  pool: Pool,
  id: number,
  failed: IntakeState,
  work: (client: Client) => Promise<Partial<typeof intakes.$inferInsert>>,
): Promise<void> {
  let outcome: Partial<typeof intakes.$inferInsert>;
  const died = () => undefined;
  client.on('error', died);
  try {
    outcome = await work(client);
  } catch (error) {
    if (error instanceof Refusal) outcome = { state: failed, problem: [error.problem.message, error.problem.mend].filter(Boolean).join(' ') };
    else if (errorCode(error) === canceled) outcome = { state: failed === 'failed' ? 'cancelled' : failed, problem: 'Cancelled; nothing of it was kept.' };
    else {
      const incident = log.incident(error, { intake: id });
      outcome = { state: 'failed', problem: `The work was cut off, and nothing of it was kept (${incident}). Bring the files in again.` };
    }
  }
  await catalogueOn(pool)
    .update(intakes)
    .set({ ...outcome, progress: null, cancelAsked: 0 })
    .where(eq(intakes.id, id))
    .catch((error: unknown) => log.incident(error, { intake: id }));
  const unlocked = await client.query('select pg_advisory_unlock($1, $2)', [intakeLock, id]).catch(() => null);
  client.off('error', died);
  client.release(unlocked === null);
}

async function read(pool: Pool, seat: Seat, id: number, files: readonly UploadedFile[]): Promise<void> {
  let told = 0;
  const tell = async (phase: string, done: number) => {
    if (Date.now() - told < 400) return;
    told = Date.now();
    const [row] = await catalogueOn(pool)
      .update(intakes)
      .set({ progress: { phase, done, of: null } })
      .where(eq(intakes.id, id))
      .returning({ cancel: intakes.cancelAsked });
    if (row?.cancel) throw refuse(409, 'Cancelled; nothing of it was kept.');
  };
  const occupied = await occupy(pool, id);
  if (!occupied) throw new Error('a new intake is worked on by nobody else');
  await working(occupied, pool, id, 'failed', async (client) => {
    const sheets: IntakeSheet[] = [];
    try {
      await client.query('begin');
      for (const [index, file] of files.entries()) {
        const name = safeName(file.name);
        const sheet = await stageFile(client, file.path, name, `s${id}_${index}`, (rows) => tell(`reading ${name}`, rows));
        sheets.push(await confirmKeys(client, sheet));
      }
      const links = await confirmLinks(client, sheets);
      await client.query('commit');
      const proposal = propose({ model: seat.workspace.model, sheets, links, decisions: noDecisions });
      return { state: 'ready', sheets, proposal };
    } catch (error) {
      await client.query('rollback').catch(() => undefined);
      throw error;
    } finally {
      await Promise.all(files.map(({ path }) => unlink(path).catch(() => undefined)));
    }
  });
}

/** The intake as it stands; work that was cut off is said so. */
export async function readIntake(pool: Pool, seat: Seat, id: number): Promise<IntakeOut> {
  // A load can be taken back, and that taken back again, from History as well: what became of its batch is what stands.
  await pool.query(
    `update loom.intakes i set state = case when b.undone_by is null then 'loaded' else 'undone' end
     from loom.batches b where i.id = $1 and b.id = i.batch and i.state = case when b.undone_by is null then 'undone' else 'loaded' end`,
    [id],
  );
  const [found] = await catalogueOn(pool)
    .select(columns)
    .from(intakes)
    .where(and(eq(intakes.id, id), eq(intakes.workspace, seat.workspace.id)));
  if (!found) throw notHere('intake');
  if (found.state !== 'loading' && found.state !== 'reading') return found;
  const { rows } = await pool.query<{ held: boolean; age: number }>(
    `select exists (select 1 from pg_locks where locktype = 'advisory' and classid = $1 and objid = $2) as held, extract(epoch from now() - made_at)::float as age from loom.intakes where id = $2`,
    [intakeLock, id],
  );
  // The first moment of a reading passes before its lock is taken.
  if (rows[0]?.held || (rows[0]?.age ?? 0) < 3) return found;
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
    .returning(columns);
  return changed ?? found;
}

/** After a crash PostgreSQL empties unlogged tables; after an orderly restart the staged rows are still there. */
async function isStaged(pool: Pool, sheets: readonly IntakeSheet[]): Promise<boolean> {
  for (const { staged } of sheets) {
    const found = await pool.query(`select 1 from ${stagedName(staged)} limit 1`).catch(() => ({ rowCount: 0 }));
    if (found.rowCount === 0) return false;
  }
  return sheets.length > 0;
}

export async function listIntakes(pool: Pool, seat: Seat) {
  return catalogueOn(pool)
    .select({ id: intakes.id, state: intakes.state, madeAt: intakes.madeAt, sheets: intakes.sheets })
    .from(intakes)
    .where(eq(intakes.workspace, seat.workspace.id))
    .orderBy(desc(intakes.id))
    .limit(20)
    .then((rows) =>
      rows.map(({ sheets, ...row }) => ({ ...row, names: sheets.map(({ name }) => name), rows: sheets.reduce((sum, sheet) => sum + sheet.rows, 0) })),
    );
}

/** Makes the proposal anew with the person's corrections; everything they did not touch keeps its identity. */
export async function correctIntake(pool: Pool, seat: Seat, id: number, decisions: Decisions): Promise<IntakeOut> {
  requireRole(seat.role, 'administrator');
  const intake = await readIntake(pool, seat, id);
  requireState(intake, ['ready', 'undone']);
  const proposal = propose({
    model: seat.workspace.model,
    sheets: intake.sheets,
    links: intake.proposal?.links ?? [],
    decisions,
    identities: intake.state === 'undone' || !intake.proposal ? undefined : identitiesOf(intake.proposal),
  });
  await catalogueOn(pool).update(intakes).set({ proposal, receipt: null, problem: null, state: 'ready' }).where(eq(intakes.id, id));
  return { ...intake, proposal, receipt: null, problem: null, state: 'ready' };
}

function requireState(intake: IntakeOut, states: readonly IntakeState[]): void {
  if (!states.includes(intake.state))
    throw refuse(409, `This intake is ${intake.state}.`, intake.state === 'loaded' ? 'Take the load back to do it again.' : 'Bring the files in again.');
}

/** Thrown to roll a dry run back once it has been counted. */
class DryRun extends Error {
  constructor(readonly receipt: Receipt) {
    super('dry run');
  }
}

/** The same load as `startLoad`, rolled back: what it would add, set aside and refuse. */
export async function dryRun(pool: Pool, seat: Seat, id: number): Promise<IntakeOut> {
  requireRole(seat.role, 'administrator');
  const intake = await readIntake(pool, seat, id);
  requireState(intake, ['ready', 'undone']);
  const proposal = intake.proposal;
  if (!proposal) throw refuse(409, 'There is no proposal yet.', 'Wait until the files are read.');
  try {
    await withWorkspace(pool, seat, 'whole', async (client, now) => {
      const { receipt } = await loadSheets({ client, seat: now, whole: true }, intake.sheets, fresh(now, intake, proposal), 'dry run', () => Promise.resolve());
      throw new DryRun({ ...receipt, dry: true });
    });
  } catch (error) {
    if (!(error instanceof DryRun)) throw constraintRefusal(seat, error) ?? error;
    await catalogueOn(pool).update(intakes).set({ receipt: error.receipt }).where(eq(intakes.id, id));
    return { ...intake, receipt: error.receipt };
  }
  throw new Error('a dry run ends by being rolled back');
}

/** A load that was taken back is made anew: its tables wait in the bin under their identities. */
function fresh(seat: Seat, { state, sheets }: IntakeOut, proposal: Proposal): Proposal {
  return state === 'undone' ? propose({ model: seat.workspace.model, sheets, links: proposal.links, decisions: proposal.decisions }) : proposal;
}

const phaseWords = {
  tables: 'making tables',
  records: 'bringing records in',
  rules: 'building indexes and links',
  calculation: 'calculating',
  receipt: 'reconciling',
} as const;

/** Starts the load as a job and answers at once; progress and outcome are read from the intake. */
export async function startLoad(pool: Pool, seat: Seat, id: number): Promise<IntakeOut> {
  requireRole(seat.role, 'administrator');
  const intake = await readIntake(pool, seat, id);
  requireState(intake, ['ready', 'undone']);
  const proposal = intake.proposal;
  if (!proposal) throw refuse(409, 'There is no proposal yet.', 'Wait until the files are read.');
  const client = await occupy(pool, id);
  if (!client) throw refuse(409, 'This intake is being loaded already.', 'Wait for it to end.');
  const [taken] = await catalogueOn(pool)
    .update(intakes)
    .set({ state: 'loading', problem: null, receipt: null, progress: { phase: phaseWords.tables, done: 0, of: null } })
    .where(and(eq(intakes.id, id), eq(intakes.state, intake.state)))
    .returning(columns);
  if (!taken) {
    client.release(true);
    throw refuse(409, 'This intake has been loaded meanwhile.', 'Look at it again.');
  }
  void load(client, pool, seat, intake, proposal);
  return taken;
}

async function load(occupied: Client, pool: Pool, seat: Seat, intake: IntakeOut, proposal: Proposal): Promise<void> {
  const { id, sheets } = intake;
  await working(occupied, pool, id, 'ready', async () => {
    try {
      let used = proposal;
      const rows = sheets.reduce((sum, sheet) => sum + sheet.rows, 0);
      const done = await withWorkspace(pool, seat, 'whole', async (client, now) => {
        const { rows: own } = await client.query<{ pid: number }>('select pg_backend_pid() as pid');
        used = fresh(now, intake, proposal);
        return loadSheets(
          { client, seat: now, whole: true },
          sheets,
          used,
          `Intake of ${sheets.map(({ name }) => name).join(', ')}: ${rows.toLocaleString('en')} rows`.slice(0, 300),
          async (phase, at) => {
            const [row] = await catalogueOn(pool)
              .update(intakes)
              .set({ progress: { phase: phaseWords[phase], done: at, of: phase === 'records' ? sheets.length : null, backend: own[0]?.pid } })
              .where(eq(intakes.id, id))
              .returning({ cancel: intakes.cancelAsked });
            if (row?.cancel) throw refuse(409, 'Cancelled; nothing of it was kept.');
          },
        );
      });
      return { state: 'loaded', receipt: done.receipt, batch: done.batch, proposal: used, problem: null };
    } catch (error) {
      throw constraintRefusal(seat, error) ?? error;
    }
  });
}

/** Cancels work that is going on, takes a load back, or throws the intake away. */
export async function endIntake(pool: Pool, seat: Seat, id: number): Promise<IntakeOut | null> {
  requireRole(seat.role, 'administrator');
  const intake = await readIntake(pool, seat, id);
  if (intake.state === 'reading' || intake.state === 'loading') {
    await catalogueOn(pool).update(intakes).set({ cancelAsked: 1 }).where(eq(intakes.id, id));
    // A long statement is cut short, too.
    if (intake.progress?.backend) await pool.query('select pg_cancel_backend($1)', [intake.progress.backend]);
    return readIntake(pool, seat, id);
  }
  await dropStaged(pool, intake.sheets);
  await catalogueOn(pool).delete(intakes).where(eq(intakes.id, id));
  return null;
}

async function dropStaged(pool: Pool, sheets: readonly IntakeSheet[]): Promise<void> {
  for (const { staged } of sheets) await pool.query(`drop table if exists loom_staging.${quoteIdentifier(staged)}`);
}

/** Takes a load back whole; afterwards it can be corrected and done again. */
export async function undoLoad(pool: Pool, seat: Seat, id: number): Promise<IntakeOut> {
  const intake = await readIntake(pool, seat, id);
  requireState(intake, ['loaded']);
  await undoBatch(pool, seat, intake.batch ?? 0);
  return readIntake(pool, seat, id);
}

/** Rows that did not come in whole, as they were read, with the reason; for correcting and bringing in again. */
export async function misfitRows(pool: Pool, seat: Seat, id: number): Promise<string[][]> {
  const intake = await readIntake(pool, seat, id);
  const out: string[][] = [];
  for (const sheet of intake.sheets) {
    const mapping = intake.proposal?.mappings.find(({ sheet: index }) => intake.sheets[index] === sheet);
    const names = sheet.columns.map(({ name }) => name);
    const { rows } = await pool.query<Record<string, string | null>>(
      `select s.*, coalesce(s._refused, (select string_agg(a.text || ': ' || a.reason, '; ' order by a.id) from loom.set_aside a
         where a.batch = $1 and a.table_id = $2 and a.record_id = s._row + (select min(first_id) - 1 from loom.history where batch = $1 and table_id = $2))) as why
       from ${stagedName(sheet.staged)} s order by _row`,
      [intake.batch ?? 0, mapping?.table ?? ''],
    );
    const misfits = rows.filter(({ why }) => why !== null);
    if (misfits.length === 0) continue;
    out.push(['sheet', 'row', ...names, 'why']);
    for (const row of misfits) out.push([sheet.name, String(row._row), ...names.map((_, index) => row[`c${index}`] ?? ''), row.why ?? '']);
  }
  return out;
}
