import { eq } from 'drizzle-orm';
import type { Seat } from '../access/seat';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import type { WeavePlaces } from '$core/weave/places';

export async function readPlaces(pool: Pool, seat: Seat): Promise<WeavePlaces> {
  const [row] = await catalogueOn(pool)
    .select({ weave: workspaces.weave })
    .from(workspaces)
    .where(eq(workspaces.id, seat.workspace.id));
  return row?.weave ?? {};
}

/**
 * Keeps places beside those that are known already. A look is no change of structure: it has no plan and no version.
 */
export async function savePlaces(pool: Pool, seat: Seat, places: WeavePlaces): Promise<WeavePlaces> {
  const { rows } = await pool.query<{ weave: WeavePlaces }>(
    `update loom.workspaces set weave = jsonb_strip_nulls(weave || $2::jsonb) where id = $1 returning weave`,
    [seat.workspace.id, JSON.stringify(places)],
  );
  return rows[0]?.weave ?? {};
}
