import { emptyJoint, viewFrom, withView } from '$core/model/joint';
import { eq, isNotNull } from 'drizzle-orm';
import { missingIn } from '$core/changes/coherence';
import { applyChanges } from '$core/changes/change';
import type { Change } from '$core/types/change';
import { isStored } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import { lockExclusively } from '../access/lock';
import { withModel } from '../access/workspaceAccess';
import { batches, workspaces } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { inTransaction } from '../database/transaction';
import { standing, structureDefects, type StructureDefect } from './storedStructure';

export interface Repair {
  readonly workspace: string;
  /** What was wrong before. */
  readonly defects: readonly StructureDefect[];
  /** How it was fixed: from the history of changes, or by leaving out what does not stand; null: it could not be. */
  readonly by: 'history' | 'what stands' | null;
  /** What is still wrong where it could not be fixed. */
  readonly left: readonly StructureDefect[];
}

/**
 * Makes a workspace's structure again what its tables are, where the two differ. First every change of structure that
 * the history has is done again from the beginning; if that is not what stands, the known structure is taken without
 * the tables and fields that do not stand. Whichever fits is written as a new version; tables and records are never
 * touched.
 */
export async function repairStructure(pool: Pool, key: string): Promise<Repair> {
  return inTransaction(pool, 'select 1', async (client) => {
    const db = catalogueOn(client);
    const [found] = await db.select({ id: workspaces.id }).from(workspaces).where(eq(workspaces.key, key));
    if (!found) throw new Error(`there is no workspace ${key}`);
    await lockExclusively(client, [found.id]);
    const [row] = await db.select().from(workspaces).where(eq(workspaces.id, found.id));
    if (!row) throw new Error(`the workspace ${key} is gone`);
    const known = await withModel(client, row);
    const defects = await structureDefects(client, known);
    if (defects.length === 0) return { workspace: key, defects, by: null, left: [] };
    const others = known.model.tables.filter(({ home }) => home !== undefined);
    let left = defects;
    for (const [by, model] of [
      ['history', await fromHistory(client, key)],
      ['what stands', await fromStanding(client, key, known.model)],
    ] as const) {
      if (!model) continue;
      left = await structureDefects(client, { key, model: { tables: [...model.tables, ...others] } });
      if (left.length > 0) continue;
      await db
        .update(workspaces)
        .set({ model, version: row.version + 1 })
        .where(eq(workspaces.id, row.id));
      return { workspace: key, defects, by, left };
    }
    return { workspace: key, defects, by: null, left };
  });
}

/** All defects of all workspaces, of deleted ones as well. */
export async function allStructureDefects(pool: Pool): Promise<{ workspace: string; defects: StructureDefect[] }[]> {
  const found: { workspace: string; defects: StructureDefect[] }[] = [];
  for (const row of await catalogueOn(pool).select().from(workspaces)) {
    const defects = await structureDefects(pool, await withModel(pool, row));
    if (defects.length > 0) found.push({ workspace: row.key, defects });
  }
  return found;
}

/**
 * A workspace's own tables and parts as the history of all workspaces makes them, from nothing; null where the history does not
 * give a structure. Each batch is done as its own workspace sees the others: with their keys as homes.
 */
async function fromHistory(client: Client, key: string): Promise<Model | null> {
  const steps = await catalogueOn(client)
    .select({ home: workspaces.key, changes: batches.changes })
    .from(batches)
    .innerJoin(workspaces, eq(workspaces.id, batches.workspace))
    .where(isNotNull(batches.changes))
    .orderBy(batches.id);
  let all = emptyJoint([...new Set([key, ...steps.map(({ home }) => home)])]);
  for (const { home, changes } of steps) {
    const done = applyChanges(viewFrom(all, home), changes as readonly Change[]);
    if (!done.ok) return null;
    all = withView(all, home, done.value.model);
  }
  return ownOf(viewFrom(all, key));
}

/** A workspace's own part of a model. */
const ownOf = ({ tables, parts }: Model): Model => ({
  tables: tables.filter(({ home }) => home === undefined),
  ...(parts && Object.keys(parts).length > 0 ? { parts } : {}),
});

/** The known own tables without those and without the fields that do not stand, and without what needs them. */
async function fromStanding(client: Client, key: string, model: Model): Promise<Model | null> {
  const { columns } = await standing(client, key);
  const stands = (table: Table) => table.home !== undefined || columns.has(table.key);
  const kept = model.tables.filter(stands);
  const tables = kept.map((table): Table => {
    const fields = table.fields.filter((field) => {
      const { type } = field;
      if (type.kind === 'counterpart')
        return kept.some(({ id, fields: all }) => id === type.from && all.some((one) => one.id === type.link));
      return table.home !== undefined || !isStored(field) || columns.get(table.key)?.has(field.key) === true;
    });
    return { ...table, fields, title: fields.some(({ id }) => id === table.title) ? table.title : null };
  });
  return missingIn({ tables }).length > 0 ? null : ownOf({ ...model, tables });
}
