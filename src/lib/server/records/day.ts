import { eq } from 'drizzle-orm';
import { dayIn } from '$core/fieldTypes/date';
import { keepAnalystViews } from '../analysts/analystViews';
import { changesTopic, tablesToTell } from '../database/changeEvents';
import { withWorkspace } from '../access/lock';
import { systemAccess, withModel } from '../access/workspaceAccess';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { dayDependent } from '../calculation/calculatedFields';
import { recalculate } from './recalculate';
import { recordBatch } from './recordBatch';
import { keepOutgoing } from './routines/outgoing';
import { keepRunsAlone, noneRan, runRoutines } from './routines/runRoutines';
import { routinesOn } from './routines/triggered';
import { sql } from '../base/sql';

/**
 * Brings every workspace whose day is over to its new day: what depends on `today()` is worked out again. Called at
 * start, so that a beginning missed while nothing ran is made good, and once a minute.
 */
export async function beginDays(pool: Pool, instant = new Date()): Promise<number> {
  const rows = await catalogueOn(pool).select().from(workspaces);
  const due = rows.filter(({ zone, day }) => dayIn(zone, instant) > day);
  for (const workspace of due) {
    const access = systemAccess(await withModel(pool, workspace));
    await withWorkspace(pool, access, 'exclusive', async (client) => {
      const [current] = await catalogueOn(client).select().from(workspaces).where(eq(workspaces.id, workspace.id));
      const day = dayIn(workspace.zone, instant);
      if (!current || current.day >= day) return;
      await catalogueOn(client).update(workspaces).set({ day }).where(eq(workspaces.id, workspace.id));
      const now = await withModel(client, { ...current, day });
      const run = {
        client,
        access: systemAccess(now),
        exclusive: true,
        anew: dayDependent(now.model),
      };
      const { touched, history, known } = await recalculate(run);
      const following = { ...run, workspace: run.access.workspace };
      const ran =
        routinesOn(now.model).length > 0
          ? await runRoutines(following, { known, history, form: null, newDay: true })
          : noneRan;
      const written = [...history, ...ran.history];
      if (written.length > 0) {
        const info = { kind: 'edit', title: 'A new day began', runs: ran.runs } as const;
        const { batch } = await recordBatch({ client, access: run.access }, info, written, []);
        await keepOutgoing(following, batch, ran.outgoing);
      } else await keepRunsAlone(following, ran);
      // Conditions of roles may ask what day it is.
      await keepAnalystViews(client, [workspace.id]);
      const event = {
        workspace: workspace.id,
        batch: null,
        tables: tablesToTell([...touched, ...ran.touched].map(({ id }) => id)),
      };
      await client.query(sql`select loom.tell(${changesTopic}, ${JSON.stringify(event)})`);
    });
  }
  return due.length;
}
