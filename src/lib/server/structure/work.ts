import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { notHere } from '../base/refusal';
import { backendsAt, type Work, type WorkName } from '../database/progress';
import { sql } from '../base/sql';

/** The long changes of a workspace's structure that go on, the oldest first. */
export const workAt = async (pool: Pool, { workspace }: WorkspaceAccess): Promise<Work[]> =>
  (await backendsAt(pool, workspace.id)).map(({ pid: _, ...work }) => work);

/** Whether work is a person's own edit, or their own transfer. */
async function isOwn(pool: Pool, { person, workspace }: WorkspaceAccess, { kind, id }: WorkName): Promise<boolean> {
  if (kind === 'edit') return id === person.id;
  if (kind !== 'transfer') return false;
  const { rowCount } = await pool.query(
    sql`select from loom.transfers where id = ${id} and workspace = ${workspace.id} and person = ${person.id}`,
  );
  return rowCount === 1;
}

/** Stops work; nothing of it is kept. Refused when it is over already. One's own edit anybody may stop. */
export async function stopWork(pool: Pool, access: WorkspaceAccess, { kind, id }: WorkName): Promise<void> {
  requireRight(access, (await isOwn(pool, access, { kind, id })) ? 'write' : 'design');
  const backend = (await backendsAt(pool, access.workspace.id)).find((one) => one.kind === kind && one.id === id);
  if (!backend) throw notHere('work');
  await pool.query(sql`select pg_cancel_backend(${backend.pid})`);
}
