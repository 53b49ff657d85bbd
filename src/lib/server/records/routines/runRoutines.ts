import type { Problem } from '$core/base/problem';
import type { RunDone, StepDone, StepSample } from '$core/routines/log';
import { findTable } from '$core/model/model';
import { lostIn } from '$core/routines/routine';
import { scopeBehind, scopeOf, type Scope } from '$core/routines/scope';
import { stepKinds } from '$core/routines/steps/registry';
import type { FieldId, TableId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import type { Routine, Step } from '$core/types/routine';
import type { Kept } from '../../access/keptRoutines';
import { accessOfMember, acting, type WorkspaceAccess } from '../../access/workspaceAccess';
import { Refusal } from '../../base/refusal';
import { empty, raw, sql } from '../../base/sql';
import type { Client, Pool } from '../../database/pool';
import { inTransaction } from '../../database/transaction';
import type { Known } from '../../calculation/effects';
import { constraintRefusal } from '../constraint';
import type { Following, HistoryRow, StoredValues, TableEdits } from '../edits';
import { holdRules } from '../holdRules';
import { recalculate } from '../recalculate';
import { writeEdits } from '../writeEdits';
import { requireEditable, requireEntered } from '../writeRights';
import { NeedsOptions } from './needsOptions';
import { noneAhead, readAhead, type Ahead } from './ahead';
import { filledFor, valuesFor, type Frame, type FrameRow } from './frame';
import { countFailure, isReady, keptOf } from './keeping';
import { runnerOf } from './steps/registry';
import { setOff, type Happened, type SetOff } from './triggered';
import { keepOutgoing, type ToSend } from './outgoing';
import { runsSql, runsValues } from './runsSql';
import { mostNoted, noEdits, type RecordUpdate } from './working';

/** A routine sets off no more than so many others, one behind the other. */
const mostChained = 16;
/** Of the records of a run so many are named in the log. */
const mostNamed = 50;

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

/** Changes of a step that are written together with those of steps behind it. */
interface Deferred {
  readonly table: TableId;
  readonly ids: ReadonlySet<number>;
  readonly fields: ReadonlySet<FieldId>;
  /** The step's place in the log; set once it stands there. */
  step: number;
}

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
    private readonly ahead: Ahead,
    private readonly tries = false,
  ) {}

  /** What steps before mean to change, not written yet: by table, and by record. */
  private readonly pending = new Map<Table, Map<number, StoredValues>>();
  private deferred: Deferred[] = [];
  /** How many records were changed by writing what was pending. */
  private settledChanges = 0;

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
    const [madeBefore, changedBefore, sentBefore] = [this.count('made'), this.changes(), this.outgoing.length];
    const { client } = this.run;
    const access = readingAs(this.keeper, this.run.access);
    const mine: Deferred[] = [];
    const next = await runnerOf(step)(
      {
        client,
        access,
        frame,
        filled: async (owner, fields) => {
          const ready = this.ahead.filled(frame, fields);
          if (ready) return ready;
          await this.settle();
          return filledFor(client, access, frame, owner, fields);
        },
        values: async (formulas) => {
          const ready = this.ahead.values(frame, formulas);
          if (ready) return ready;
          await this.settle();
          return valuesFor(client, access, frame, formulas);
        },
        found: (one) => this.ahead.finds(one),
        later: (table, update) => void (update.length > 0 && mine.push(this.later(table, update))),
        settled: () => this.settle(),
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
    this.steps.push({
      do: step.do,
      words: wordsOf(model, frame.scope, step),
      records: frame.rows.length,
      made: this.count('made') - madeBefore,
      changed: this.changes() - changedBefore,
      sent: this.outgoing.length - sentBefore,
      samples: samples.slice(0, 2 * mostNoted),
      took: Math.round((performance.now() - began) * 10) / 10,
    });
    for (const one of mine) one.step = this.steps.length - 1;
    return next.rows === frame.rows ? { ...next, scope: scopeBehind(model, frame.scope, step) } : next;
  }

  private count(kind: HistoryRow['kind']): number {
    return this.history.reduce((sum, row) => sum + (row.kind === kind ? row.last - row.first + 1 : 0), 0);
  }

  /** How many records steps changed by themselves so far. */
  private changes(): number {
    return this.count('changed') - this.settledChanges;
  }

  private later(table: Table, update: readonly RecordUpdate[]): Deferred {
    const ofTable = this.pending.get(table) ?? new Map<number, StoredValues>();
    for (const { id, values } of update) {
      const before = ofTable.get(id);
      ofTable.set(id, before ? new Map([...before, ...values]) : values);
    }
    this.pending.set(table, ofTable);
    const fields = new Set(update.flatMap(({ values }) => [...values.keys()]));
    const one = { table: table.id, ids: new Set(update.map(({ id }) => id)), fields, step: -1 };
    this.deferred.push(one);
    return one;
  }

  /** Writes what steps meant to change so far, all of a record at once. */
  async settle(): Promise<void> {
    if (this.pending.size === 0) return;
    const edits = [...this.pending].map(([table, ofTable]) => {
      const update = [...ofTable].sort(([a], [b]) => a - b).map(([id, values]) => ({ id, values }));
      return { ...noEdits, table, update };
    });
    const deferred = this.deferred;
    this.pending.clear();
    this.deferred = [];
    const before = this.history.length;
    await this.write(edits);
    const rows = this.history.slice(before).filter(({ kind }) => kind === 'changed');
    this.settledChanges += rows.length;
    for (const { table, ids, fields, step } of deferred) {
      const changed = rows.filter(
        ({ table: of, first, after }) =>
          of === table && ids.has(first) && Object.keys(after ?? {}).some((id) => fields.has(id)),
      ).length;
      const done = this.steps[step];
      if (done) this.steps[step] = { ...done, changed: done.changed + changed };
    }
  }

  /** Writes as the one way of writing does, by the rights of whoever keeps the routine. */
  private async write(edits: readonly TableEdits[]): Promise<readonly (readonly number[])[]> {
    await this.settle();
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
    const ids = all.map(({ routine }) => routine.id);
    const kept = run.access.routines ?? (await keptOf(run.client, ids));
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
  const found = keepers.get(kept.keeper) ?? accessOfKeeper(run, kept.keeper);
  keepers.set(kept.keeper, found);
  const keeper = await found;
  const why = whyNot(keeper, chain, routine, table, ids.length);
  const reading = readingAs(keeper ?? run.access, run.access);
  const ahead = why === null ? await readAhead(client, reading, frame, routine) : noneAhead;
  const rows = why === null ? await onlyMeeting(client, reading, ahead, frame, routine) : frame.rows;
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
  const running = new Running(run, keeper ?? run.access, routine, nextStep, ahead, run.tries);
  const isSafe = goesOn || routine.failing === 'goOn';
  if (isSafe) await client.query('savepoint routine');
  try {
    if (why) throw why;
    await running.all({ ...frame, rows }, routine.steps);
    await running.settle();
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

/** What the keeper of a routine may do; null where they are in the workspace no more. */
const accessOfKeeper = async ({ client, access }: Following, keeper: number): Promise<WorkspaceAccess | null> =>
  // Whoever edits by themselves, and not by a program that may do less, was just looked up.
  access.person.id === keeper && !access.person.limits && access.viewer === keeper
    ? acting(access)
    : accessOfMember(client, keeper, access);

async function onlyMeeting(
  client: Client,
  access: WorkspaceAccess,
  ahead: Ahead,
  frame: Frame,
  { where }: Routine,
): Promise<readonly FrameRow[]> {
  if (!where) return frame.rows;
  const meets = ahead.values(frame, [where]) ?? (await valuesFor(client, access, frame, [where]));
  return frame.rows.filter(({ id }) => meets.get(id)?.[0] === true);
}

/** What formulas of a routine are read with: what its keeper may see, while `person()` is who set it off. */
const readingAs = (keeper: WorkspaceAccess, { viewer }: WorkspaceAccess): WorkspaceAccess => ({ ...keeper, viewer });

/** Whether somebody sees all that a routine uses. */
export function isSeenBy({ sight }: WorkspaceAccess, { id }: Table, routine: Routine): boolean {
  const known = seen.get(sight) ?? new WeakMap<Routine, boolean>();
  seen.set(sight, known);
  const table = findTable(sight, id);
  const is = known.get(routine) ?? (table !== undefined && lostIn(sight, table, routine).length === 0);
  known.set(routine, is);
  return is;
}
const seen = new WeakMap<Model, WeakMap<Routine, boolean>>();

const wordsKnown = new WeakMap<Scope, WeakMap<Step, string>>();

/** A step in words, as it stands in the log. */
function wordsOf(model: Model, scope: Scope, step: Step): string {
  const known = wordsKnown.get(scope) ?? new WeakMap<Step, string>();
  wordsKnown.set(scope, known);
  const words =
    known.get(step) ??
    stepKinds(step)
      .words({ model, scope }, step, () => '…')
      .slice(0, 500);
  known.set(step, words);
  return words;
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

/** Keeps what routines did that wrote nothing, and so is part of no step of History. */
export async function keepRunsAlone(
  run: Pick<Following, 'client' | 'access' | 'ask'>,
  { runs, outgoing }: Ran,
): Promise<void> {
  if (runs.length > 0) await run.client.query(runsSql(runsValues(run.access, runs), raw('null::bigint'), empty));
  await keepOutgoing(run, null, outgoing);
}

/** Writes down, outside of the transaction that it undid, that a routine failed. */
export async function noteFailure(pool: Pool, access: WorkspaceAccess, { routine, run, because }: RoutineFailed) {
  await inTransaction(pool, 'select 1', async (client) => {
    await client.query(runsSql(runsValues(access, [run]), raw('null::bigint'), empty));
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
  const ahead = await readAhead(run.client, run.access, frame, routine);
  const running = new Running(run, acting(run.access), routine, () => ++place, ahead, true);
  try {
    const rows = await onlyMeeting(run.client, run.access, ahead, frame, routine);
    await running.all({ ...frame, rows }, routine.steps);
    await running.settle();
    return { steps: running.steps, problem: null, met: rows.length > 0 };
  } catch (error) {
    const refusal = error instanceof Refusal ? error : constraintRefusal(run.access, error);
    if (!refusal) throw error;
    return { steps: running.steps, problem: refusal.problem, met: true };
  }
}
