import { and, desc, eq, isNotNull } from 'drizzle-orm';
import type { Change } from '$core/types/change';
import { applyChange } from '$core/changes/change';
import { seesWhole } from '$core/access/rights';
import { findField, findTable, ownTables } from '$core/model/model';
import { privateToOthers, seesEverything } from '$core/parts/visible';
import type { Model } from '$core/types/model';
import type { Scalar } from '$core/types/expression';
import { withWorkspace } from '../access/lock';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { batches, people } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { notHere, refuse } from '../base/refusal';
import { applyEdits } from '../records/applyEdits';
import type { StoredValues, TableEdits } from '../records/edits';
import { constraintRefusal } from '../records/constraint';
import { identifier, sql } from '../base/sql';

/** Something that was deleted and can be brought back. */
export type BinnedThing = {
  readonly batch: number;
  readonly at: string;
  readonly by: string;
  readonly label: string;
} & (
  | { readonly kind: 'table'; readonly id: string; readonly fields: number }
  | { readonly kind: 'field'; readonly id: string; readonly table: string; readonly tableLabel: string }
  | { readonly kind: 'record'; readonly id: number; readonly table: string; readonly tableLabel: string }
);

const mostBinned = 500;

/** Tables, fields and records that were deleted and are not back yet, the last deleted first. */
export async function binOf(pool: Pool, access: WorkspaceAccess): Promise<{ things: BinnedThing[]; cut: boolean }> {
  const { model, id: workspace } = access.workspace;
  const structural = await catalogueOn(pool)
    .select({ id: batches.id, at: batches.at, by: people.name, inverse: batches.inverse })
    .from(batches)
    .innerJoin(people, eq(people.id, batches.person))
    .where(and(eq(batches.workspace, workspace), isNotNull(batches.inverse)))
    .orderBy(desc(batches.id));
  const things: BinnedThing[] = [];
  const seen = new Set<string>();
  // What is gone was seen, for all that is known, by those alone who see everything else.
  for (const { id: batch, at, by, inverse } of seesWhole(access.rights) ? structural : [])
    for (const change of inverse ?? []) {
      if (
        change.do === 'addTable' &&
        !change.table.pairs &&
        !findTable(access.whole.model, change.table.id) &&
        !privateToOthers({ tables: [change.table] }, access.sights).has(change.table.id) &&
        !seen.has(change.table.id)
      ) {
        seen.add(change.table.id);
        things.push({
          kind: 'table',
          batch,
          at,
          by,
          id: change.table.id,
          label: change.table.label,
          fields: change.table.fields.length,
        });
      }
      if (change.do !== 'addField' || findField(access.whole.model, change.field.id) || seen.has(change.field.id))
        continue;
      if (change.field.internal && !seesEverything(access.sights.own)) continue;
      const table = findTable(model, change.table);
      seen.add(change.field.id);
      // The fields of a binned table come back with it.
      if (table && !table.pairs)
        things.push({
          kind: 'field',
          batch,
          at,
          by,
          id: change.field.id,
          label: change.field.label,
          table: table.key,
          tableLabel: table.label,
        });
    }
  const { rows } = await pool.query<{
    batch: number;
    at: string;
    by: string;
    table: string;
    id: number;
    before: Record<string, Scalar> | null;
  }>(
    sql`
      select distinct on (h.table_id, h.first_id) h.batch, b.at, p.name as by, h.table_id as table,
        h.first_id as id, h.before
      from loom.history h
      join loom.batches b on b.id = h.batch
      join loom.people p on p.id = b.person
      where b.workspace = ${workspace} and h.kind = 'deleted'
        and h.table_id = any(${ownTables(model).map(({ id }) => id)}) and b.undone_by is null
        and (not h.table_id = any(${[...(access.cuts?.of.keys() ?? [])]}) or b.person = ${access.person.id})
      order by h.table_id, h.first_id, h.batch desc limit ${mostBinned * 4}
    `,
  );
  const standing = await standingRecords(pool, access, rows);
  for (const { batch, at, by, table: tableId, id, before } of rows) {
    const table = findTable(model, tableId);
    if (!table || standing.has(`${tableId} ${id}`)) continue;
    const title = table.title === null ? null : before?.[table.title];
    things.push({
      kind: 'record',
      batch,
      at,
      by,
      id,
      label: title == null ? `#${id}` : String(title),
      table: table.key,
      tableLabel: table.label,
    });
  }
  things.sort((a, b) => b.batch - a.batch);
  return { things: things.slice(0, mostBinned), cut: things.length > mostBinned };
}

/** Which of these records are there after all: brought back, or made again under the same number. */
async function standingRecords(
  pool: Pool,
  access: WorkspaceAccess,
  rows: readonly { readonly table: string; readonly id: number }[],
): Promise<Set<string>> {
  const found = new Set<string>();
  const byTable = new Map<string, number[]>();
  for (const { table, id } of rows) byTable.set(table, [...(byTable.get(table) ?? []), id]);
  for (const [id, ids] of byTable) {
    const table = findTable(access.workspace.model, id);
    if (!table) continue;
    const { rows: there } = await pool.query<{ id: number }>(
      sql`select _id as id from ${tableSql(access.workspace, table)} q where _id = any(${ids})`,
    );
    for (const record of there) found.add(`${id} ${record.id}`);
  }
  return found;
}

/**
 * The changes that bring a table or a field back: those that the batch which removed it would be undone with, as far as
 * they concern it.
 */
export async function changesToRestore(
  pool: Pool,
  access: WorkspaceAccess,
  batch: number,
  thing: string,
): Promise<Change[]> {
  requireRight(access, 'design');
  const { model, id: workspace } = access.workspace;
  const [row] = await catalogueOn(pool)
    .select({ inverse: batches.inverse })
    .from(batches)
    .where(and(eq(batches.id, batch), eq(batches.workspace, workspace)));
  const inverse = row?.inverse ?? [];
  const concerned = new Set([thing]);
  // With a table come its pairs: the tables of pairs that the same batch removed and that link to it.
  for (const change of inverse)
    if (change.do === 'addField' && change.field.type.kind === 'link' && concerned.has(change.field.type.to))
      concerned.add(change.table);
  const wanted = inverse.filter(
    (change) =>
      (change.do === 'addTable' && concerned.has(change.table.id)) ||
      (change.do === 'addField' && (change.field.id === thing || concerned.has(change.table))) ||
      ((change.do === 'addRule' || change.do === 'changeTable') && concerned.has(change.table)),
  );
  if (wanted.length === 0) throw notHere('thing in the bin');
  return fitting(model, wanted);
}

/**
 * Changes with the places where fields stood, held within the tables as they are now; what cannot be made any more is
 * left for the plan to say.
 */
function fitting(model: Model, changes: readonly Change[]): Change[] {
  let current = model;
  return changes.map((change) => {
    const placed =
      change.do === 'addField'
        ? { ...change, at: Math.min(change.at, findTable(current, change.table)?.fields.length ?? 0) }
        : change;
    const applied = applyChange(current, placed);
    if (applied.ok) current = applied.value;
    return placed;
  });
}

interface HistoryEntry {
  readonly table: string;
  readonly id: number;
  readonly kind: 'made' | 'changed' | 'deleted';
  readonly before: Record<string, Scalar> | null;
}

/**
 * Brings one deleted record back under its number, with its links both ways as far as the other records still stand.
 */
export async function restoreRecord(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
  id: number,
): Promise<{ batch: number }> {
  requireRight(access, 'write');
  try {
    return await withWorkspace(pool, access, 'exclusive', async (client, now) => {
      const table = ownTables(now.workspace.model).find((one) => one.key === name || one.id === name);
      if (!table) throw notHere('table');
      const { rows } = await client.query<{ batch: number; person: number | null; before: Record<string, Scalar> }>(
        sql`
          select h.batch, b.person, h.before
          from loom.history h
          join loom.batches b on b.id = h.batch
          where b.workspace = ${now.workspace.id} and h.table_id = ${table.id} and h.kind = 'deleted'
            and h.first_id = ${id}
          order by h.batch desc limit 1
        `,
      );
      const [deleted] = rows;
      if (!deleted || !findTable(now.sight, table.id)) throw notHere('record in the bin');
      if (now.cuts?.of.has(table.id) && deleted.person !== now.person.id) throw notHere('record in the bin');
      const { rows: there } = await client.query(
        sql`select 1 from ${tableSql(now.workspace, table)} where _id = ${id}`,
      );
      if (there.length > 0) throw refuse(409, 'This record is back already.', 'Open it in its table.');
      const own = {
        insert: [{ id, values: await standingValues(client, now, table.id, deleted.before, new Set()) }],
        update: [],
        remove: [],
        table,
      };
      const { rows: beside } = await client.query<HistoryEntry>(
        sql`
          select table_id as table, first_id as id, kind, before
          from loom.history
          where batch = ${deleted.batch} and first_id = last_id
        `,
      );
      const edits = [own, ...(await linksBack(client, now, table.id, id, beside))];
      const title = table.title === null ? null : deleted.before[table.title];
      return {
        batch: (
          await applyEdits({ client, access: now, exclusive: true, quiet: true }, edits, {
            kind: 'edit',
            title: `${title == null ? `#${id}` : String(title)} brought back in ${table.label}`,
          })
        ).batch,
      };
    });
  } catch (error) {
    throw constraintRefusal(access, error) ?? error;
  }
}

/** The values that can stand again: fields that are still there, links whose records are. */
async function standingValues(
  client: Client,
  access: WorkspaceAccess,
  tableId: string,
  before: Readonly<Record<string, Scalar>>,
  back: ReadonlySet<string>,
): Promise<StoredValues> {
  const { model } = access.workspace;
  const table = findTable(model, tableId);
  const values = new Map<string, Scalar>();
  for (const [id, value] of Object.entries(before)) {
    const field = table?.fields.find((one) => one.id === id);
    if (!field) continue;
    if (field.type.kind === 'link' && value !== null && !back.has(`${field.type.to} ${String(value)}`)) {
      const target = findTable(model, field.type.to);
      const { rows } = target
        ? await client.query(sql`select 1 from ${tableSql(access.workspace, target)} where _id = ${value}`)
        : { rows: [] };
      if (rows.length === 0) continue;
    }
    values.set(id, value);
  }
  return values;
}

/** The links of other records to one that comes back: pairs that went with it, and links that were cleared. */
async function linksBack(
  client: Client,
  access: WorkspaceAccess,
  tableId: string,
  id: number,
  beside: readonly HistoryEntry[],
): Promise<TableEdits[]> {
  const { model } = access.workspace;
  const edits = new Map<
    string,
    { insert: { id?: number; values: StoredValues }[]; update: { id: number; values: StoredValues }[] }
  >();
  const of = (table: string) => edits.get(table) ?? edits.set(table, { insert: [], update: [] }).get(table);
  for (const entry of beside) {
    const table = findTable(model, entry.table);
    const links = table?.fields.filter(({ type }) => type.kind === 'link' && type.to === tableId) ?? [];
    const pointing = links.filter((link) => entry.before?.[link.id] === id);
    if (!table || pointing.length === 0 || !entry.before) continue;
    if (entry.kind === 'deleted' && table.pairs)
      of(table.id)?.insert.push({
        values: await standingValues(client, access, table.id, entry.before, new Set([`${tableId} ${id}`])),
      });
    if (entry.kind !== 'changed') continue;
    for (const link of pointing) {
      const { rows } = await client.query(
        sql`
          select 1
          from ${tableSql(access.workspace, table)}
          where _id = ${entry.id} and ${identifier(link.key)} is null
        `,
      );
      if (rows.length > 0) of(table.id)?.update.push({ id: entry.id, values: new Map([[link.id, id]]) });
    }
  }
  const whole = ({ values }: { values: StoredValues }, table: string) =>
    (findTable(model, table)?.fields ?? [])
      .filter(({ type }) => type.kind === 'link')
      .every((link) => values.get(link.id) != null);
  return [...edits].map(([table, { insert, update }]) => ({
    table: findTable(model, table) ?? typeMissing(table),
    insert: insert.filter((one) => whole(one, table)),
    update,
    remove: [],
  }));
}

function typeMissing(table: string): never {
  throw new Error(`no table ${table}`);
}
