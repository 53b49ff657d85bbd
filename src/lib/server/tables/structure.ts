import { eq, inArray } from 'drizzle-orm';
import { dependsOnDay } from '$core/flow/dependencies';
import type { Change } from '$core/model/change';
import { applyChange, invertChange } from '$core/model/change';
import type { FieldId } from '$core/model/identity';
import { fieldOf, findTable, typeAs, type FieldType, type Model } from '$core/model/model';
import { quoteIdentifier } from '$core/sql';
import { homeOf, tableName, withModel, type Home, type Seat, type WorkspaceState } from '../access/seat';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Client } from '../database/pool';
import { Refusal, refuse } from '../refusal';
import { recordBatch, writeEdits, type BatchInfo, type HistoryRow, type TableEdits, type Writing } from './applyEdits';
import { textSql } from './conversion';
import { keptName, statementsOf, worksOver } from './ddl';
import { copyValues } from './copyValues';
import { mendBeforeRule } from './mend';
import { ChangedValues, recalculate, type Recalculation } from './recalculate';

/** A column that a change of type left behind: what the new one lacks of it did not fit. */
interface Converted {
  readonly field: FieldId;
  readonly kept: string;
  readonly from: FieldType;
}

/** A structure in the making, inside an open transaction that holds the workspace alone. */
export interface StructureChange {
  /** The seat with the model as it will be. */
  readonly seat: Seat;
  readonly inverse: readonly Change[];
  /** Indexes and constraints that are still to be built. */
  readonly rules: readonly string[];
  /** What the change did to values, for the recalculation. */
  readonly changed: ChangedValues;
  readonly anew: ReadonlySet<FieldId>;
  readonly converted: readonly Converted[];
  /** What became of records on the way. */
  readonly history: readonly HistoryRow[];
  /** Values that were set aside, to be kept with the batch. */
  readonly aside: readonly SetAsideRow[];
}

export interface SetAsideRow {
  readonly table: string;
  readonly record: number;
  readonly field: FieldId;
  readonly text: string;
  readonly reason: string;
}

/** Columns and tables of schemas that wait to be brought back. */
async function waitingIn(client: Client, schemas: readonly string[]): Promise<Set<string>> {
  const { rows } = await client.query<{ name: string }>(
    `select a.attname as name from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = any($1) and c.relkind = 'r' and not a.attisdropped and a.attname ~ '^_(bin|was)_'
     union all select c.relname from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = any($1) and c.relname ~ '^_bin_'`,
    [schemas],
  );
  return new Set(rows.map(({ name }) => name));
}

const needsBin = (change: Change): boolean =>
  change.do === 'addTable' || change.do === 'addField' || (change.do === 'changeField' && change.restore !== undefined);

/**
 * Applies changes to the stored structure, one after the other. Indexes and constraints are left for after the records
 * are in; `rules` has them.
 */
export async function changeStructure({ client, seat }: Writing, changes: readonly Change[]): Promise<StructureChange> {
  const { workspace } = seat;
  let model: Model = workspace.model;
  let inverse: Change[] = [];
  const pending: ((model: Model) => readonly string[])[] = [];
  const changed = new ChangedValues();
  const anew = new Set<FieldId>();
  const converted: Converted[] = [];
  const history: HistoryRow[] = [];
  const aside: SetAsideRow[] = [];
  for (const [index, change] of changes.entries()) {
    const applied = applyChange(model, change);
    if (!applied.ok) throw new Refusal(422, { ...applied.problem, at: `/changes/${index}` });
    const after = applied.value;
    const bin = needsBin(change) ? await waitingIn(client, [workspace.key, ...workspace.peers.map(({ key }) => key)]) : new Set<string>();
    const statements = statementsOf(change, { homeOf: (table) => homeOf(workspace, table), before: model, after, bin });
    for (const statement of statements.shape) await client.query(statement);
    pending.push(statements.rules);
    inverse = [...invertChange(model, change), ...inverse];
    if (change.do === 'addField') {
      if (change.field.type.kind === 'formula') anew.add(change.field.id);
      else changed.add(change.field.id, 'all');
    }
    if (change.do === 'changeField' && (change.set.type || change.restore)) {
      const [old, now] = [fieldOf(model, change.field).field, fieldOf(after, change.field).field];
      if (now.type.kind === 'formula') anew.add(now.id);
      else {
        changed.add(now.id, 'all');
        if (change.keep !== undefined && worksOver(change, old, now, bin)) converted.push({ field: now.id, kept: keptName(change.keep), from: old.type });
      }
    }
    const mended = await mendBeforeRule(client, { ...seat, workspace: { ...workspace, model: after } }, change);
    for (const { table, field, id, before, now, text } of mended) {
      history.push({ table, first: id, last: id, kind: 'changed', before: { [field]: before }, after: { [field]: now } });
      if (text !== null) aside.push({ table, record: id, field, text, reason: 'broke a new rule' });
      changed.add(field, [id]);
    }
    if (change.do === 'copyValues') {
      const copied = await copyValues(client, { ...seat, workspace: { ...workspace, model: after } }, change);
      history.push(...copied.history);
      aside.push(...copied.aside);
      for (const field of copied.fields) changed.add(field, 'all');
    }
    model = after;
  }
  const now: Seat = { ...seat, workspace: await saveModel(client, workspace, model) };
  const rules = [...new Set(pending.flatMap((written) => written(model)))];
  return { seat: now, inverse, rules, changed, anew, converted, history, aside };
}

/** Writes each workspace's part of the model back where it differs, and finds out anew which workspaces hang together. */
async function saveModel(client: Client, workspace: WorkspaceState, model: Model): Promise<WorkspaceState> {
  const db = catalogueOn(client);
  const homes: readonly Home[] = [workspace, ...workspace.peers];
  for (const home of homes) {
    const own = home.id === workspace.id ? undefined : home.key;
    const before = workspace.model.tables.filter((table) => table.home === own);
    const after = model.tables.filter((table) => table.home === own);
    if (before.length === after.length && before.every((table, index) => table === after[index]) && own !== undefined) continue;
    const tables = after.map(({ home: _, ...table }) => table);
    await db
      .update(workspaces)
      .set({ model: { tables }, version: home.version + 1 })
      .where(eq(workspaces.id, home.id));
  }
  await saveComponents(client, homes, model, workspace);
  const [row] = await db.select().from(workspaces).where(eq(workspaces.id, workspace.id));
  if (!row) throw refuse(404, 'This workspace is no longer here.');
  return withModel(client, row);
}

/** Workspaces that links hang together, each with all the others it reaches. */
async function saveComponents(client: Client, homes: readonly Home[], model: Model, workspace: WorkspaceState): Promise<void> {
  if (homes.length === 1) return;
  const linked = new Map(homes.map(({ id }) => [id, new Set([id])]));
  const homeId = (key: string | undefined) => homes.find((home) => home.key === (key ?? workspace.key))?.id ?? workspace.id;
  for (const table of model.tables)
    for (const { type } of table.fields) {
      if (type.kind !== 'link') continue;
      const [a, b] = [linked.get(homeId(table.home)), linked.get(homeId(findTable(model, type.to)?.home))];
      if (!a || !b || a === b) continue;
      for (const id of b) a.add(id);
      for (const id of a) linked.set(id, a);
    }
  for (const { id } of homes) {
    const peers = [...(linked.get(id) ?? [])].filter((other) => other !== id).sort((a, b) => a - b);
    await catalogueOn(client)
      .update(workspaces)
      .set({ peers })
      .where(inArray(workspaces.id, [id]));
  }
}

/** Changes the structure and records with it, works out what is calculated from both, and keeps the batch. */
export async function applyStructure(
  writing: Writing,
  changes: readonly Change[],
  info: BatchInfo,
  editsOf: (seat: Seat) => Promise<readonly TableEdits[]> = async () => [],
): Promise<number> {
  const { client } = writing;
  const made = await changeStructure(writing, changes);
  const run: Recalculation = { client, workspace: made.seat.workspace, whole: true, changed: made.changed, anew: made.anew };
  const history: HistoryRow[] = [...made.history];
  const edits = await editsOf(made.seat);
  await writeEdits(run, edits, history);
  for (const statement of made.rules) await client.query(statement);
  const touched = await recalculate(run);
  const tables = [...changes.map((change) => (change.do === 'addTable' ? change.table.id : change.table)), ...[...touched].map(({ id }) => id)];
  const batch = await recordBatch({ ...writing, seat: made.seat }, { ...info, changes, inverse: made.inverse }, history, tables);
  await setAside(client, made.seat, made.aside, batch);
  for (const one of made.converted) await setMisfitsAside(client, made.seat, one, batch);
  return batch;
}

/** Keeps values with their record and reason until they are repaired. */
async function setAside(client: Client, seat: Seat, rows: readonly SetAsideRow[], batch: number): Promise<void> {
  if (rows.length === 0) return;
  const column = (name: keyof SetAsideRow) => rows.map((row) => row[name]);
  await client.query(
    `insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
     select $1, $2, * from unnest($3::text[], $4::bigint[], $5::text[], $6::text[], $7::text[])`,
    [seat.workspace.id, batch, column('table'), column('record'), column('field'), column('text'), column('reason')],
  );
}

/** Keeps the values that did not fit a field's new type, with their record. */
async function setMisfitsAside(client: Client, seat: Seat, { field: id, kept, from }: Converted, batch: number): Promise<void> {
  const { field, table } = fieldOf(seat.workspace.model, id);
  const exists = await client.query(`select 1 from pg_attribute where attrelid = $1::regclass and attname = $2`, [tableName(seat.workspace, table), kept]);
  if (exists.rowCount === 0) return;
  const text = textSql(quoteIdentifier(kept), from, homeOf(seat.workspace, table).zone);
  await client.query(
    `insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
     select $1, $2, $3, _id, $4, coalesce(${text}, ''), $5 from ${tableName(seat.workspace, table)}
     where ${quoteIdentifier(kept)} is not null and ${quoteIdentifier(field.key)} is null`,
    [seat.workspace.id, batch, table.id, id, `does not fit the type ${field.type.kind}`],
  );
}

/** Every calculated field of a workspace, for a recalculation from nothing. */
export const allCalculated = (model: Model): Set<FieldId> =>
  new Set(
    model.tables
      .flatMap(({ fields }) => fields)
      .filter(({ type }) => type.kind === 'formula')
      .map(({ id }) => id),
  );

/** Calculated fields whose value changes when the day does. */
export const dayDependent = (model: Model): Set<FieldId> =>
  new Set([...allCalculated(model)].filter((id) => dependsOnDay(typeAs(fieldOf(model, id).field, 'formula').formula)));
