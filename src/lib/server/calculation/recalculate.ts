import { calculationSteps, type CalculatedField } from '$core/flow/graph';
import type { FieldId } from '$core/model/identity';
import { tableOf, typeAs } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { NeedsWhole } from '../access/lock';
import { tableName } from '../access/seat';
import { statementEpoch, prepared } from '../sql/statement';
import { affectedRecords } from './affected';
import { recalculateStep } from './calculationStep';
import { ChangedValues, mostLimited, ReachesMany, type Ids, type Recalculation } from './changedValues';
import { recalculateHierarchy } from './hierarchy';

export { ChangedValues, ReachesMany, type Recalculation };

/**
 * Brings everything that comes from the changed values up to date, step by step in the order of `calculationSteps`.
 * Each step is limited to the records that can be affected and writes only values that differ; those are what the next
 * step starts from. Returns the tables of which records were rewritten.
 */
export async function recalculate(run: Recalculation): Promise<Set<Table>> {
  const touched = new Set<Table>();
  const steps = calculationSteps(run.workspace.model);
  for (const [index, step] of steps.entries()) {
    const fields: CalculatedField[] = [];
    let ids: Ids = new Set<number>();
    for (const field of step.fields) {
      const affected = run.anew?.has(field.field.id) ? 'all' : await affectedRecords(run, field.table, field.on);
      // What comes from another field of the step on the same record is worked out with it.
      const follows = field.on.some(
        (one) => one.path.length === 0 && fields.some((other) => other.field.id === one.field),
      );
      if (affected !== 'all' && affected.size === 0 && !follows) continue;
      fields.push(field);
      ids = ids === 'all' || affected === 'all' ? 'all' : new Set([...ids, ...affected]);
    }
    if (fields.length === 0) continue;
    if (ids !== 'all' && ids.size > mostLimited) ids = 'all';
    if (ids === 'all' && run.ask) throw new ReachesMany();
    if (ids === 'all' && !run.whole) throw new NeedsWhole();
    if (ids === 'all') await run.tell?.('calculation', index, steps.length);
    const differed = step.hierarchy
      ? await recalculateHierarchy(run, step, ids)
      : await recalculateStep(run, step.table, fields, ids);
    if (differed === 'all' || differed.size > 0) touched.add(step.table);
  }
  return touched;
}

/** Links that some formula reads through, so that pointing them elsewhere must wait for whoever changes the target. */
function isReadThrough(model: Model, link: FieldId): boolean {
  return calculationSteps(model).some(({ fields }) =>
    fields.some(({ on }) => on.some(({ path }) => path.includes(link))),
  );
}

/** Holds the new targets of links still until the edit is done, so that none changes unseen (see withWorkspace). */
export async function shareTargets(run: Recalculation, link: Field, targets: readonly number[]): Promise<void> {
  if (run.whole || targets.length === 0 || !isReadThrough(run.workspace.model, link.id)) return;
  const target = tableOf(run.workspace.model, typeAs(link, 'link').to);
  await prepared(
    run.client,
    `select 1 from ${tableName(run.workspace, target)} where _id = any($1) order by _id for share`,
    [targets],
    statementEpoch(run.workspace),
  );
}
