import { createHash } from 'node:crypto';
import { eq, sql as catalogueSql } from 'drizzle-orm';
import type { BuiltTemplate } from '$core/templates/applied';
import type { Template } from '$core/types/template';
import { authorize, type Person } from '../access/workspaceAccess';
import { sql } from '../base/sql';
import { members, workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { dropWorkspace, makeWorkspace } from '../workspaces/workspaces';
import { planTemplate, useTemplate } from './uses';

/** Whether a workspace shows a template, and nothing in it is anybody’s. */
export const isPreview = (key: string): boolean => /^preview_[0-9a-f]{8}_[0-9a-z]+$/.test(key);

/** A preview that nobody opened for so long goes, in minutes; and so many stand at once. */
const mostMinutes = 120;
const mostAtOnce = 20;

/**
 * A workspace in which a template stands with its samples, to be looked at by whoever asks: the very grids, forms and
 * summaries that it would have. One for each text, shared by all who look, on no list, and gone by itself.
 */
export async function previewOf(
  pool: Pool,
  person: Person,
  template: Template,
  build: () => BuiltTemplate,
): Promise<{ readonly workspace: string }> {
  const hash = createHash('sha256').update(JSON.stringify(template)).digest('hex');
  await dropPreviews(pool, hash);
  const db = catalogueOn(pool);
  const [standing] = await db
    .update(workspaces)
    .set({ previewedAt: catalogueSql`now()` })
    .where(eq(workspaces.preview, hash))
    .returning({ id: workspaces.id, key: workspaces.key });
  if (standing) {
    await looks(pool, standing.id, person);
    return { workspace: standing.key };
  }
  const made = await makeWorkspace(pool, person, {
    label: template.label,
    description: template.description,
    key: `preview_${hash.slice(0, 8)}_${Date.now().toString(36)}`,
  });
  const noted = (preview: string) =>
    db
      .update(workspaces)
      .set({ preview, previewedAt: catalogueSql`now()`, dye: template.dye, icon: template.icon })
      .where(eq(workspaces.id, made.id));
  try {
    // From the beginning, so that it goes by itself also where its making is cut off.
    await noted('');
    const access = await authorize(pool, person, made.key, 'design');
    const tables = Object.fromEntries(
      template.tables.filter(({ placeholder }) => placeholder).map(({ key }) => [key, {}]),
    );
    const { use } = await planTemplate(pool, access, template, build(), { tables, samples: true, upgrade: null });
    await useTemplate(pool, access, use);
    await looks(pool, made.id, person);
    await noted(hash);
  } catch (error) {
    await dropWorkspace(pool, made);
    throw error;
  }
  return { workspace: made.key };
}

/** Whoever looks at a preview changes nothing of it. */
async function looks(pool: Pool, workspace: number, person: Person): Promise<void> {
  await catalogueOn(pool)
    .insert(members)
    .values({ workspace, person: person.id, role: 'reader' })
    .onConflictDoUpdate({ target: [members.workspace, members.person], set: { role: 'reader' } });
}

/** Previews that nobody looks at any more go, and the oldest where there are too many. */
async function dropPreviews(pool: Pool, but: string): Promise<void> {
  const { rows } = await pool.query<{ id: number; key: string }>(sql`
    select id, key from (
      select id, key, preview, previewed_at, row_number() over (order by previewed_at desc) as place
      from loom.workspaces where preview is not null
    ) p
    where preview <> ${but}
      and (previewed_at < now() - ${mostMinutes}::int * interval '1 minute' or place >= ${mostAtOnce})
  `);
  for (const one of rows) await dropWorkspace(pool, one);
}
