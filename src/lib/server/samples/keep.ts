import { and, eq } from 'drizzle-orm';
import { feedOf } from '$core/flow/feeds';
import { isEntered, isToMany, linkedTable, ownTables } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import type { SampleRow, SampleRows } from '$core/types/template';
import type { TableId } from '$core/types/identity';
import { refreshAccess, type WorkspaceAccess } from '../access/workspaceAccess';
import { writeRecords } from '../entry/write';
import { samples } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { sql } from '../base/sql';
import { tableSql } from '../access/workspaceState';

/** So many are written at once. */
const atOnce = 500;

/** Tables so that those that links must lead to come before those that have the links. */
function inOrder(model: Model, tables: readonly Table[]): Table[] {
  const done: Table[] = [];
  let left = [...tables];
  const waits = (table: Table): boolean =>
    table.fields.some(({ type, required }) => {
      const to = type.kind === 'link' && required ? type.to : null;
      return to !== null && to !== table.id && left.some(({ id }) => id === to);
    });
  while (left.length > 0) {
    const ready = left.filter((table) => !waits(table));
    // Links that must be filled in a ring: one of the tables begins, and is refused with the reason.
    const next = ready.length > 0 ? ready : left.slice(0, 1);
    done.push(...next);
    left = left.filter((table) => !next.includes(table));
  }
  return done;
}

/** What is made up sets no routine off: nobody is written to because of it. */
export const madeUp = { quiet: true } as const;

/**
 * Writes samples into tables of a template, all or none, by the keys that these have in it: records first, with the links that must
 * be filled, then the other links. `names`: what each field of the template is here. Answers how many.
 */
export async function keepSamples(
  pool: Pool,
  access: WorkspaceAccess,
  tables: ReadonlyMap<string, { readonly id: TableId }>,
  rows: SampleRows,
  names: Readonly<Record<string, string>>,
): Promise<number> {
  try {
    return await writtenSamples(pool, access, tables, rows, names);
  } catch (error) {
    const fresh = await refreshAccess(pool, access);
    const ids = new Set([...tables.values()].map(({ id }) => id));
    await removeSamples(
      pool,
      fresh,
      ownTables(fresh.workspace.model).filter(({ id }) => ids.has(id)),
    );
    throw error;
  }
}

async function writtenSamples(
  pool: Pool,
  access: WorkspaceAccess,
  tables: ReadonlyMap<string, { readonly id: TableId }>,
  rows: SampleRows,
  names: Readonly<Record<string, string>>,
): Promise<number> {
  const fresh = await refreshAccess(pool, access);
  const { model } = fresh.workspace;
  const keyOf = new Map([...tables].map(([key, { id }]) => [id, key]));
  const here = ownTables(model).filter((table) => keyOf.has(table.id) && !feedOf(table));
  const ids = new Map<string, number>();
  const standing = await standingTargets(pool, fresh, here, keyOf);
  let count = 0;
  const later: { table: Table; id: number; values: Record<string, unknown> }[] = [];
  for (const table of inOrder(model, here)) {
    const key = keyOf.get(table.id) ?? '';
    const fields = table.fields.filter(isEntered);
    const named = new Map(
      fields.flatMap((field) => {
        const inText = Object.entries(names).find(([name, id]) => id === field.id && name.startsWith(`field ${key}.`));
        return inText ? [[inText[0].slice(`field ${key}.`.length), field] as const] : [];
      }),
    );
    const all = (rows[key] ?? []).map((row) => {
      const [now, links] = valuesOf(model, { keyOf, ids, standing }, named, row);
      return { row, now, links };
    });
    // Where what must be linked has no record, there is nothing to show.
    const needed = fields.filter((field) => {
      const to = field.required && !isToMany(field) ? linkedTable(model, field)?.table : undefined;
      return to !== undefined && !keyOf.has(to.id);
    });
    const drafts = all.filter(({ now }) => needed.every((field) => field.key in now));
    for (let at = 0; at < drafts.length; at += atOnce) {
      const some = drafts.slice(at, at + atOnce);
      const edits = { insert: some.map(({ now }) => ({ values: now })), title: `Samples of ${table.label}` };
      const made = await writeRecords(pool, fresh, table.key, edits, madeUp);
      const numbers = made.records.map(({ id }) => id);
      await markSamples(pool, fresh, table.id, numbers);
      for (const [index, { row, links }] of some.entries()) {
        const id = numbers[index] ?? 0;
        ids.set(`${key} ${row._id}`, id);
        if (Object.keys(links).length > 0) later.push({ table, id, values: links });
      }
      count += numbers.length;
    }
  }
  for (const table of here) {
    const key = (field: string) => table.fields.find((one) => one.key === field);
    const update = later
      .filter((one) => one.table.id === table.id)
      .map(({ id, values }) => ({
        id,
        values: Object.fromEntries(
          Object.entries(values).flatMap(([name, wanted]) => {
            const field = key(name);
            const found = field ? targetsOf(model, { keyOf, ids, standing }, field, wanted) : null;
            return found === null ? [] : [[name, found]];
          }),
        ),
      }))
      .filter(({ values }) => Object.keys(values).length > 0);
    for (let at = 0; at < update.length; at += atOnce) {
      const edits = { update: update.slice(at, at + atOnce), title: `Links of the samples of ${table.label}` };
      await writeRecords(pool, fresh, table.key, edits, madeUp);
    }
  }
  return count;
}

/** What links of samples lead to. */
interface Links {
  /** The tables that got samples, by their keys in the template. */
  readonly keyOf: ReadonlyMap<TableId, string>;
  /** The records of samples, by that key and their number. */
  readonly ids: ReadonlyMap<string, number>;
  /** Records of tables that stood before, which take the places of samples: they are not told apart. */
  readonly standing: ReadonlyMap<TableId, readonly number[]>;
}

/** Some records of the tables that samples link to and that stood before. */
async function standingTargets(
  pool: Pool,
  { workspace }: WorkspaceAccess,
  here: readonly Table[],
  keyOf: ReadonlyMap<TableId, string>,
): Promise<ReadonlyMap<TableId, readonly number[]>> {
  const found = new Map<TableId, readonly number[]>();
  for (const table of here)
    for (const field of table.fields) {
      const to = linkedTable(workspace.model, field)?.table;
      if (!to || keyOf.has(to.id) || found.has(to.id)) continue;
      const { rows } = await pool.query<{ id: number }>(sql`
        select r._id as id from ${tableSql(workspace, to)} r order by r._id limit 200
      `);
      found.set(
        to.id,
        rows.map(({ id }) => Number(id)),
      );
    }
  return found;
}

/** The values of a sample that can be written with its record, and the links that can be once all records are there. */
function valuesOf(
  model: Model,
  links: Links,
  named: ReadonlyMap<string, Field>,
  row: SampleRow,
): [Record<string, unknown>, Record<string, unknown>] {
  const now: Record<string, unknown> = {};
  const later: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(row)) {
    const field = named.get(name);
    if (!field || value === null) continue;
    if (!linkedTable(model, field)) now[field.key] = value;
    else {
      const found = isToMany(field) ? null : targetsOf(model, links, field, value);
      if (found === null) later[field.key] = value;
      else now[field.key] = found;
    }
  }
  return [now, later];
}

/** The records that stand for the samples that a link names; null where none is there. */
function targetsOf(
  model: Model,
  { keyOf, ids, standing }: Links,
  field: Field,
  wanted: unknown,
): number | number[] | null {
  const to = linkedTable(model, field)?.table.id;
  if (to === undefined) return null;
  const key = keyOf.get(to);
  if (key === undefined) {
    const there = standing.get(to) ?? [];
    const one = (sample: unknown) => there[Number(sample) % there.length] ?? null;
    if (!Array.isArray(wanted) || there.length === 0) return there.length === 0 ? null : one(wanted);
    return [...new Set(wanted.map(one))].filter((id) => id !== null);
  }
  if (!Array.isArray(wanted)) return ids.get(`${key} ${String(wanted)}`) ?? null;
  const found = wanted.flatMap((one) => ids.get(`${key} ${String(one)}`) ?? []);
  return found.length > 0 ? found : null;
}

/** Runs of numbers that follow each other. */
function runsOf(numbers: readonly number[]): [number, number][] {
  const runs: [number, number][] = [];
  for (const id of numbers.toSorted((a, b) => a - b)) {
    const last = runs.at(-1);
    if (last?.[1] === id - 1) last[1] = id;
    else runs.push([id, id]);
  }
  return runs;
}

/** Remembers that records are samples. */
export async function markSamples(
  pool: Pool,
  { workspace }: WorkspaceAccess,
  table: TableId,
  numbers: readonly number[],
): Promise<void> {
  const rows = runsOf(numbers).map(([firstId, lastId]) => ({
    workspace: workspace.id,
    tableId: table,
    firstId,
    lastId,
  }));
  if (rows.length > 0) await catalogueOn(pool).insert(samples).values(rows).onConflictDoNothing();
}

/** The samples that stand in a table, or in all that somebody sees, by table. */
export async function samplesIn(
  pool: Pool,
  { workspace }: WorkspaceAccess,
  tables: readonly Table[] = ownTables(workspace.model),
): Promise<{ readonly table: Table; readonly ids: readonly number[] }[]> {
  const found: { table: Table; ids: number[] }[] = [];
  for (const table of tables) {
    const { rows } = await pool.query<{ id: number }>(sql`
      select r._id as id from ${tableSql(workspace, table)} r
      where exists (
        select from loom.samples s
        where s.workspace = ${workspace.id} and s.table_id = ${table.id} and r._id between s.first_id and s.last_id
      )
      order by 1
    `);
    if (rows.length > 0) found.push({ table, ids: rows.map(({ id }) => Number(id)) });
  }
  return found;
}

/** Takes samples away: all, or those of some tables; what links to them must go first. Answers how many. */
export async function removeSamples(
  pool: Pool,
  access: WorkspaceAccess,
  tables?: readonly Table[],
): Promise<{ readonly removed: number }> {
  const { model } = access.workspace;
  const found = await samplesIn(pool, access, tables);
  const order = inOrder(
    model,
    found.map(({ table }) => table),
  ).toReversed();
  let removed = 0;
  for (const table of order) {
    const ids = found.find((one) => one.table.id === table.id)?.ids ?? [];
    for (let at = 0; at < ids.length; at += atOnce) {
      const some = ids.slice(at, at + atOnce);
      const edits = { remove: some, title: `Samples of ${table.label} removed` };
      await writeRecords(pool, access, table.key, edits, madeUp);
      removed += some.length;
    }
    await catalogueOn(pool)
      .delete(samples)
      .where(and(eq(samples.workspace, access.workspace.id), eq(samples.tableId, table.id)));
  }
  return { removed };
}
