import type { Change } from '$core/types/change';
import { isSystem, ownTables } from '$core/model/model';
import { withSystemFields } from '$core/model/systemFields';
import { withWorkspace } from '../access/lock';
import { systemSeat, withModel, type Seat } from '../access/seat';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { changeStructure } from './structure';

/**
 * Gives tables made by earlier versions the fields of the system. Who made their records is not known, so those stay
 * blank.
 */
export async function addSystemColumns(pool: Pool): Promise<void> {
  for (const row of await catalogueOn(pool).select().from(workspaces)) {
    const seat = systemSeat(await withModel(pool, row));
    if (missing(seat).length === 0) continue;
    await withWorkspace(pool, seat, 'whole', async (client, now) =>
      (await changeStructure({ client, seat: now, whole: true }, missing(now))).finish(),
    );
  }
}

function missing({ workspace }: Seat): Change[] {
  return ownTables(workspace.model).flatMap((table) => {
    if (table.fields.some(isSystem)) return [];
    return withSystemFields(table.fields)
      .slice(table.fields.length)
      .map((field, index): Change => ({ do: 'addField', table: table.id, field, at: table.fields.length + index }));
  });
}
