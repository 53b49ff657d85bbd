import { eq } from 'drizzle-orm';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import type { WeavePlaces } from '$core/weave/places';
import { sql } from '../base/sql';

export async function readPlaces(pool: Pool, access: WorkspaceAccess): Promise<WeavePlaces> {
  const [row] = await catalogueOn(pool)
    .select({ weave: workspaces.weave })
    .from(workspaces)
    .where(eq(workspaces.id, access.workspace.id));
  return row?.weave ?? {};
}

/**
 * Keeps places beside those that are known already. A look is no change of structure: it has no plan and no version.
 */
export async function savePlaces(pool: Pool, access: WorkspaceAccess, places: WeavePlaces): Promise<WeavePlaces> {
  const { rows } = await pool.query<{ weave: WeavePlaces }>(
    sql`
      update loom.workspaces
      set weave = jsonb_strip_nulls(weave || ${JSON.stringify(places)}::jsonb)
      where id = ${access.workspace.id}
      returning weave
    `,
  );
  return rows[0]?.weave ?? {};
}
