import { and, eq } from 'drizzle-orm';
import { ownTables } from '$core/model/model';
import { applyTemplate, type BuiltTemplate, type TableUse } from '$core/templates/applied';
import { likeness, namesIn, sameAs } from '$core/templates/identities';
import { upgradeTemplate } from '$core/templates/upgrade';
import type { Template } from '$core/types/template';
import type { TableId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import type { Problem } from '$core/base/problem';
import { notHere, refuse, Refusal } from '../base/refusal';
import { sql } from '../base/sql';
import { templateUses } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { applyPlan, makePlan, type PlanOut } from '../structure/plan';
import { tableCounts } from '../workspaces/workspaces';
import { keepSamples } from '../samples/keep';

/** How alike a standing table must be to be offered in the place of one of a template. */
const alike = 0.4;

/** A table that stands and could take the place of one of a template. */
interface Offer {
  readonly table: string;
  readonly label: string;
  readonly records: number;
  /** The fields that are there, by their keys in the template. */
  readonly fields: Readonly<Record<string, string>>;
  /** Labels of fields that would be added to it. */
  readonly added: readonly string[];
}

/** A table of a template beside what stands. */
export interface TableBeside {
  readonly key: string;
  readonly label: string;
  readonly placeholder: boolean;
  /** Whether a table here is called so. */
  readonly clash: boolean;
  /** The best first. */
  readonly offers: readonly Offer[];
}

/** A template as it was applied here before. */
export interface EarlierUse {
  readonly id: number;
  readonly version: number;
  readonly at: string;
}

/** The tables of a template beside those that stand, with what could take their places; and when it was applied before. */
export async function besideStanding(
  pool: Pool,
  access: WorkspaceAccess,
  template: Template,
  built: BuiltTemplate,
): Promise<{ readonly tables: readonly TableBeside[]; readonly earlier: EarlierUse | null }> {
  requireRight(access, 'design');
  const { model, key } = access.workspace;
  const standing = ownTables(model);
  const own = ownTables(built.model);
  const pairs = own.map((table) => ({
    table,
    found: standing
      .map((other) => ({ other, score: likeness(built.model, table, model, other) }))
      .filter(({ score }) => score >= alike)
      .toSorted((a, b) => b.score - a.score)
      .slice(0, 5),
  }));
  const counts = await tableCounts(pool, key, [
    ...new Set(pairs.flatMap(({ found }) => found.map(({ other }) => other.key))),
  ]);
  const best = new Map(pairs.flatMap(({ table, found }) => (found[0] ? [[table.id, found[0].other.id] as const] : [])));
  const tables = pairs.map(({ table, found }): TableBeside => {
    const written = template.tables.find((one) => one.key === table.key);
    return {
      key: table.key,
      label: table.label,
      placeholder: written?.placeholder === true,
      clash: standing.some((one) => one.key === table.key || one.label.toLowerCase() === table.label.toLowerCase()),
      offers: found.map(({ other }) => ({
        table: other.key,
        label: other.label,
        records: counts.get(other.key) ?? 0,
        ...fieldsBeside(built.model, table, model, other, best),
      })),
    };
  });
  return { tables, earlier: await earlierUse(pool, access, template.name) };
}

/** Which fields of a template's table are there in one that stands, and which are not. */
function fieldsBeside(
  model: Model,
  table: Table,
  standing: Model,
  other: Table,
  best: ReadonlyMap<TableId, TableId>,
): Pick<Offer, 'fields' | 'added'> {
  const same = sameAs(model, standing, new Map([...best, [table.id, other.id]]));
  const fields: Record<string, string> = {};
  const added: string[] = [];
  for (const field of table.fields) {
    const found = other.fields.find(({ id }) => id === same.get(field.id));
    if (found) fields[field.key] = found.key;
    else added.push(field.label);
  }
  return { fields, added };
}

/** The last time that it was applied, and not undone. */
async function earlierUse(pool: Pool, access: WorkspaceAccess, name: string): Promise<EarlierUse | null> {
  const { rows } = await pool.query<EarlierUse>(sql`
    select u.id, u.version, b.at
    from loom.template_uses u
    join loom.plans p on p.id = u.plan
    join loom.batches b on b.id = p.applied_as and b.undone_by is null
    where u.workspace = ${access.workspace.id} and u.name = ${name}
    order by u.id desc limit 1
  `);
  return rows[0] ?? null;
}

/** What becomes of a template's table: by its key; a table that stands by the key of that one. */
export type WishedUse =
  | { readonly use: string; readonly fields?: Readonly<Record<string, string>> }
  | { readonly key?: string; readonly label?: string };

export interface PlannedUse {
  /** Applies the plan, with the samples. */
  readonly use: number;
  readonly plan: PlanOut;
  /** In words: what is called otherwise here, and what stays as it is. */
  readonly notes: readonly string[];
}

/** A plan that builds a template beside what stands, or brings what came of an earlier version to this one. */
export async function planTemplate(
  pool: Pool,
  access: WorkspaceAccess,
  template: Template,
  built: BuiltTemplate,
  {
    tables,
    samples,
    upgrade,
  }: {
    readonly tables: Readonly<Record<string, WishedUse>>;
    readonly samples: boolean;
    readonly upgrade: { readonly earlier: BuiltTemplate; readonly names: ReadonlyMap<string, string> } | null;
  },
): Promise<PlannedUse> {
  const { model } = access.workspace;
  const taken = takenKeys(access);
  if (upgrade) {
    const { changes, kept } = upgradeTemplate(model, upgrade.names, upgrade.earlier.model, built, taken);
    if (changes.length === 0)
      throw refuse(409, 'What stands here is as this version has it.', kept.join('; ') || undefined);
    const plan = await makePlan(pool, access, changes);
    const names = new Map([...namesIn(built.model)].map(([name, id]) => [name, upgrade.names.get(name) ?? id]));
    return { use: await keepUse(pool, access, template, plan.id, names, [], false), plan, notes: kept };
  }
  const uses = new Map<TableId, TableUse>();
  for (const [key, wish] of Object.entries(tables)) {
    const table = ownTables(built.model).find((one) => one.key === key);
    if (!table) throw refuse(422, `The template has no table “${key}”.`, 'Use the keys of its text.', `/tables/${key}`);
    if (!('use' in wish)) uses.set(table.id, wish);
    else {
      const standing = ownTables(model).find((one) => one.key === wish.use || one.id === wish.use);
      if (!standing) throw refuse(422, `There is no table “${wish.use}” here.`, 'Use its key.', `/tables/${key}/use`);
      uses.set(table.id, { ...wish, use: standing.id });
    }
  }
  for (const { key, placeholder, label } of template.tables)
    if (placeholder && !tables[key])
      throw refuse(422, `“${label}” stands for a table of yours.`, 'Choose one, or have it made.', `/tables/${key}`);
  const applied = applyTemplate(model, built, uses, taken);
  if (!applied.ok) throw refuse(422, applied.problem.message, applied.problem.fix);
  const { changes, identities, notes } = applied.value;
  const plan = await makePlan(pool, access, changes);
  const names = new Map([...namesIn(built.model)].map(([name, id]) => [name, identities.get(id) ?? id]));
  const stood = [...uses.values()].flatMap((use) => ('use' in use ? [use.use] : []));
  return { use: await keepUse(pool, access, template, plan.id, names, stood, samples), plan, notes };
}

const takenKeys = ({ whole, workspace }: WorkspaceAccess): string[] =>
  whole === workspace ? [] : whole.model.tables.filter(({ home }) => home === undefined).map(({ key }) => key);

async function keepUse(
  pool: Pool,
  { workspace }: WorkspaceAccess,
  template: Template,
  plan: number,
  names: ReadonlyMap<string, string>,
  stood: readonly TableId[],
  samples: boolean,
): Promise<number> {
  const [made] = await catalogueOn(pool)
    .insert(templateUses)
    .values({
      workspace: workspace.id,
      plan,
      name: template.name,
      version: template.version,
      body: template,
      names: Object.fromEntries(names),
      stood: [...stood],
      samples,
    })
    .returning({ id: templateUses.id });
  return made?.id ?? 0;
}

/** What a template became here when it was applied last; for a newer version. */
export async function earlierTemplate(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
): Promise<{ readonly template: Template; readonly names: ReadonlyMap<string, string> } | null> {
  const earlier = await earlierUse(pool, access, name);
  if (!earlier) return null;
  const [row] = await catalogueOn(pool).select().from(templateUses).where(eq(templateUses.id, earlier.id));
  return row ? { template: row.body, names: new Map(Object.entries(row.names)) } : null;
}

/** Applies a planned template: its structure as one plan, then its samples into the tables that it made. */
export async function useTemplate(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
): Promise<{
  readonly batch: number;
  readonly tables: readonly string[];
  readonly samples: number;
  /** Why samples are missing, where they are: what was made stands all the same. */
  readonly problem: Problem | null;
}> {
  const db = catalogueOn(pool);
  const [use] = await db
    .select()
    .from(templateUses)
    .where(and(eq(templateUses.id, id), eq(templateUses.workspace, access.workspace.id)));
  if (!use) throw notHere('template');
  const { batch, model } = await applyPlan(pool, access, use.plan);
  const here = new Map(
    use.body.tables.flatMap(({ key }) => {
      const table = model.tables.find((one) => one.id === use.names[`table ${key}`]);
      return table && !use.stood.includes(table.id) ? [[key, table] as const] : [];
    }),
  );
  const tables = [...here.values()].map(({ key }) => key);
  if (!use.samples) return { batch, tables, samples: 0, problem: null };
  try {
    const samples = await keepSamples(pool, access, here, use.body.samples, use.names);
    return { batch, tables, samples, problem: null };
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    return { batch, tables, samples: 0, problem: error.problem };
  }
}
