import { dependenciesOf, dependsOnDay } from '$core/flow/dependencies';
import { lostIn } from '$core/routines/routine';
import { compileCondition } from '$core/formula/compiler';
import type { Expression, Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import { partsOf } from '$core/types/part';
import type { Routine, TriggerKind, TriggerOf } from '$core/types/routine';
import { homeOf, tableSql } from '../../access/workspaceState';
import { identifier, raw, sql, type Sql } from '../../base/sql';
import { affectedRecords } from '../../calculation/affected';
import { calculating } from '../../calculation/calculationStep';
import type { Known } from '../../calculation/effects';
import { among, prepared, statementEpoch } from '../../sql/statement';
import type { Following, HistoryRow } from '../edits';

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
  comesTrue: async (run, happened, { routine, table }, { condition }) => {
    const ids = await affectedBy(run, happened, table, condition);
    return ids?.size === 0 ? none : cameTrue(run, table, routine, ids);
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
 * The records for which the condition of a routine holds now and did not before; keeps for which it holds. It holds of
 * the records as they are, whoever looks. `ids`: those that are looked at; null looks at all.
 */
async function cameTrue(
  run: Following,
  table: Table,
  routine: Pick<Routine, 'id' | 'when'>,
  ids: Ids | null,
): Promise<Ids> {
  const { client, workspace } = run;
  if (routine.when.on !== 'comesTrue') return none;
  const options = calculating(workspace, table, ids === null ? 'grouped' : 'each');
  const condition = compileCondition(routine.when.condition, options);
  const only = (column: Sql): Sql => (ids === null ? raw('true') : among(column, [...ids]));
  const { rows } = await prepared(
    client,
    sql`
      with holds as (
        select r._id as record from ${tableSql(workspace, table)} r ${raw(condition.joins)}
        where ${raw(condition.where)} and ${only(raw('r._id'))}
      ), over as (
        delete from loom.routine_truth t
        where t.routine = ${routine.id} and ${only(raw('t.record'))}
          and not exists (select from holds h where h.record = t.record)
      )
      insert into loom.routine_truth (workspace, routine, record)
      select ${homeOf(workspace, table).id}::int, ${routine.id}, h.record from holds h order by h.record
      on conflict do nothing
      returning record
    `,
    statementEpoch(workspace),
  );
  return new Set(rows.map(({ record }) => Number(record)));
}

/** The records of which the condition of a routine may hold, or hold no more; null where that is any of them. */
async function affectedBy(
  run: Following,
  { known, newDay }: Pick<Happened, 'known' | 'newDay'>,
  table: Table,
  condition: Expression,
): Promise<Ids | null> {
  if (newDay && dependsOnDay(condition)) return null;
  const { on } = dependenciesOf(run.workspace.model, condition);
  const { ids } = await affectedRecords(run, known, table, on);
  if (ids === 'all') return null;
  // As whoever gathers records: two people who edit two of them would each decide without the other.
  if (!run.exclusive && ids.size > 0 && on.some(({ path }) => path.length > 0))
    await prepared(
      run.client,
      sql`
        select 1 from ${tableSql(run.workspace, table)} where ${among(identifier('_id'), [...ids])}
        order by _id for no key update
      `,
      statementEpoch(run.workspace),
    );
  return ids;
}

/**
 * Keeps for which records conditions hold, after a write that sets nothing off: an undo, a transfer, a change of the
 * structure. `known`: null where any record may be another one by now.
 */
export async function keepTruth(run: Following, known: Known | null): Promise<void> {
  for (const { routine, table } of routinesOn(run.workspace.model)) {
    if (routine.when.on !== 'comesTrue') continue;
    const ids = known ? await affectedBy(run, { known }, table, routine.when.condition) : null;
    if (ids === null || ids.size > 0) await cameTrue(run, table, routine, ids);
  }
}
