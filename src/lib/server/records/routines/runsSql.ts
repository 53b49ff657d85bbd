import type { RunDone } from '$core/routines/log';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { sql, type Sql } from '../../base/sql';

/** The parameters of `runsSql`, in their order. */
export const runsValues = (
  { workspace, person }: Pick<WorkspaceAccess, 'workspace' | 'person'>,
  runs: readonly RunDone[],
): readonly unknown[] => [workspace.id, person.id, JSON.stringify(runs)];

/** Writes runs into the log. `batch` is the step of History that they are part of, `from` where that is read. */
export const runsSql = ([workspace, person, runs]: readonly unknown[], batch: Sql, from: Sql): Sql => sql`
  insert into loom.routine_runs (workspace, batch, person, routine, table_id, chain, records, first, took, problem, steps)
  select ${workspace}::int, ${batch}, nullif(${person}::int, 0), r->>'routine', r->>'table',
    array(select json_array_elements_text(r->'chain')), (r->>'records')::int,
    array(select json_array_elements_text(r->'first')::bigint), (r->>'took')::float8, r->>'problem', r->'steps'
  from ${from} json_array_elements(${runs}::json) r
`;
