import type { Model } from '$core/types/model';
import { partsOf } from '$core/types/part';
import { sql, type Sql } from '../base/sql';

/** How a routine stands beside the model. */
export interface Kept {
  readonly keeper: number;
  readonly failures: number;
  readonly paused: boolean;
  readonly problem: string | null;
  /** By their hashes, what it was tried as. */
  readonly tried: readonly string[];
}

/** What is kept of routines, without those that nobody made here. `which` is a condition on `r`. */
export const keptSql = (which: Sql): Sql => sql`
  select r.id, r.keeper, r.failures, r.paused_at is not null as paused, r.problem,
    coalesce((select jsonb_agg(t.hash) from loom.routine_tries t where t.routine = r.id), '[]') as tried
  from loom.routines r
  where ${which}
`;

/** What `keptSql` answers, by the identities of the routines. */
export const keptIn = (rows: readonly unknown[]): ReadonlyMap<string, Kept> =>
  new Map((rows as readonly (Kept & { readonly id: string })[]).map(({ id, ...kept }) => [id, kept]));

const known = new WeakMap<Model, boolean>();

/** Whether any table of a model has a routine that is switched on. */
export function hasRoutines(model: Model): boolean {
  const has = known.get(model) ?? model.tables.some((table) => partsOf(table, 'routine').some(({ on }) => on));
  known.set(model, has);
  return has;
}
