import { asc, desc, eq } from 'drizzle-orm';
import type { Template, TemplateLook } from '$core/types/template';
import { managesDirectory } from '../access/directory';
import { requireUnlimited } from '../access/limits';
import type { Person } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { groupPeople, people, templates } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { errorCode } from '../database/transaction';
import { shippedTemplates } from './shipped';

/** A template as the gallery shows it. */
export interface TemplateShown extends TemplateLook {
  readonly id: string;
  /** Whether it comes with the program. */
  readonly ships: boolean;
  /** Who put it there; null for what ships. */
  readonly by: string | null;
  /** The groups that see it; null: everybody in the Directory. */
  readonly audience: readonly number[] | null;
  readonly position: number;
  /** Whether whoever asks may change its place, whom it is for, and take it out. */
  readonly changeable: boolean;
}

const lookOf = ({ tables, samples, ...head }: Template): TemplateLook => ({
  name: head.name,
  version: head.version,
  label: head.label,
  description: head.description,
  purpose: head.purpose,
  dye: head.dye,
  icon: head.icon,
  tables: tables.filter(({ placeholder }) => placeholder !== true).map(({ label }) => label),
  samples: Object.values(samples).reduce((sum, rows) => sum + rows.length, 0),
});

interface Row {
  readonly id: number;
  readonly shown: TemplateLook;
  readonly audience: readonly number[] | null;
  readonly position: number;
  readonly madeBy: number | null;
  readonly by: string | null;
}

/**
 * The organisation's templates that somebody may see: those for everybody, for a group of theirs, and their own. Whoever
 * is limited to some of it sees none: they may hold records of other workspaces.
 */
async function seenRows(pool: Pool, person: Person): Promise<(Row & { readonly changeable: boolean })[]> {
  if (person.limits || person.seeAs) return [];
  const manages = await managesDirectory(pool, person);
  const db = catalogueOn(pool);
  const [rows, own] = await Promise.all([
    db
      .select({
        id: templates.id,
        shown: templates.shown,
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
    .map((row) => ({ ...row, changeable: manages || row.madeBy === person.id }));
}

/** The gallery as somebody sees it: the organisation's own templates first, in their order, then those that ship. */
export async function galleryOf(pool: Pool, person: Person): Promise<TemplateShown[]> {
  const rows = await seenRows(pool, person);
  return [
    ...rows.map(({ id, shown, audience, position, by, changeable }) => ({
      ...shown,
      id: String(id),
      ships: false,
      by,
      audience,
      position,
      changeable,
    })),
    ...shippedTemplates().map((template, at) => ({
      ...lookOf(template),
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
  const ships = shippedTemplates().find(({ name }) => name === id);
  if (ships) return ships;
  const row = (await seenRows(pool, person)).find((one) => String(one.id) === id);
  if (!row) throw notHere('template');
  const [found] = await catalogueOn(pool)
    .select({ body: templates.body })
    .from(templates)
    .where(eq(templates.id, row.id));
  if (!found) throw notHere('template');
  return found.body;
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
        shown: lookOf(template),
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
    .where(eq(templates.id, row));
}

/** Takes a template out of the gallery; what was made with it stays. */
export async function removeTemplate(pool: Pool, person: Person, id: string): Promise<void> {
  const row = await changeableRow(pool, person, id);
  await catalogueOn(pool).delete(templates).where(eq(templates.id, row));
}
