import type { StepDone } from '$core/routines/log';
import { findTable } from '$core/model/model';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { pageOf, type Listed } from '../base/listed';
import { sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { seenRoutines } from './seenRoutines';

/** A run of a routine, as the log has it. */
export interface RunOut {
  readonly id: number;
  readonly at: string;
  /** The routine by its label, and by its identity. */
  readonly label: string;
  readonly routine: string;
  /** The table whose records set it off, where it still stands. */
  readonly table: string | null;
  /** Who made the edit that set it off; null where the clock did. */
  readonly by: string | null;
  /** The routines that set each other off before it. */
  readonly chain: readonly string[];
  /** The step of History that it is part of; null where nothing of it was kept. */
  readonly batch: number | null;
  readonly records: number;
  readonly first: readonly number[];
  /** Milliseconds. */
  readonly took: number;
  readonly problem: string | null;
  readonly steps: readonly StepDone[];
}

/** The runs of one routine, or of all, the newest first; of one step of History where that is said. */
export async function listRuns(
  pool: Pool,
  access: WorkspaceAccess,
  of: { readonly routine?: string; readonly batch?: number; readonly after?: number; readonly limit: number },
): Promise<Listed<RunOut>> {
  requireRight(access, 'routines');
  const labels = seenRoutines(access);
  const { rows } = await pool.query<RunOut & { tableId: string; chain: string[] }>(sql`
    select r.id, r.at, r.routine, r.table_id as "tableId", p.name as by, r.chain, r.batch, r.records,
      to_jsonb(r.first) as first, r.took, r.problem, r.steps
    from loom.routine_runs r left join loom.people p on p.id = r.person
    where r.workspace = ${access.workspace.id} and r.routine = any(${[...labels.keys()]}::text[])
      and (${of.routine ?? null}::text is null or r.routine = ${of.routine ?? null})
      and (${of.batch ?? null}::bigint is null or r.batch = ${of.batch ?? null})
      and (${of.after ?? null}::bigint is null or r.id < ${of.after ?? null})
    order by r.id desc limit ${of.limit + 1}
  `);
  const { model } = access.workspace;
  // One that set it off may be gone, or not be seen.
  const named = (id: string) => labels.get(id) ?? 'another routine';
  const page = pageOf(rows, of.limit, ({ id }) => id);
  return {
    ...page,
    items: page.items.map(({ tableId, chain, ...row }) => ({
      ...row,
      label: named(row.routine),
      table: findTable(model, tableId)?.key ?? null,
      chain: chain.map(named),
    })),
  };
}
