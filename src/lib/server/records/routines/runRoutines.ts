import type { Problem } from '$core/base/problem';
import type { StepDone, StepSample } from '$core/routines/log';
import { findTable } from '$core/model/model';
import { lostIn } from '$core/routines/routine';
import { scopeBehind, scopeOf } from '$core/routines/scope';
import { stepKinds } from '$core/routines/steps/registry';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import type { Routine, Step } from '$core/types/routine';
import { accessOfMember, acting, type WorkspaceAccess } from '../../access/workspaceAccess';
import { Refusal } from '../../base/refusal';
import { sql } from '../../base/sql';
import type { Pool } from '../../database/pool';
import { inTransaction } from '../../database/transaction';
import type { Known } from '../../calculation/effects';
import { constraintRefusal } from '../constraint';
import type { Following, HistoryRow, TableEdits } from '../edits';
import { holdRules } from '../holdRules';
import { recalculate } from '../recalculate';
import { writeEdits } from '../writeEdits';
import { requireEditable, requireEntered } from '../writeRights';
import { NeedsOptions } from './needsOptions';
import { meeting, type Frame, type FrameRow } from './frame';
import { countFailure, isReady, keptOf, type Kept } from './keeping';
import { runnerOf } from './steps/registry';
import { setOff, type Happened, type SetOff } from './triggered';
import type { ToSend } from './outgoing';
import { mostNoted } from './working';

/** A routine sets off no more than so many others, one behind the other. */
const mostChained = 16;
/** Of the records of a run so many are named in the log. */
const mostNamed = 50;

/** One run for the log. */
export interface RunDone {
  readonly routine: string;
  readonly table: string;
  readonly chain: readonly string[];
  readonly records: number;
  readonly first: readonly number[];
  readonly took: number;
  readonly problem: string | null;
  readonly steps: readonly StepDone[];
}

/** What routines did within an edit. */
export interface Ran {
  readonly history: readonly HistoryRow[];
  readonly touched: ReadonlySet<Table>;
  readonly changed: readonly FieldId[];
  readonly runs: readonly RunDone[];
  readonly outgoing: readonly ToSend[];
}

/** An edit that is refused as a routine which it sets off cannot be done. */
export class RoutineFailed extends Refusal {
  constructor(
    readonly routine: Pick<Routine, 'id' | 'label'>,
    readonly run: RunDone,
    readonly because: Refusal,
    /** Whether whoever made the edit sees all that the routine uses, and so may be told why. */
    isSeen: boolean,
  ) {
    const { message, fix } = because.problem;
    super(
      because.status,
      isSeen
        ? { message: `The routine “${routine.label}” cannot be done: ${message}`, ...(fix ? { fix } : {}) }
        : { message: `The routine “${routine.label}” cannot be done.`, fix: 'Ask somebody who manages routines.' },
    );
  }
}

/** A routine runs for no more records than so many within one edit; who loads more switches it off meanwhile. */
const mostRecords = 100_000;

/** What one run works with, and what it came to so far. */
class Running {
  readonly history: HistoryRow[] = [];
  readonly touched = new Set<Table>();
  readonly outgoing: ToSend[] = [];
  readonly steps: StepDone[] = [];
  readonly known: Known[] = [];

  constructor(
    private readonly run: Following,
    private readonly keeper: WorkspaceAccess,
    private readonly routine: Routine,
    /** The place of its next write among those of the batch. */
    private readonly nextStep: () => number,
    private readonly tries = false,
  ) {}

  /** Does steps on records, each on what the one before left. */
  async all(frame: Frame, steps: readonly Step[]): Promise<void> {
    let now = frame;
    for (const step of steps) {
      if (now.rows.length === 0) return;
      now = await this.step(now, step);
    }
  }

  private async step(frame: Frame, step: Step): Promise<Frame> {
    const began = performance.now();
    const { model } = this.run.workspace;
    const samples: StepSample[] = [];
    const [madeBefore, changedBefore, sentBefore] = [this.count('made'), this.count('changed'), this.outgoing.length];
    const next = await runnerOf(step)(
      {
        client: this.run.client,
        access: readingAs(this.keeper, this.run.access),
        frame,
        write: (edits) => this.write(edits),
        send: (outgoing) => {
          const { id: routine, label } = this.routine;
          const sender = { routine, label, table: frame.scope.table.id, keeper: this.keeper.person.id };
          this.outgoing.push(...outgoing.map((one) => ({ ...one, ...sender })));
        },
        within: (inner, steps) => this.all(inner, steps),
        note: (noted) => samples.push(...noted),
        tries: this.tries,
      },
      step,
    );
    const words = stepKinds(step).words({ model, scope: frame.scope }, step, () => '…');
    this.steps.push({
      do: step.do,
      words: words.slice(0, 500),
      records: frame.rows.length,
      made: this.count('made') - madeBefore,
      changed: this.count('changed') - changedBefore,
      sent: this.outgoing.length - sentBefore,
      samples: samples.slice(0, 2 * mostNoted),
      took: Math.round((performance.now() - began) * 10) / 10,
    });
    return next.rows === frame.rows ? { ...next, scope: scopeBehind(model, frame.scope, step) } : next;
  }

  private count(kind: HistoryRow['kind']): number {
    return this.history.reduce((sum, row) => sum + (row.kind === kind ? row.last - row.first + 1 : 0), 0);
  }

  /** Writes as the one way of writing does, by the rights of whoever keeps the routine. */
  private async write(edits: readonly TableEdits[]): Promise<readonly (readonly number[])[]> {
    const { run, keeper } = this;
    await requireEditable(run.client, keeper, edits);
    const { inserted, history, effects } = await writeEdits(run, edits);
    const followed = await recalculate(run, effects);
    await requireEntered(run.client, keeper, edits, inserted);
    await holdRules({ client: run.client, access: keeper }, edits, inserted);
    const step = this.nextStep();
    this.history.push(...[...history, ...followed.history].map((row) => ({ ...row, step, routine: this.routine.id })));
    for (const { table } of edits) this.touched.add(table);
    for (const table of followed.touched) this.touched.add(table);
    this.known.push(followed.known);
    return inserted;
  }
}

/** What is done where no routine is set off. */
export const noneRan: Ran = { history: [], touched: new Set(), changed: [], runs: [], outgoing: [] };

/**
 * Runs the routines that an edit sets off, and those that these set off, within the transaction of the edit. A routine
 * runs for a record once in it.
 */
export async function runRoutines(run: Following, first: Happened | readonly SetOff[]): Promise<Ran> {
  const done = { history: [] as HistoryRow[], touched: new Set<Table>(), runs: [] as RunDone[] };
  const outgoing: Ran['outgoing'][number][] = [];
  const changed = new Set<FieldId>();
  const over = new Map<string, Set<number>>();
  const waiting: { happened: Happened | readonly SetOff[]; chain: readonly Routine[] }[] = [
    { happened: first, chain: [] },
  ];
  const keepers = new Map<number, Promise<WorkspaceAccess | null>>();
  // A day begins, whatever a routine makes of it.
  const goesOn = 'known' in first && first.newDay === true;
  let place = 0;
  for (let at = waiting.shift(); at; at = waiting.shift()) {
    const { happened, chain } = at;
    const all = 'known' in happened ? await setOff(run, happened) : happened;
    if (all.length === 0) continue;
    const kept = await keptOf(
      run.client,
      all.map(({ routine }) => routine.id),
    );
    for (const one of all) {
      const { routine } = one;
      const stands = kept.get(routine.id);
      if (!isReady(routine, stands)) continue;
      const before = over.get(routine.id) ?? new Set<number>();
      over.set(routine.id, before);
      const ids = one.ids.filter((id) => !before.has(id));
      if (ids.length === 0) continue;
      for (const id of ids) before.add(id);
      const result = await runOne(run, { ...one, ids }, stands, chain, () => ++place, keepers, goesOn);
      if (!result) continue;
      done.runs.push(result.done);
      const { running } = result;
      if (!running) continue;
      done.history.push(...running.history);
      for (const touched of running.touched) done.touched.add(touched);
      outgoing.push(...running.outgoing);
      for (const known of running.known) {
        for (const field of known.changedFields()) changed.add(field);
        waiting.push({
          happened: { known, history: [], form: null },
          chain: [...chain, routine],
        });
      }
    }
  }
  return { ...done, outgoing, changed: [...changed] };
}

async function runOne(
  run: Following,
  { routine, table, ids, asked = new Map() }: SetOff,
  kept: Kept,
  chain: readonly Routine[],
  nextStep: () => number,
  keepers: Map<number, Promise<WorkspaceAccess | null>>,
  goesOn: boolean,
): Promise<{ readonly done: RunDone; readonly running: Running | null } | null> {
  const { client } = run;
  const began = performance.now();
  const frame: Frame = {
    scope: scopeOf(run.workspace.model, table.id, routine),
    rows: ids.map((id) => ({ id, given: asked })),
  };
  const found = keepers.get(kept.keeper) ?? accessOfMember(client, kept.keeper, run.access);
  keepers.set(kept.keeper, found);
  const keeper = await found;
  const why = whyNot(keeper, chain, routine, table, ids.length);
  const rows = why === null ? await onlyMeeting(run, keeper ?? run.access, frame, routine) : frame.rows;
  if (rows.length === 0) return null;
  const doneOf = (steps: readonly StepDone[], problem: string | null): RunDone => ({
    routine: routine.id,
    table: table.id,
    chain: chain.map(({ id }) => id),
    records: rows.length,
    first: rows.slice(0, mostNamed).map(({ id }) => id),
    took: Math.round((performance.now() - began) * 10) / 10,
    problem,
    steps,
  });
  const running = new Running(run, keeper ?? run.access, routine, nextStep, run.tries);
  const isSafe = goesOn || routine.failing === 'goOn';
  if (isSafe) await client.query('savepoint routine');
  try {
    if (why) throw why;
    await running.all({ ...frame, rows }, routine.steps);
    if (isSafe) await client.query('release savepoint routine');
    if (kept.failures > 0)
      await client.query(sql`update loom.routines set failures = 0, problem = null where id = ${routine.id}`);
    return { done: doneOf(running.steps, null), running };
  } catch (error) {
    const refusal =
      error instanceof Refusal
        ? error
        : goesOn && error instanceof NeedsOptions
          ? new Refusal(422, { message: `${error.words.join(', ')} would have to join a list first.` })
          : constraintRefusal(run.access, error);
    if (!refusal) throw error;
    const done = doneOf(running.steps, refusal.problem.message);
    if (!isSafe) throw new RoutineFailed(routine, done, refusal, isSeenBy(run.access, table, routine));
    await client.query('rollback to savepoint routine');
    await countFailure(client, routine.id, refusal.problem.message);
    return { done, running: null };
  }
}

async function onlyMeeting(
  { client, access }: Following,
  keeper: WorkspaceAccess,
  frame: Frame,
  { where }: Routine,
): Promise<readonly FrameRow[]> {
  if (!where) return frame.rows;
  const meets = await meeting(client, readingAs(keeper, access), frame, where);
  return frame.rows.filter(({ id }) => meets.has(id));
}

/** What formulas of a routine are read with: what its keeper may see, while `person()` is who set it off. */
const readingAs = (keeper: WorkspaceAccess, { viewer }: WorkspaceAccess): WorkspaceAccess => ({ ...keeper, viewer });

/** Whether somebody sees all that a routine uses. */
export function isSeenBy({ sight }: WorkspaceAccess, { id }: Table, routine: Routine): boolean {
  const table = findTable(sight, id);
  return table !== undefined && lostIn(sight, table, routine).length === 0;
}

/** Why a routine cannot run at all. */
function whyNot(
  keeper: WorkspaceAccess | null,
  chain: readonly Routine[],
  routine: Routine,
  table: Table,
  records: number,
): Refusal | null {
  const refusal = (message: string, fix: string) => new Refusal(422, { message, fix });
  const saveAnew = 'Somebody who manages routines saves it anew.';
  if (!keeper) return refusal('whoever keeps it is in this workspace no more.', saveAnew);
  if (!isSeenBy(keeper, table, routine)) return refusal('whoever keeps it may not see all that it uses.', saveAnew);
  if (records > mostRecords)
    return refusal(
      `it would run for ${records.toLocaleString('en')} records at once; ${mostRecords.toLocaleString('en')} is the most.`,
      'Change fewer at once, or switch it off meanwhile.',
    );
  if (chain.length < mostChained) return null;
  const names = [...chain, routine].map(({ label }) => label).join(' → ');
  return refusal(
    `routines set each other off without an end: ${names}.`,
    'Give one of them a condition that stops it.',
  );
}

/** Keeps the runs of an edit in the log. */
export async function keepRuns(
  { client, access }: Pick<Following, 'client' | 'access'>,
  batch: number | null,
  runs: readonly RunDone[],
): Promise<void> {
  if (runs.length === 0) return;
  await client.query(sql`
    insert into loom.routine_runs
      (workspace, batch, person, routine, table_id, chain, records, first, took, problem, steps)
    select ${access.workspace.id}, ${batch}, nullif(${access.person.id}::int, 0), r->>'routine', r->>'table',
      array(select jsonb_array_elements_text(r->'chain')), (r->>'records')::int,
      array(select jsonb_array_elements_text(r->'first')::bigint), (r->>'took')::float8, r->>'problem', r->'steps'
    from jsonb_array_elements(${JSON.stringify(runs)}::jsonb) r
  `);
}

/** Writes down, outside of the transaction that it undid, that a routine failed. */
export async function noteFailure(pool: Pool, access: WorkspaceAccess, { routine, run, because }: RoutineFailed) {
  await inTransaction(pool, 'select 1', async (client) => {
    await keepRuns({ client, access }, null, [run]);
    await countFailure(client, routine.id, because.problem.message);
  });
}

/**
 * Does a routine for one record as its maker may, for whoever tries it: the caller rolls back. What it came to, or why
 * it cannot be done.
 */
export async function tryRoutine(
  run: Following,
  { routine, table, ids, asked = new Map() }: SetOff,
): Promise<{ readonly steps: readonly StepDone[]; readonly problem: Problem | null; readonly met: boolean }> {
  const frame: Frame = {
    scope: scopeOf(run.workspace.model, table.id, routine),
    rows: ids.map((id) => ({ id, given: asked })),
  };
  let place = 0;
  const running = new Running(run, acting(run.access), routine, () => ++place, true);
  try {
    const rows = await onlyMeeting(run, run.access, frame, routine);
    await running.all({ ...frame, rows }, routine.steps);
    return { steps: running.steps, problem: null, met: rows.length > 0 };
  } catch (error) {
    const refusal = error instanceof Refusal ? error : constraintRefusal(run.access, error);
    if (!refusal) throw error;
    return { steps: running.steps, problem: refusal.problem, met: true };
  }
}
