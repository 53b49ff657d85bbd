import { and, eq } from 'drizzle-orm';
import { misfitColumns } from '$core/intake/remember';
import type { Proposal, Receipt } from '$core/intake/intake';
import { propose } from '$core/intake/proposal/propose';
import { givingNumbersBack } from '../../records/routines/drawn';
import { withWorkspace } from '../../access/lock';
import { settingOff } from '../../entry/freeOptions';
import { requireRight, type WorkspaceAccess } from '../../access/workspaceAccess';
import { intakes } from '../../database/catalogue';
import { catalogueOn, type Pool } from '../../database/pool';
import { notHere, refuse } from '../../base/refusal';
import { constraintRefusal } from '../../records/constraint';
import { undoBatch } from '../../history/undo';
import { requireSomewhere } from './accounting';
import { intakeColumns, readIntake, requireState, type IntakeOut } from '../intakes';
import { loadSheets } from './load';
import { awaited, inTurn } from '../inTurn';
import { rememberMappings } from '../memory';
import { working } from '../occupied';
import { stagedName } from '../staged/stagedName';
import { raw, sql } from '../../base/sql';

/** Thrown to roll a dry run back once it has been counted. */
class DryRun extends Error {
  constructor(readonly receipt: Receipt) {
    super('dry run');
  }
}

/** The same load as `startLoad`, rolled back: what it would add, set aside and refuse. */
export async function dryRun(pool: Pool, access: WorkspaceAccess, id: number): Promise<IntakeOut> {
  requireRight(access, 'bringIn');
  const intake = await readIntake(pool, access, id);
  requireState(intake, ['ready', 'undone']);
  const proposal = intake.proposal;
  if (!proposal) throw refuse(409, 'There is no proposal yet.', 'Wait until the files are read.');
  try {
    await withWorkspace(pool, access, 'exclusive', async (client, now) => {
      const { receipt } = await loadSheets(
        { client, access: now, exclusive: true, tries: true },
        intake.sheets,
        fresh(now, intake, proposal),
        'dry run',
        () => Promise.resolve(),
      );
      throw new DryRun({ ...receipt, dry: true });
    });
  } catch (error) {
    if (!(error instanceof DryRun)) throw constraintRefusal(access, error) ?? error;
    await catalogueOn(pool).update(intakes).set({ receipt: error.receipt }).where(eq(intakes.id, id));
    return { ...intake, receipt: error.receipt };
  }
  throw new Error('a dry run ends by being rolled back');
}

/** A load that was undone is made anew: its tables wait in the bin under their identities. */
function fresh(access: WorkspaceAccess, { state, sheets }: IntakeOut, proposal: Proposal): Proposal {
  return state === 'undone'
    ? propose({ model: access.workspace.model, sheets, links: proposal.links, decisions: proposal.decisions })
    : proposal;
}

const phaseWords = {
  tables: 'making tables',
  records: 'bringing records in',
  rules: 'building indexes and links',
  calculation: 'calculating',
  receipt: 'reconciling',
} as const;

/** Starts the load as a job and answers at once; progress and outcome are read from the intake. */
export async function startLoad(pool: Pool, access: WorkspaceAccess, id: number): Promise<IntakeOut> {
  requireRight(access, 'bringIn');
  const intake = await readIntake(pool, access, id);
  requireState(intake, ['ready', 'undone']);
  const proposal = intake.proposal;
  if (!proposal) throw refuse(409, 'There is no proposal yet.', 'Wait until the files are read.');
  requireSomewhere(intake.sheets, proposal);
  const [taken] = await catalogueOn(pool)
    .update(intakes)
    .set({ state: 'loading', problem: null, receipt: null, progress: awaited(phaseWords.tables) })
    .where(and(eq(intakes.id, id), eq(intakes.state, intake.state)))
    .returning(intakeColumns);
  if (!taken) throw refuse(409, 'This intake has been loaded meanwhile.', 'Look at it again.');
  void inTurn(pool, id, (jobs) => load(jobs, access, intake, proposal));
  return taken;
}

async function load(jobs: Pool, access: WorkspaceAccess, intake: IntakeOut, proposal: Proposal): Promise<void> {
  const { id, sheets } = intake;
  await working(jobs, id, 'ready', async (occupied) => {
    try {
      let used = proposal;
      const rows = sheets.reduce((sum, sheet) => sum + sheet.rows, 0);
      return await settingOff(jobs, access, () =>
        withWorkspace(jobs, access, 'exclusive', async (client, now) => {
          const { rows: own } = await client.query<{ pid: number }>('select pg_backend_pid() as pid');
          used = fresh(now, intake, proposal);
          const loaded = await givingNumbersBack({ client, workspace: now.workspace }, () =>
            loadSheets(
              { client, access: now, exclusive: true },
              sheets,
              used,
              `Intake of ${sheets.map(({ name }) => name).join(', ')}: ${rows.toLocaleString('en')} rows`.slice(0, 300),
              async (phase, at) => {
                const [row] = await catalogueOn(occupied)
                  .update(intakes)
                  .set({
                    progress: {
                      phase: phaseWords[phase],
                      done: at,
                      of: phase === 'records' ? sheets.length : null,
                      backend: own[0]?.pid,
                    },
                  })
                  .where(eq(intakes.id, id))
                  .returning({ cancel: intakes.cancelAsked });
                if (row?.cancel) throw refuse(409, 'Cancelled; nothing of it was kept.');
              },
            ),
          );
          await rememberMappings(client, now, sheets, used);
          const outcome = {
            state: 'loaded',
            receipt: loaded.receipt,
            batch: loaded.batch,
            proposal: used,
            problem: null,
          } as const;
          // With the records, so that a server that stops between the two never says of a load that stands that nothing
          // was kept.
          await catalogueOn(client)
            .update(intakes)
            .set({ ...outcome, progress: null, cancelAsked: 0 })
            .where(eq(intakes.id, id));
          return outcome;
        }),
      );
    } catch (error) {
      throw constraintRefusal(access, error) ?? error;
    }
  });
}

/** Undoes a load whole; afterwards it can be corrected and done again. */
export async function undoLoad(pool: Pool, access: WorkspaceAccess, id: number): Promise<IntakeOut> {
  const intake = await readIntake(pool, access, id);
  requireState(intake, ['loaded']);
  await undoBatch(pool, access, intake.batch ?? 0);
  return readIntake(pool, access, id);
}

/**
 * The rows of a sheet that did not come in whole, as they were read, with the reason and the record they became.
 * Corrected and brought in again they are recognised: records that stand are filled, rows that were refused become new
 * ones.
 */
export async function misfitRows(pool: Pool, access: WorkspaceAccess, id: number, index: number): Promise<string[][]> {
  const intake = await readIntake(pool, access, id);
  const sheet = intake.sheets[index];
  const mapping = intake.proposal?.mappings.find((one) => one.sheet === index);
  if (!sheet || !mapping) throw notHere('sheet');
  const names = sheet.columns.map(({ name }) => name);
  // A row became the record that it found, or a new one in its place behind the first of the load.
  const { rows } = await pool.query<Record<string, string | null>>(
    sql`
      select s.*, m.record::text as record, coalesce(s._refused, s._unreadable, m.why) as why
      from ${raw(stagedName(sheet.staged))} s
      left join (
        select a.record_id as record, string_agg(distinct a.text || ': ' || a.reason, '; ') as why
        from loom.set_aside a
        where a.batch = ${intake.batch ?? 0} and a.table_id = ${mapping.table}
        group by 1
      ) m on m.record = coalesce(s._target, ${offsetOf(intake, index)} + s._row)
      where s._refused is not null or s._unreadable is not null or m.record is not null
      order by s._row
    `,
  );
  return [
    [...names, ...Object.values(misfitColumns)],
    ...rows.map((row) => [
      ...names.map((_, column) => row[`c${column}`] ?? ''),
      `${id}.${index}`,
      row._refused === null ? (row.record ?? '') : '',
      row.why ?? '',
    ]),
  ];
}

/** What a record's number is above its row's: kept with the receipt. */
const offsetOf = ({ receipt }: IntakeOut, index: number): number =>
  receipt?.sheets.find((sheet) => sheet.index === index)?.offset ?? 0;
