import { counted } from '$core/base/counted';
import { findTable, tableOf } from '$core/model/model';
import { lostIn, printRoutine, readRoutine, sentenceOf } from '$core/routines/routine';
import { takeValue, type EnteredType } from '$core/fieldTypes/registry';
import type { Problem } from '$core/base/problem';
import type { StepDone } from '$core/routines/log';
import { tableKey, type Written } from '$core/filled/written';
import type { Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import { partsOf } from '$core/types/part';
import type { Routine } from '$core/types/routine';
import { withWorkspace } from '../access/lock';
import { requireRight, seeing, tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, Refusal, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import type { Client, Pool } from '../database/pool';
import { settingOff } from '../entry/freeOptions';
import { sendsRefusal } from '../entry/writeRefusals';
import { readByIds } from '../query/read';
import { applyRuns } from '../records/routines/applyRuns';
import { isReady, keptOf, mostFailures, routineHash } from '../records/routines/keeping';
import { SendsMany } from '../records/routines/outgoing';
import { tryRoutine } from '../records/routines/runRoutines';
import { numberingsOf } from '../sql/sequences';

/** A routine as those see it who manage routines. */
export interface RoutineOut {
  readonly id: string;
  readonly table: string;
  readonly routine: Written;
  /** What it does, in one sentence. */
  readonly sentence: string;
  /** Why it is held, where it uses what is gone. */
  readonly lost: readonly string[];
  /** Whether it was tried as it is: only then it runs. */
  readonly tried: boolean;
  readonly paused: boolean;
  readonly failures: number;
  readonly problem: string | null;
  readonly runs: number;
  readonly lastRun: string | null;
}

function found(access: WorkspaceAccess, id: string): { readonly routine: Routine; readonly table: Table } {
  for (const table of access.workspace.model.tables) {
    if (table.home !== undefined) continue;
    const routine = partsOf(table, 'routine').find((one) => one.id === id);
    if (routine) return { routine, table };
  }
  throw notHere('routine');
}

/** The routines of a workspace, table by table. */
export async function listRoutines(pool: Pool, access: WorkspaceAccess): Promise<RoutineOut[]> {
  requireRight(access, 'routines');
  const { model } = access.workspace;
  const all = model.tables.flatMap((table) =>
    table.home === undefined ? partsOf(table, 'routine').map((routine) => ({ routine, table })) : [],
  );
  const ids = all.map(({ routine }) => routine.id);
  const kept = await keptOf(pool, ids);
  const { rows } = await pool.query<{ routine: string; n: number; at: string }>(sql`
    select routine, count(*)::int as n, max(at) as at from loom.routine_runs where routine = any(${ids}::text[]) group by 1
  `);
  const runs = new Map(rows.map((row) => [row.routine, row]));
  return all.map(({ routine, table }) => {
    const stands = kept.get(routine.id);
    return {
      id: routine.id,
      table: table.key,
      routine: printRoutine(model, table, routine),
      sentence: sentenceOf(model, table, routine),
      lost: lostIn(model, table, routine),
      tried: stands?.tried.includes(routineHash(routine)) === true,
      paused: stands?.paused ?? false,
      failures: stands?.failures ?? 0,
      problem: stands?.problem ?? null,
      runs: runs.get(routine.id)?.n ?? 0,
      lastRun: runs.get(routine.id)?.at ?? null,
    };
  });
}

/** What somebody can run by hand for records of a table, as its button shows it. */
export interface ButtonOut {
  readonly id: string;
  readonly label: string;
  readonly inputs: readonly {
    readonly key: string;
    readonly label: string;
    readonly type: string;
    /** The table whose records a link can be pointed at. */
    readonly to: string | null;
    readonly required: boolean;
  }[];
}

/** The routines of a table that run by hand and can do so now; those that ask for records that one does not see are none. */
export async function buttonsOf(pool: Pool, access: WorkspaceAccess, { id }: Table): Promise<ButtonOut[]> {
  const { model } = access.whole;
  const table = tableOf(model, id);
  const all = partsOf(table, 'routine').filter((one) => one.on && one.when.on === 'button');
  const kept = await keptOf(
    pool,
    all.map((one) => one.id),
  );
  return all.flatMap((one): ButtonOut[] => {
    if (one.when.on !== 'button' || !isReady(one, kept.get(one.id)) || lostIn(model, table, one).length > 0) return [];
    const inputs = one.when.inputs.flatMap(({ key, label, required, type }) => {
      const to = type.kind === 'link' ? findTable(access.sight, type.to) : null;
      return to === undefined
        ? []
        : [{ key, label, type: type.kind, to: to && tableKey(to), required: required !== false }];
    });
    return inputs.length < one.when.inputs.length ? [] : [{ id: one.id, label: one.label, inputs }];
  });
}

/** What was asked, by the labels or keys of the inputs, as values. */
function askedOf({ when }: Routine, given: Written): ReadonlyMap<FieldId, Scalar> {
  const asked = new Map<FieldId, Scalar>();
  for (const field of when.on === 'button' ? when.inputs : []) {
    const sent = given[field.key] ?? given[field.label] ?? null;
    if (sent === null || sent === '') {
      if (field.required !== false)
        throw refuse(422, `${field.label} is asked for.`, 'Write a value.', `/inputs/${field.key}`);
      continue;
    }
    const taken = takeValue(sent, field.type as EnteredType);
    if (!taken.ok)
      throw refuse(422, `${field.label}: ${taken.problem.message}`, taken.problem.fix, `/inputs/${field.key}`);
    asked.set(field.id, taken.value);
  }
  return asked;
}

/** What a try came to: step by step what would be written, made and sent. */
export interface RoutineTried {
  readonly sentence: string;
  /** False where the record does not meet its condition: then nothing is done. */
  readonly met: boolean;
  readonly steps: readonly StepDone[];
  readonly problem: Problem | null;
}

/**
 * Does a routine for a record and rolls it back. What was done so without a problem may be switched on; as it is sent,
 * or as it stands.
 */
export async function tryOn(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
  wish: { readonly routine: Written | string; readonly record: number; readonly inputs?: Written },
): Promise<RoutineTried> {
  requireRight(access, 'routines');
  return withWorkspace(pool, access, 'exclusive', async (client, now) => {
    // By what they see: a routine of theirs reads nothing else, nor do they try one that does.
    const seen = seeing(now);
    const table = tableAt(seen, name);
    const routine =
      typeof wish.routine === 'string' ? standing(seen, table, wish.routine) : draft(seen, table, wish.routine);
    const [record] = await readByIds(client, seen, table, [wish.record]);
    if (!record) throw notHere('record');
    const schemas = [now.workspace, ...now.workspace.peers].map(({ key }) => key);
    const restored = await numberingsOf(client, schemas);
    await client.query('savepoint tried');
    const run = { client, access: now, workspace: now.workspace, exclusive: true, tries: true };
    const asked = askedOf(routine, wish.inputs ?? {});
    const tried = await tryRoutine(run, { routine, table, ids: [wish.record], asked });
    await client.query('rollback to savepoint tried');
    await restored();
    if (tried.problem === null && tried.met && typeof wish.routine === 'string')
      await client.query(sql`
        insert into loom.routine_tries (workspace, routine, hash)
        values (${now.workspace.id}, ${routine.id}, ${routineHash(routine)})
        on conflict do nothing
      `);
    return { ...tried, sentence: sentenceOf(seen.workspace.model, table, routine) };
  });
}

/** A routine of a table that stands, of which somebody sees all that it uses. */
function standing(access: WorkspaceAccess, table: Table, id: string): Routine {
  const one = found(access, id);
  if (one.table.id !== table.id) throw notHere('routine');
  const [lost] = lostIn(access.workspace.model, table, one.routine);
  if (lost) throw refuse(422, `This cannot be tried: ${lost}.`, 'Change it first.', '/routine');
  return one.routine;
}

function draft(access: WorkspaceAccess, table: Table, json: Written): Routine {
  const routine = readRoutine(access.workspace.model, table, 'draft', json);
  if (!routine.ok) throw new Refusal(422, { ...routine.problem, at: `/routine${String(routine.problem.at ?? '')}` });
  return routine.value;
}

/** Runs a routine by hand for records that the person sees, with what was asked. */
export async function runByHand(
  pool: Pool,
  access: WorkspaceAccess,
  id: string,
  {
    records,
    inputs,
    ask = false,
  }: { readonly records: readonly number[]; readonly inputs: Written; readonly ask?: boolean },
): Promise<{ readonly batch: number | null; readonly records: number }> {
  requireRight(access, 'write');
  const done = settingOff(pool, access, () =>
    withWorkspace(pool, access, 'exclusive', async (client, now) => {
      const { routine, table } = found(now, id);
      // Of a table that they do not see nobody is told that it has a routine.
      const seen = findTable(now.sight, table.id);
      if (!seen) throw notHere('routine');
      if (routine.when.on !== 'button')
        throw refuse(409, `${routine.label} is not run by hand.`, 'It runs by itself; try it to see what it does.');
      await requireReady(client, now, table, routine);
      const shown = await readByIds(client, seeing(now), seen, records);
      if (shown.length < new Set(records).size) throw notHere('record');
      const ids = shown.map((record) => record.id);
      const asked = askedOf(routine, inputs);
      const title = `${routine.label}: by hand for ${counted(ids.length, 'record')} of ${table.label}`;
      const writing = { client, access: now, exclusive: true, ask };
      const { batch, ran } = await applyRuns(writing, [{ routine, table, ids, asked }], { kind: 'edit', title });
      return { batch, records: ran.runs[0]?.records ?? 0 };
    }),
  );
  return done.catch((error: unknown) => {
    throw error instanceof SendsMany ? sendsRefusal(error) : error;
  });
}

/** Refuses a routine that is off, held, paused or untried. */
async function requireReady(client: Client, access: WorkspaceAccess, table: Table, routine: Routine): Promise<void> {
  const { model } = access.workspace;
  const kept = (await keptOf(client, [routine.id])).get(routine.id);
  const [lost] = lostIn(model, table, routine);
  const why = !routine.on
    ? 'it is switched off'
    : lost
      ? lost
      : kept?.paused
        ? `it failed ${mostFailures} times in a row and is paused`
        : !isReady(routine, kept)
          ? 'it was not tried as it is'
          : null;
  if (why !== null)
    throw refuse(409, `${routine.label} does not run: ${why}.`, 'Somebody who manages routines can mend it.');
}

/** Lets a routine that was paused go on. */
export async function resumeRoutine(pool: Pool, access: WorkspaceAccess, id: string): Promise<void> {
  requireRight(access, 'routines');
  const { routine } = found(access, id);
  await pool.query(
    sql`update loom.routines set failures = 0, paused_at = null where id = ${routine.id} and workspace = ${access.workspace.id}`,
  );
}
