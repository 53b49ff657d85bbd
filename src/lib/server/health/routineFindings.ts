import { findTable } from '$core/model/model';
import { lostIn } from '$core/routines/routine';
import type { Table } from '$core/types/model';
import { partsOf } from '$core/types/part';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { isReady, keptOf } from '../records/routines/keeping';
import { isSeenBy } from '../records/routines/runRoutines';
import type { Left } from './acceptedFindings';
import type { Finding } from './finding';

/** Routines of a table that are on and do not run, for those who manage routines; they see no others. */
export async function routineFindings(
  pool: Pool,
  access: WorkspaceAccess,
  { id: of }: Table,
  left: (finding: string) => Left,
): Promise<Finding[]> {
  const { model } = access.workspace;
  const table = findTable(model, of);
  const on = table ? partsOf(table, 'routine').filter((routine) => routine.on) : [];
  if (!table || on.length === 0) return [];
  const kept = await keptOf(
    pool,
    on.map(({ id }) => id),
  );
  return on.flatMap((routine): Finding[] => {
    const stands = kept.get(routine.id);
    const lost = lostIn(model, table, routine);
    const isPaused = stands?.paused === true;
    const why = stands?.problem && isSeenBy(access, table, routine) ? `: ${stands.problem}` : '.';
    const held = lost.length > 0 ? lost.join('; ') : isReady(routine, stands) ? null : 'it was not tried as it is';
    if (!isPaused && held === null) return [];
    const kind = isPaused ? 'paused routine' : 'held routine';
    const id = `${kind} ${routine.id}`;
    const words = isPaused
      ? `It failed ${stands.failures} times in a row and is paused${why}`
      : `It is on and does not run: ${held ?? ''}.`;
    const about = { table: table.key, field: '', label: `Routine “${routine.label}”`, words, part: null };
    return left(id).whole ? [] : [{ id, kind, byRecord: false, ...about, count: 0, filter: null, records: [] }];
  });
}
