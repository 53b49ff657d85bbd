import { and, desc, eq, gt, isNotNull } from 'drizzle-orm';
import { applyChanges } from '$core/model/change';
import type { Model } from '$core/model/model';
import type { Seat } from '../access/seat';
import { batches, people } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { notHere, refuse } from '../refusal';

/** The structure as it was right after a batch: every later change of structure, undone in memory. */
export async function structureAfter(pool: Pool, seat: Seat, batch: number): Promise<Model> {
  const db = catalogueOn(pool);
  const [known] = await db
    .select({ id: batches.id })
    .from(batches)
    .where(and(eq(batches.id, batch), eq(batches.workspace, seat.workspace.id)));
  if (!known && batch !== 0) throw notHere('batch');
  const later = await db
    .select({ id: batches.id, inverse: batches.inverse })
    .from(batches)
    .where(and(eq(batches.workspace, seat.workspace.id), gt(batches.id, batch), isNotNull(batches.inverse)))
    .orderBy(desc(batches.id));
  let { model } = seat.workspace;
  for (const { id, inverse } of later) {
    const back = applyChanges(model, inverse ?? []);
    if (!back.ok) throw refuse(422, `The structure before step ${id} can no longer be told: ${back.problem.message}`, 'A linked workspace changed in between.');
    model = back.value.model;
  }
  return model;
}

export interface StructureStep {
  readonly batch: number;
  readonly at: string;
  readonly by: string;
  readonly title: string;
}

/** The batches that changed the structure, the newest first. */
export const structureSteps = (pool: Pool, seat: Seat, limit: number): Promise<StructureStep[]> =>
  catalogueOn(pool)
    .select({ batch: batches.id, at: batches.at, by: people.name, title: batches.title })
    .from(batches)
    .innerJoin(people, eq(people.id, batches.person))
    .where(and(eq(batches.workspace, seat.workspace.id), isNotNull(batches.changes)))
    .orderBy(desc(batches.id))
    .limit(limit);
