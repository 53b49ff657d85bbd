import { eq } from 'drizzle-orm';
import { dependsOnDay } from '$core/flow/dependencies';
import type { Change } from '$core/model/change';
import { applyChange, invertChange } from '$core/model/change';
import type { FieldId } from '$core/model/identity';
import { fieldOf, typeAs, type Model } from '$core/model/model';
import { quoteIdentifier } from '$core/sql';
import { tableName, type Seat } from '../access/seat';
import { workspaces } from '../database/catalogue';
import { catalogueOn, type Client } from '../database/pool';
import { Refusal } from '../refusal';
import { recordBatch, type BatchInfo, type HistoryRow, type Writing } from './applyEdits';
import { changesValues, keptName, statementsOf } from './ddl';
import { ChangedValues, recalculate } from './recalculate';

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
  /** Columns with what was there before a change of type: what the new column lacks of it did not fit. */
  readonly converted: readonly { readonly field: FieldId; readonly kept: string }[];
}

/** Columns and tables of a schema that wait to be brought back. */
async function waitingIn(client: Client, schema: string): Promise<Set<string>> {
  const { rows } = await client.query<{ name: string }>(
    `select a.attname as name from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = $1 and c.relkind = 'r' and not a.attisdropped and a.attname ~ '^_(bin|was)_'
     union all select c.relname from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = $1 and c.relname ~ '^_bin_'`,
    [schema],
  );
  return new Set(rows.map(({ name }) => name));
}

/**
 * Applies changes to the stored structure, one after the other. With `rules: 'later'` (a load) indexes and constraints
 * are left for after the records are in.
 */
export async function changeStructure({ client, seat }: Writing, changes: readonly Change[], rules: 'now' | 'later'): Promise<StructureChange> {
  const schema = seat.workspace.key;
  let model: Model = seat.workspace.model;
  let inverse: Change[] = [];
  const later: string[] = [];
  const changed = new ChangedValues();
  const anew = new Set<FieldId>();
  const converted: { field: FieldId; kept: string }[] = [];
  for (const [index, change] of changes.entries()) {
    const applied = applyChange(model, change);
    if (!applied.ok) throw new Refusal(422, { ...applied.problem, at: `/changes/${index}` });
    const bin = await waitingIn(client, schema);
    const statements = statementsOf(change, { schema, before: model, after: applied.value, bin });
    for (const statement of statements.shape) await client.query(statement);
    if (rules === 'later') later.push(...statements.rules);
    else for (const statement of statements.rules) await client.query(statement);
    inverse = [...invertChange(model, change), ...inverse];
    if (change.do === 'addField') {
      if (change.field.type.kind === 'formula') anew.add(change.field.id);
      else changed.add(change.field.id, 'all');
    }
    if (change.do === 'changeField' && change.set.type) {
      const [old, now] = [fieldOf(model, change.field).field, fieldOf(applied.value, change.field).field];
      if (now.type.kind === 'formula') anew.add(now.id);
      else {
        changed.add(now.id, 'all');
        if (changesValues(old, now)) converted.push({ field: now.id, kept: keptName(old.id, old.type.kind) });
      }
    }
    model = applied.value;
  }
  const version = seat.workspace.version + 1;
  await catalogueOn(client).update(workspaces).set({ model, version }).where(eq(workspaces.id, seat.workspace.id));
  const now: Seat = { ...seat, workspace: { ...seat.workspace, model, version } };
  return { seat: now, inverse, rules: later, changed, anew, converted };
}

/** Changes the structure, works out what is calculated from it, and keeps the batch. */
export async function applyStructure(writing: Writing, changes: readonly Change[], info: BatchInfo, history: readonly HistoryRow[] = []): Promise<number> {
  const made = await changeStructure(writing, changes, 'now');
  const run = { client: writing.client, workspace: made.seat.workspace, whole: true, changed: made.changed, anew: made.anew };
  const touched = await recalculate(run);
  const tables = [...changes.map((change) => (change.do === 'addTable' ? change.table.id : change.table)), ...[...touched].map(({ id }) => id)];
  const batch = await recordBatch({ ...writing, seat: made.seat }, { ...info, changes, inverse: made.inverse }, history, tables);
  for (const { field, kept } of made.converted) await setMisfitsAside(writing.client, made.seat, field, kept, batch);
  return batch;
}

/** Keeps the values that did not fit a field's new type, with their record. */
async function setMisfitsAside(client: Client, seat: Seat, id: FieldId, kept: string, batch: number): Promise<void> {
  const { field, table } = fieldOf(seat.workspace.model, id);
  const exists = await client.query(`select 1 from pg_attribute where attrelid = $1::regclass and attname = $2`, [tableName(seat.workspace, table), kept]);
  if (exists.rowCount === 0) return;
  await client.query(
    `insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
     select $1, $2, $3, _id, $4, ${quoteIdentifier(kept)}::text, $5 from ${tableName(seat.workspace, table)}
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
