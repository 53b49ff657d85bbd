import { and, asc, desc, eq } from 'drizzle-orm';
import type { Template, TemplateHead } from '$core/types/template';
import { managesDirectory } from '../access/directory';
import { requireUnlimited } from '../access/limits';
import type { Person } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { groupPeople, people, templates } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { errorCode } from '../database/transaction';
import { shippedTemplates } from './shipped';

/** A template as the gallery shows it. */
export interface TemplateShown extends TemplateHead {
  readonly id: string;
  /** Whether it comes with the program. */
  readonly ships: boolean;
  readonly tables: readonly string[];
  readonly samples: number;
  /** Who put it there; null for what ships. */
  readonly by: string | null;
  /** The groups that see it; null: everybody in the Directory. */
  readonly audience: readonly number[] | null;
  readonly position: number;
  /** Whether whoever asks may change its place, whom it is for, and take it out. */
  readonly changeable: boolean;
}

const headOf = ({ name, version, label, description, purpose, dye, icon }: Template): TemplateHead => ({
  name,
  version,
  label,
  description,
  purpose,
  dye,
  icon,
});

const shownOf = (template: Template) => ({
  ...headOf(template),
  tables: template.tables.filter(({ placeholder }) => placeholder !== true).map(({ label }) => label),
  samples: Object.values(template.samples).reduce((sum, rows) => sum + rows.length, 0),
});

interface Row {
  readonly id: number;
  readonly body: Template;
  readonly audience: readonly number[] | null;
  readonly position: number;
  readonly madeBy: number | null;
  readonly by: string | null;
}

/** The organisation's templates that somebody may see: those for everybody, for a group of theirs, and their own. */
async function seenRows(pool: Pool, person: Person): Promise<(Row & { readonly changeable: boolean })[]> {
  const manages = await managesDirectory(pool, person);
  const db = catalogueOn(pool);
  const [rows, own] = await Promise.all([
    db
      .select({
        id: templates.id,
        body: templates.body,
        audience: templates.audience,
        position: templates.position,
        madeBy: templates.madeBy,
        by: people.name,
      })
      .from(templates)
      .leftJoin(people, eq(people.id, templates.madeBy))
      .orderBy(asc(templates.position), asc(templates.name), desc(templates.version)),
    db.select({ group: groupPeople.group }).from(groupPeople).where(eq(groupPeople.person, person.id)),
  ]);
  const mine = new Set(own.map(({ group }) => group));
  return rows
    .filter(
      ({ audience, madeBy }) =>
        audience === null || manages || madeBy === person.id || audience.some((group) => mine.has(group)),
    )
    .map((row) => ({ ...row, changeable: (manages || row.madeBy === person.id) && !person.limits && !person.seeAs }));
}

/** The gallery as somebody sees it: the organisation's own templates first, in their order, then those that ship. */
export async function galleryOf(pool: Pool, person: Person): Promise<TemplateShown[]> {
  const rows = await seenRows(pool, person);
  return [
    ...rows.map(({ id, body, audience, position, by, changeable }) => ({
      ...shownOf(body),
      id: String(id),
      ships: false,
      by,
      audience,
      position,
      changeable,
    })),
    ...shippedTemplates().map((template, at) => ({
      ...shownOf(template),
      id: template.name,
      ships: true,
      by: null,
      audience: null,
      position: at,
      changeable: false,
    })),
  ];
}

/** A template of the gallery: by its number, or by the name of one that ships. */
export async function templateIn(pool: Pool, person: Person, id: string): Promise<Template> {
  const found =
    shippedTemplates().find(({ name }) => name === id) ??
    (await seenRows(pool, person)).find((row) => String(row.id) === id)?.body;
  if (!found) throw notHere('template');
  return found;
}

/** What is settled about a template of the organisation beside its text. */
export interface TemplatePlace {
  readonly audience?: readonly number[] | null;
  readonly position?: number;
}

/** Puts a template in the gallery. Each version of it stands there once. */
export async function keepTemplate(
  pool: Pool,
  person: Person,
  template: Template,
  { audience = null, position = 0 }: TemplatePlace,
): Promise<{ id: string }> {
  requireUnlimited(person);
  if (shippedTemplates().some(({ name }) => name === template.name))
    throw refuse(409, `“${template.name}” comes with the program.`, 'Choose another name.', '/template/name');
  try {
    const [made] = await catalogueOn(pool)
      .insert(templates)
      .values({
        name: template.name,
        version: template.version,
        body: template,
        audience: audience === null ? null : [...audience],
        position,
        madeBy: person.id,
      })
      .returning({ id: templates.id });
    return { id: String(made?.id) };
  } catch (error) {
    if (errorCode(error) === '23505')
      throw refuse(
        409,
        `Version ${template.version} of “${template.name}” is in the gallery already.`,
        'Count the version up.',
        '/template/version',
      );
    throw error;
  }
}

async function changeableRow(pool: Pool, person: Person, id: string): Promise<number> {
  const row = (await seenRows(pool, person)).find((one) => String(one.id) === id);
  if (!row) throw notHere('template');
  if (!row.changeable)
    throw refuse(403, 'This template is somebody else’s.', 'Ask whoever put it there, or who manages the Directory.');
  return row.id;
}

/** Says anew whom a template is for, or where it stands. */
export async function changeTemplate(pool: Pool, person: Person, id: string, place: TemplatePlace): Promise<void> {
  const row = await changeableRow(pool, person, id);
  const { audience, position } = place;
  await catalogueOn(pool)
    .update(templates)
    .set({
      ...(audience === undefined ? {} : { audience: audience === null ? null : [...audience] }),
      ...(position === undefined ? {} : { position }),
    })
    .where(and(eq(templates.id, row)));
}

/** Takes a template out of the gallery; what was made with it stays. */
export async function removeTemplate(pool: Pool, person: Person, id: string): Promise<void> {
  const row = await changeableRow(pool, person, id);
  await catalogueOn(pool).delete(templates).where(eq(templates.id, row));
}
