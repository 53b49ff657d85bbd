import { calculationSteps, type CalculatedField, type CalculationStep } from '$core/flow/graph';
import type { Table } from '$core/types/model';
import { affectedRecords } from './affected';
import { recalculateStep } from './calculationStep';
import { Gathered, mostLimited, type Effects, type Ids } from './effects';
import { recalculateHierarchy } from './hierarchy';
import { requireAlone, type Recalculation } from './effects';

/**
 * Brings everything that comes from what a write did up to date, step by step in the order of `calculationSteps`. Each
 * step is limited to the records that can be affected and writes only values that differ; those are what the next step
 * starts from. Returns the tables of which records were rewritten.
 */
export async function recalculate(run: Recalculation, effects: readonly Effects[] = []): Promise<Set<Table>> {
  const known = new Gathered(effects);
  const touched = new Set<Table>();
  const steps = calculationSteps(run.workspace.model);
  for (const [index, step] of steps.entries()) {
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
  return touched;
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
