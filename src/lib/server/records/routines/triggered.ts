import { dependenciesOf, dependsOnDay } from '$core/flow/dependencies';
import { lostIn } from '$core/routines/routine';
import { scopeOf } from '$core/routines/scope';
import type { Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import { partsOf } from '$core/types/part';
import type { Routine, TriggerKind, TriggerOf } from '$core/types/routine';
import { homeOf, tableSql } from '../../access/workspaceState';
import { sql } from '../../base/sql';
import { affectedRecords } from '../../calculation/affected';
import type { Known } from '../../calculation/effects';
import type { Following, HistoryRow } from '../edits';
import { meeting } from './frame';

/** A routine with the records that it is to run for. */
export interface SetOff {
  readonly routine: Routine;
  readonly table: Table;
  readonly ids: readonly number[];
  /** What was asked, where it is run by hand. */
  readonly asked?: ReadonlyMap<FieldId, Scalar>;
}

/** What happened, as routines are set off by it. */
export interface Happened {
  readonly known: Known;
  readonly history: readonly HistoryRow[];
  /** The form by which records were entered. */
  readonly form: string | null;
  /** A new day began: what asks for the day may hold by now of any record. */
  readonly newDay?: true;
}

interface Standing {
  readonly routine: Routine;
  readonly table: Table;
}

const standing = new WeakMap<Model, readonly Standing[]>();

/** The routines that are switched on, and use nothing that is gone. */
export function routinesOn(model: Model): readonly Standing[] {
  const ready = standing.get(model);
  if (ready) return ready;
  const found = model.tables.flatMap((table) =>
    partsOf(table, 'routine').flatMap((routine) =>
      routine.on && lostIn(model, table, routine).length === 0 ? [{ routine, table }] : [],
    ),
  );
  standing.set(model, found);
  return found;
}

type Ids = ReadonlySet<number>;

const none: Ids = new Set();

/** The new records of a table: those that were made, and those that came into a feed. */
function madeIn({ known, history }: Happened, table: Table): Ids {
  const ids = new Set(known.madeIn(table.id));
  for (const { table: id, kind, first, last } of history)
    if (id === table.id && kind === 'made') for (let one = first; one <= last; one++) ids.add(one);
  return ids;
}

/** For each kind of trigger the records for which it is met; the clock and people set off the others. */
const setOffBy: {
  readonly [K in TriggerKind]: (
    run: Following,
    happened: Happened,
    standing: Standing,
    trigger: TriggerOf<K>,
  ) => Ids | Promise<Ids>;
} = {
  made: (_, happened, { table }) => madeIn(happened, table),
  changed(_, happened, { table }, { fields }) {
    const { known, history } = happened;
    const made = madeIn(happened, table);
    const ids = new Set<number>();
    for (const field of fields) {
      const changed = known.of(field);
      if (changed !== 'all') for (const id of changed) if (!made.has(id)) ids.add(id);
      // Of very many it is known one by one only what was written into them.
      if (changed === 'all')
        for (const row of history)
          if (row.table === table.id && row.kind === 'changed' && row.after && field in row.after) ids.add(row.first);
    }
    return ids;
  },
  comesTrue: async (run, { known, newDay }, { routine, table }, { condition }) => {
    if (newDay && dependsOnDay(condition)) return cameTrue(run, table, routine, null);
    const on = dependenciesOf(run.workspace.model, condition).on;
    const { ids } = await affectedRecords(run, known, table, on);
    return ids === 'all'
      ? cameTrue(run, table, routine, null)
      : ids.size > 0
        ? cameTrue(run, table, routine, [...ids])
        : none;
  },
  sent: (_, happened, { table }, { form }) =>
    happened.form !== null && (form === null || form === happened.form) ? madeIn(happened, table) : none,
  dateNear: () => none,
  timetable: () => none,
  button: () => none,
};

/** The routines that are set off by what happened, in the order of the model, with their records in theirs. */
export async function setOff(run: Following, happened: Happened): Promise<SetOff[]> {
  const all: SetOff[] = [];
  for (const one of routinesOn(run.workspace.model)) {
    const { when } = one.routine;
    const by = setOffBy[when.on] as (typeof setOffBy)['made'];
    const ids = await by(run, happened, one, when as TriggerOf<'made'>);
    if (ids.size > 0) all.push({ ...one, ids: [...ids].sort((a, b) => a - b) });
  }
  return all;
}

/**
 * The records for which the condition of a routine holds now and did not before; remembers for which it holds. `ids`:
 * those that are looked at; null looks at all.
 */
export async function cameTrue(
  run: Following,
  table: Table,
  routine: Pick<Routine, 'id' | 'when'>,
  ids: readonly number[] | null,
): Promise<Ids> {
  const { client, access, workspace } = run;
  if (routine.when.on !== 'comesTrue') return none;
  const { condition } = routine.when;
  const looked = ids ?? (await allIds(run, table));
  const scope = scopeOf(workspace.model, table.id, routine);
  const rows = looked.map((id) => ({ id, given: new Map() }));
  const holds = rows.length > 0 ? await meeting(client, access, { scope, rows }, condition) : new Set<number>();
  const { rows: known } = await client.query<{ record: number }>(sql`
    select record from loom.routine_truth
    where routine = ${routine.id} and record = any(${looked}::bigint[])
  `);
  const before = new Set(known.map(({ record }) => Number(record)));
  const now = [...holds].filter((id) => !before.has(id));
  const over = [...before].filter((id) => !holds.has(id));
  if (over.length > 0)
    await client.query(
      sql`delete from loom.routine_truth where routine = ${routine.id} and record = any(${over}::bigint[])`,
    );
  if (now.length > 0)
    await client.query(sql`
      insert into loom.routine_truth (workspace, routine, record)
      select ${homeOf(workspace, table).id}, ${routine.id}, u from unnest(${now}::bigint[]) u
      on conflict do nothing
    `);
  return new Set(now);
}

async function allIds({ client, workspace }: Following, table: Table): Promise<number[]> {
  const { rows } = await client.query<{ id: number }>(
    sql`select _id as id from ${tableSql(workspace, table)} order by 1`,
  );
  return rows.map(({ id }) => id);
}
