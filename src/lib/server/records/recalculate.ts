import { calculationSteps, type CalculatedField, type CalculationStep } from '$core/flow/graph';
import { tableOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import { affectedRecords } from '../calculation/affected';
import { recalculateStep } from '../calculation/calculationStep';
import {
  Gathered,
  mostLimited,
  requireAlone,
  type Effects,
  type Ids,
  type Known,
  type Recalculation,
} from '../calculation/effects';
import { recalculateFed } from '../calculation/fedStep';
import { recalculateHierarchy } from '../calculation/hierarchy';
import type { Following, HistoryRow } from './edits';
import { feedRecords, sourcesAffected } from './feedRecords';

/** What came of it. */
interface Followed {
  /** The tables of which records were rewritten. */
  readonly touched: ReadonlySet<Table>;
  /** What deletion rules made of records that pointed at some that left a feed. */
  readonly history: readonly HistoryRow[];
  /** All that is known to have changed by then, with what was given. */
  readonly known: Known;
}

/**
 * Brings everything that comes from what a write did up to date, step by step in the order of `calculationSteps`. Each
 * step is limited to the records that can be affected and writes only values that differ; those are what the next step
 * starts from. A feed's step makes and removes records of its table.
 */
export async function recalculate(
  following: Omit<Following, 'workspace'>,
  effects: readonly Effects[] = [],
): Promise<Followed> {
  const run: Following = { ...following, workspace: following.access.workspace };
  const known = new Gathered(effects);
  const touched = new Set<Table>();
  const history: HistoryRow[] = [];
  const steps = calculationSteps(run.workspace.model);
  for (const [index, step] of steps.entries()) {
    if (step.feeds) {
      const { ids, effects: passed } = await sourcesAffected(run, known, step.feeds);
      for (const one of passed) known.merge(one);
      if (ids !== 'all' && ids.size === 0) continue;
      if (ids === 'all') requireAlone(run);
      const fed = await feedRecords(run, step.feeds, ids);
      for (const one of fed.effects) known.merge(one);
      history.push(...fed.history);
      if (fed.effects.length > 0) touched.add(step.table);
      for (const { table } of fed.history) touched.add(tableOf(run.workspace.model, table));
      continue;
    }
    const shown = await recalculateFed(run, known, step);
    if (shown) {
      for (const one of shown.effects) known.merge(one);
      if (shown.differed === 'all' || shown.differed.size > 0) touched.add(step.table);
      continue;
    }
    const { fields, ids } = await affectedBy(run, known, step);
    if (fields.length === 0) continue;
    if (ids === 'all') requireAlone(run);
    if (ids === 'all') await run.reportProgress?.('calculation', index, steps.length);
    const done = step.hierarchy
      ? await recalculateHierarchy(run, known, step, ids)
      : await recalculateStep(run, known, step.table, fields, ids);
    for (const one of done.effects) known.merge(one);
    if (done.differed === 'all' || done.differed.size > 0) touched.add(step.table);
  }
  return { touched, history, known };
}

/** The fields of a step that may differ, and on which records. What was read on the way is merged into what is known. */
async function affectedBy(
  run: Recalculation,
  known: Gathered,
  step: CalculationStep,
): Promise<{ readonly fields: readonly CalculatedField[]; readonly ids: Ids }> {
  const fields: CalculatedField[] = [];
  let ids: Ids = new Set<number>();
  for (const field of step.fields) {
    const affected = run.anew?.has(field.field.id)
      ? ({ ids: 'all', effects: [] } as const)
      : await affectedRecords(run, known, field.table, field.on);
    for (const one of affected.effects) known.merge(one);
    // What comes from another field of the step on the same record is worked out with it.
    const follows = field.on.some(
      (one) => one.path.length === 0 && fields.some((other) => other.field.id === one.field),
    );
    if (affected.ids !== 'all' && affected.ids.size === 0 && !follows) continue;
    fields.push(field);
    ids = ids === 'all' || affected.ids === 'all' ? 'all' : new Set([...ids, ...affected.ids]);
  }
  return { fields, ids: ids !== 'all' && ids.size > mostLimited ? 'all' : ids };
}
