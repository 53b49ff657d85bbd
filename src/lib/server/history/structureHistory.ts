import { and, asc, desc, eq, gt, isNotNull, lt, type SQL } from 'drizzle-orm';
import { applyChanges } from '$core/changes/change';
import type { Model } from '$core/types/model';
import { seenBy, type WorkspaceAccess } from '../access/workspaceAccess';
import { batches, people } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { pageOf, type Listed } from '../base/listed';
import { notHere, refuse } from '../base/refusal';
import { seenTitles } from '../query/seenTitles';

/**
 * The structure as it was right after a batch, as far as the person may see it: every later change of structure, undone
 * in memory. What is hidden is undone with the rest, and cut from the result.
 */
export async function structureAfter(pool: Pool, access: WorkspaceAccess, batch: number): Promise<Model> {
  const db = catalogueOn(pool);
  const [known] = await db
    .select({ id: batches.id })
    .from(batches)
    .where(and(eq(batches.id, batch), eq(batches.workspace, access.workspace.id)));
  if (!known && batch !== 0) throw notHere('batch');
  const later = await db
    .select({ id: batches.id, inverse: batches.inverse })
    .from(batches)
    .where(and(eq(batches.workspace, access.workspace.id), gt(batches.id, batch), isNotNull(batches.inverse)))
    .orderBy(desc(batches.id));
  let { model } = access.whole;
  for (const { id, inverse } of later) {
    const back = applyChanges(model, inverse ?? []);
    if (!back.ok)
      throw refuse(
        422,
        `The structure before step ${id} can no longer be told: ${back.problem.message}`,
        'A linked workspace changed in between.',
      );
    model = back.value.model;
  }
  return seenBy(access, model);
}

export interface StructureStep {
  readonly batch: number;
  readonly at: string;
  readonly by: string;
  readonly title: string;
}

const stepsWhere = async (
  pool: Pool,
  access: WorkspaceAccess,
  which: SQL | undefined,
  order: SQL,
  limit: number,
): Promise<StructureStep[]> => {
  const steps = await catalogueOn(pool)
    .select({ batch: batches.id, at: batches.at, by: people.name, title: batches.title })
    .from(batches)
    .innerJoin(people, eq(people.id, batches.person))
    .where(and(eq(batches.workspace, access.workspace.id), isNotNull(batches.changes), which))
    .orderBy(order)
    .limit(limit);
  return seenTitles(pool, access, steps);
};

/** The batches that changed the structure, the newest first. */
export async function structureSteps(
  pool: Pool,
  access: WorkspaceAccess,
  { after, limit }: { readonly after?: number | undefined; readonly limit: number },
): Promise<Listed<StructureStep>> {
  const before = after === undefined ? undefined : lt(batches.id, after);
  return pageOf(await stepsWhere(pool, access, before, desc(batches.id), limit + 1), limit, ({ batch }) => batch);
}

/** The structure after a step, with that step and those beside it. */
export interface EarlierStructure {
  readonly model: Model;
  readonly step: StructureStep;
  readonly before: number | null;
  readonly after: number | null;
}

/** The structure as it was right after a change of it, for looking at it and going on from there. */
export async function earlierStructure(pool: Pool, access: WorkspaceAccess, batch: number): Promise<EarlierStructure> {
  const [[step], [before], [after]] = await Promise.all([
    stepsWhere(pool, access, eq(batches.id, batch), desc(batches.id), 1),
    stepsWhere(pool, access, lt(batches.id, batch), desc(batches.id), 1),
    stepsWhere(pool, access, gt(batches.id, batch), asc(batches.id), 1),
  ]);
  if (!step) throw notHere('step');
  return {
    model: await structureAfter(pool, access, batch),
    step,
    before: before?.batch ?? null,
    after: after?.batch ?? null,
  };
}
