import type { Change } from '$core/types/change';
import { isSystem, ownTables } from '$core/model/model';
import { withSystemFields } from '$core/model/systemFields';
import { withWorkspace } from '../access/lock';
import { systemAccess, withModel, type WorkspaceAccess } from '../access/workspaceAccess';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { changeStructure } from './structure';

/**
 * Gives tables made by earlier versions the fields of the system. Who made their records is not known, so those stay
 * blank.
 */
export async function addSystemColumns(pool: Pool): Promise<void> {
  for (const row of await catalogueOn(pool).select().from(workspaces)) {
    const access = systemAccess(await withModel(pool, row));
    if (missing(access).length === 0) continue;
    await withWorkspace(pool, access, 'exclusive', async (client, now) =>
      (await changeStructure({ client, access: now, exclusive: true }, missing(now))).finish(),
    );
  }
}

function missing({ workspace }: WorkspaceAccess): Change[] {
  return ownTables(workspace.model).flatMap((table) => {
    if (table.fields.some(isSystem)) return [];
    return withSystemFields(table.fields)
      .slice(table.fields.length)
      .map((field, index): Change => ({ do: 'addField', table: table.id, field, at: table.fields.length + index }));
  });
}
