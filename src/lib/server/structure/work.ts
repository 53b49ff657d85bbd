import { requireRole, type Seat } from '../access/seat';
import type { Pool } from '../database/pool';
import { notHere } from '../base/refusal';
import { backendsAt, type Work, type WorkName } from '../database/progress';

/** The long changes of a workspace's structure that go on, the oldest first. */
export const workAt = async (pool: Pool, { workspace }: Seat): Promise<Work[]> =>
  (await backendsAt(pool, workspace.id)).map(({ pid: _, ...work }) => work);

/** Stops work; nothing of it is kept. Refused when it is over already. One's own edit anybody may stop. */
export async function stopWork(pool: Pool, seat: Seat, { kind, id }: WorkName): Promise<void> {
  requireRole(seat.role, kind === 'edit' && id === seat.person.id ? 'editor' : 'administrator');
  const backend = (await backendsAt(pool, seat.workspace.id)).find((one) => one.kind === kind && one.id === id);
  if (!backend) throw notHere('work');
  await pool.query('select pg_cancel_backend($1)', [backend.pid]);
}
