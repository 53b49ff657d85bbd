import { findField } from '$core/model/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { sql } from '../base/sql';

const unseen = 'a change of something that you may not see';

/**
 * Steps with their titles as far as the person may read them: a title that names an internal field is told to those
 * alone who may see it.
 */
export async function seenTitles<T extends { readonly title: string }>(
  pool: Pool,
  access: WorkspaceAccess,
  steps: readonly T[],
): Promise<T[]> {
  if (access.sights.own === 'all' || steps.length === 0) return [...steps];
  const hidden = await hiddenNames(pool, access);
  return steps.map((step) => (hidden.some((name) => step.title.includes(name)) ? { ...step, title: unseen } : step));
}

/** The labels of fields that are hidden from the person, those in the bin included. */
async function hiddenNames(pool: Pool, { whole, sight }: WorkspaceAccess): Promise<string[]> {
  const standing = whole.model.tables
    .filter(({ home }) => home === undefined)
    .flatMap(({ fields }) => fields)
    .filter(({ id }) => !findField(sight, id))
    .map(({ label }) => label);
  const { rows } = await pool.query<{ label: string }>(
    sql`
      select distinct l #>> '{}' as label
      from loom.batches b,
        jsonb_path_query(
          coalesce(b.changes, '[]') || coalesce(b.inverse, '[]'),
            'strict $.** ? (@.internal == true).label', silent => true
        ) l
      where b.workspace = ${whole.id} and b.changes is not null
    `,
  );
  return [...new Set([...standing, ...rows.map(({ label }) => label)])].filter((label) => label.trim() !== '');
}
