import { requireRole, type Seat } from '../access/seat';
import type { Pool } from '../database/pool';
import { refuse } from '../refusal';
import { undoBatch } from './undo';

/** A step that was taken back or done again. */
export interface OwnStep {
  /** The batch that did it. */
  readonly batch: number;
  readonly title: string;
}

/**
 * Takes back the latest of the person's own edits that stands. What can be taken back is read from the history, so it is the
 * same on every page and after a reload.
 */
export async function undoOwn(pool: Pool, seat: Seat): Promise<OwnStep> {
  requireRole(seat.role, 'editor');
  const { rows } = await pool.query<{ id: number; title: string }>(
    `select id, title from loom.batches where workspace = $1 and person = $2 and kind = 'edit' and undone_by is null order by id desc limit 1`,
    [seat.workspace.id, seat.person.id],
  );
  const [step] = rows;
  if (!step) throw refuse(422, 'There is no edit of yours to take back.', 'Changes of others are taken back in History.');
  return { batch: (await undoBatch(pool, seat, step.id)).batch, title: step.title };
}

/** Does again what the person took back last, as long as they have edited nothing since. */
export async function redoOwn(pool: Pool, seat: Seat): Promise<OwnStep> {
  requireRole(seat.role, 'editor');
  const { rows } = await pool.query<{ undo: number; title: string; since: boolean }>(
    `select u.id as undo, b.title, exists (select from loom.batches n where n.workspace = $1 and n.person = $2 and n.kind = 'edit' and n.id > u.id) as since
     from loom.batches b join loom.batches u on u.id = b.undone_by
     where b.workspace = $1 and b.person = $2 and b.kind = 'edit' and u.person = $2 order by u.id desc limit 1`,
    [seat.workspace.id, seat.person.id],
  );
  const [step] = rows;
  if (!step || step.since) throw refuse(422, 'There is nothing to do again.', 'Only what you took back last can be done again.');
  return { batch: (await undoBatch(pool, seat, step.undo)).batch, title: step.title };
}
