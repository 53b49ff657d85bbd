import { and, eq, inArray } from 'drizzle-orm';
import type { Change } from '$core/types/change';
import { applyChange, invertChange, isOfRecords } from '$core/changes/change';
import type { FieldId, TableId } from '$core/types/identity';
import { fieldOf, findField, findTable } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import { quoteIdentifier } from '$core/base/sql';
import { stateColumns, withModel, type Home, type WorkspaceAccess } from '../access/workspaceAccess';
import { shadowSchema, homeOf, schemaOf, tableName, tableSql, type WorkspaceState } from '../access/workspaceState';
import { batches, workspaces } from '../database/catalogue';
import { catalogueOn, type Client } from '../database/pool';
import { Refusal, refuse } from '../base/refusal';
import { type Writing } from '../records/applyEdits';
import { holdRules } from '../records/holdRules';
import type { LookedAt } from '../records/sets/lookedAt';
import { requireEntered } from '../records/writeRights';
import { recordBatch } from '../records/recordBatch';
import { writeEdits } from '../records/writeEdits';
import type { BatchInfo, Following, HistoryRow, TableEdits } from '../records/edits';
import { dropAnalystViews, keepAnalystViews } from '../analysts/analystViews';
import { keepComments } from './comments';
import { holdIndexes } from './standingIndexes';
import { copiedTables, copyToShadow, putInPlace, type ShadowTables } from './shadowTables';
import { textSql } from '../fieldTypes/registry';
import { statementsOf, workOf, worksLong } from './changes/changes';
import { primaryKey, rulesOfTable } from './changes/columns';
import type { Converted } from './changes/descriptor';
import type { CopiedValues } from './copyValues';
import { keepAside, type SetAsideRow } from '../records/keepAside';
import { recalculate } from '../records/recalculate';
import { keepTruth } from '../records/routines/triggered';
import { Gathered, type Effects } from '../calculation/effects';
import type { ReceiptFormula } from '$core/transfer/receipt';
import type { SetWork } from '../records/sets/chosen';
import { compareRemembered } from '../records/sets/compareValues';
import type { SetCounts, SetDone } from '../records/sets/outcome';
import { identifier, raw, sql } from '../base/sql';

/** A field that nothing is set aside of any more. */
type Settled = NonNullable<CopiedValues['settles']>;

/** A structure in the making, inside an open transaction that holds the workspace alone. */
export interface StructureChange {
  /** The access with the model as it will be, over the tables that are worked on. */
  readonly access: WorkspaceAccess;
  readonly inverse: readonly Change[];
  /** Indexes and constraints that are still to be built. */
  readonly rules: readonly string[];
  /** What the change did to values, for the recalculation. */
  readonly effects: readonly Effects[];
  readonly anew: ReadonlySet<FieldId>;
  readonly converted: readonly Converted[];
  /** What became of records on the way. */
  readonly history: readonly HistoryRow[];
  /** Values that were set aside, to be kept with the batch. */
  readonly aside: readonly SetAsideRow[];
  /** Fields whose values set aside went on with another field. */
  readonly settled: readonly Settled[];
  /** What the changes of records among them did, by their places. */
  readonly counts: ReadonlyMap<number, SetCounts>;
  /** Records that they wrote, to be looked at once all is calculated. */
  readonly lookedAt: readonly LookedAt[];
  /** Puts what was worked on out of sight in its place; the last thing before the transaction ends. */
  readonly finish: () => Promise<void>;
}

/**
 * Columns and tables of workspaces that wait to be brought back: those of a copy instead of those of the table it will
 * replace.
 */
async function waitingIn(
  client: Client,
  workspace: WorkspaceState,
  { copied }: Pick<ShadowTables, 'copied'>,
): Promise<Set<string>> {
  const homes = [workspace, ...workspace.peers];
  const { rows } = await client.query<{ name: string }>(
    sql`
      select a.attname as name
      from pg_attribute a
      join pg_class c on c.oid = a.attrelid
      join pg_namespace n on n.oid = c.relnamespace
      where n.nspname = any(${homes.flatMap((home) => [home.key, shadowSchema(home)])}) and c.relkind = 'r'
        and not c.oid::bigint = any(${copied.map(({ read }) => read)}) and not a.attisdropped
        and a.attname ~ '^_(bin|was)_'
      union all
      select c.relname
      from pg_class c
      join pg_namespace n on n.oid = c.relnamespace
      where n.nspname = any(${homes.flatMap((home) => [home.key, shadowSchema(home)])})
        and c.relname ~ '^_bin_'
    `,
  );
  return new Set(rows.map(({ name }) => name));
}

const needsBin = (change: Change): boolean =>
  change.do === 'addTable' || change.do === 'addField' || (change.do === 'changeField' && change.restore !== undefined);

const contextOf = (workspace: WorkspaceState) => ({
  homeOf: (table: Table) => homeOf(workspace, table),
  schemaOf: (table: Table) => schemaOf(workspace, table),
});

/**
 * The tables that changes are to be made on shadow those that are read meanwhile: as soon as one of the changes works
 * long, all that the others would shut readers out of. Tables that go to the bin only change their names, at the end.
 */
function tablesWorkedOn(workspace: WorkspaceState, changes: readonly Change[], bin: ReadonlySet<string>): Table[] {
  const worked = new Set<TableId>();
  const going = removedBy(changes);
  let long = false;
  let model = workspace.model;
  for (const change of changes) {
    const applied = applyChange(model, change);
    if (!applied.ok) return [];
    const { shape, rules } = statementsOf(change, {
      ...contextOf(workspace),
      before: model,
      after: applied.value,
      bin,
    });
    if (change.do !== 'addTable' && (shape.length > 0 || rules(applied.value).length > 0 || change.do === 'copyValues'))
      if (change.table !== null && !going.has(change.table)) worked.add(change.table);
    long ||= worksLong(change, model, applied.value, bin);
    model = applied.value;
  }
  return long ? workspace.model.tables.filter(({ id }) => worked.has(id) && findTable(model, id) !== undefined) : [];
}

/** The fields that a change makes. */
const fieldsMade = (change: Change): readonly FieldId[] =>
  change.do === 'addField'
    ? [change.field.id]
    : change.do === 'addTable'
      ? change.table.fields.map(({ id }) => id)
      : [];

/** The tables that go to the bin by changes: whatever else is done to them waits for that. */
const removedBy = (changes: readonly Change[]): ReadonlySet<TableId> =>
  new Set(changes.flatMap((change) => (change.do === 'removeTable' ? [change.table] : [])));

/** A change of the structure of a standing table that goes with the same changes, and whose key no other takes then. */
function waitsForBin(
  workspace: WorkspaceState,
  changes: readonly Change[],
  going: ReadonlySet<TableId>,
  change: Change,
): boolean {
  if (change.do === 'addTable' || change.table === null || isOfRecords(change)) return false;
  const table = findTable(workspace.model, change.table);
  return table !== undefined && going.has(table.id) && !takesKey(changes, table.key);
}

/**
 * Applies changes to the stored structure, one after the other. Indexes and constraints are left for after the records
 * are in; `rules` has them. `finish` ends the work. Where records come and go with the changes it is all done in place:
 * the tables that would be exchanged still hold others to the links they had.
 */
export async function changeStructure(
  { client, access, reportProgress }: Writing,
  changes: readonly Change[],
  { inPlace = false, batch = 0 }: { readonly inPlace?: boolean; readonly batch?: number } = {},
): Promise<StructureChange> {
  const homes = [access.workspace.id, ...access.workspace.peers.map(({ id }) => id)];
  const staysAsItIs = changes.every(isOfRecords);
  if (!staysAsItIs) await dropAnalystViews(client, homes);
  // Records of a table that is exchanged would still be held to those that are deleted elsewhere.
  const worked =
    inPlace || changes.some(({ do: done }) => done === 'removeRecords')
      ? []
      : tablesWorkedOn(access.workspace, changes, await waitingIn(client, access.workspace, { copied: [] }));
  const shadow = await copyToShadow(client, access.workspace, worked, reportProgress);
  const workspace: WorkspaceState = { ...shadow.workspace, uncommitted: true };
  const context = contextOf(workspace);
  let model: Model = workspace.model;
  let inverse: Change[] = [];
  const pending: ((model: Model) => readonly string[])[] = [
    (after) => copiedTables(after, shadow).map((table) => primaryKey(table, context)),
  ];
  const last: string[] = [];
  const effects: Effects[] = [];
  const anew = new Set<FieldId>();
  const converted: Converted[] = [];
  const history: HistoryRow[] = [];
  const aside: SetAsideRow[] = [];
  const settled: Settled[] = [];
  const counts = new Map<number, SetCounts>();
  const lookedAt: LookedAt[] = [];
  const going = removedBy(changes);
  const fresh = new Set<FieldId>();
  let hasRecords = false;
  for (const [index, change] of changes.entries()) {
    await reportProgress?.('change', index, changes.length);
    const applied = applyChange(model, change);
    if (!applied.ok) throw new Refusal(422, { ...applied.problem, at: `/changes/${index}` });
    const after = applied.value;
    const bin = needsBin(change) ? await waitingIn(client, workspace, shadow) : new Set<string>();
    const statements = statementsOf(change, { ...context, before: model, after, bin });
    if (shadow.copied.length > 0 && waitsForBin(workspace, changes, going, change)) last.push(...statements.shape);
    else {
      // A table with checks still to come cannot be changed.
      if (statements.shape.length > 0 && hasRecords) await client.query('set constraints all immediate');
      for (const statement of statements.shape) await client.query(statement);
    }
    pending.push(statements.rules);
    inverse = [...invertChange(model, change), ...inverse];
    const standing = { ...workspace, model: after };
    if (change.do === 'compareValues' && effects.length > 0) {
      // What is compared is what it would be by now.
      const over = { ...access, workspace: standing, whole: standing };
      const run = { client, access: over, exclusive: true, anew };
      history.push(...(await recalculate(run, effects.splice(0))).history);
      anew.clear();
    }
    const worked = await workOf(change, {
      client,
      access: { ...access, workspace: standing, whole: standing },
      before: model,
      bin,
      batch,
      step: index,
      fresh,
    });
    for (const field of fieldsMade(change)) fresh.add(field);
    hasRecords ||= isOfRecords(change);
    effects.push(...(worked.effects ?? []));
    if (worked.counts) counts.set(index, worked.counts);
    lookedAt.push(...(worked.lookedAt ?? []));
    for (const field of worked.anew ?? []) anew.add(field);
    converted.push(...(worked.converted ?? []));
    history.push(...(worked.history ?? []));
    aside.push(...(worked.aside ?? []));
    settled.push(...(worked.settled ?? []));
    model = after;
  }
  pending.push((after) => copiedTables(after, shadow).flatMap((table) => rulesOfTable(table, context, after)));
  const saved = staysAsItIs ? workspace : await saveModel(client, workspace, model);
  const whole = workspace.shadowed ? { ...saved, shadowed: workspace.shadowed } : saved;
  const now: WorkspaceAccess = { ...access, workspace: whole, whole };
  const rules = [...new Set(pending.flatMap((written) => written(model)))];
  return {
    access: now,
    inverse,
    rules,
    effects,
    anew,
    converted,
    history,
    aside,
    settled,
    counts,
    lookedAt,
    finish: async () => {
      if (staysAsItIs) return;
      await putInPlace(client, shadow, last, reportProgress);
      const { shadowed: _, ...standing } = now.workspace;
      await keepComments(client, standing);
      await keepAnalystViews(client, [...new Set([...homes, ...now.workspace.peers.map(({ id }) => id)])]);
    },
  };
}

/** Whether one of the changes gives a table this key. */
const takesKey = (changes: readonly Change[], key: string): boolean =>
  changes.some(
    (change) =>
      (change.do === 'addTable' && change.table.key === key) || (change.do === 'changeTable' && change.set.key === key),
  );

/**
 * Writes each workspace's part of the model back where it differs, and finds out anew which workspaces hang together.
 */
async function saveModel(client: Client, workspace: WorkspaceState, model: Model): Promise<WorkspaceState> {
  const db = catalogueOn(client);
  const homes: readonly Home[] = [workspace, ...workspace.peers];
  for (const home of homes) {
    const own = home.id === workspace.id ? undefined : home.key;
    const before = workspace.model.tables.filter((table) => table.home === own);
    const after = model.tables.filter((table) => table.home === own);
    const parts = own === undefined ? model.parts : model.peerParts?.[own];
    if (before.length === after.length && before.every((table, index) => table === after[index]) && own !== undefined)
      continue;
    const tables = after.map(({ home: _, ...table }) => table);
    const written = await db
      .update(workspaces)
      .set({ model: { tables, ...(parts ? { parts } : {}) }, version: home.version + 1 })
      .where(and(eq(workspaces.id, home.id), eq(workspaces.version, home.version)))
      .returning({ id: workspaces.id });
    // The lock keeps others from getting here; if one did, its structure must not be written over.
    if (written.length === 0)
      throw refuse(409, 'The structure changed while this was done; nothing was kept.', 'Do it again.');
  }
  await saveComponents(client, homes, model, workspace);
  const [row] = await db.select(stateColumns).from(workspaces).where(eq(workspaces.id, workspace.id));
  if (!row) throw refuse(404, 'This workspace is no longer here.');
  return { ...(await withModel(client, row)), uncommitted: true };
}

/** Workspaces that links hang together, each with all the others it reaches. */
async function saveComponents(
  client: Client,
  homes: readonly Home[],
  model: Model,
  workspace: WorkspaceState,
): Promise<void> {
  if (homes.length === 1) return;
  const linked = new Map(homes.map(({ id }) => [id, new Set([id])]));
  const homeId = (key: string | undefined) =>
    homes.find((home) => home.key === (key ?? workspace.key))?.id ?? workspace.id;
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

/** What becomes of records besides, once the structure is changed. */
interface RecordsBesides {
  readonly editsOf?: (access: WorkspaceAccess) => Promise<readonly TableEdits[]>;
  /** Sets of records that are written at once. */
  readonly sets?: (work: SetWork) => Promise<Pick<SetDone, 'effects' | 'anew' | 'lookedAt'>>;
  readonly comeAndGo?: boolean;
}

/** What a change of the structure came to. */
export interface AppliedStructure {
  readonly batch: number;
  readonly access: WorkspaceAccess;
  /** What the changes of records among its changes did, by their places. */
  readonly counts: ReadonlyMap<number, SetCounts>;
  /** Calculated fields that were compared, before and after. */
  readonly compared: readonly ReceiptFormula[];
}

/** A batch whose history is written before all is known of it: \`recordBatch\` says the rest. */
async function beginBatch(client: Client, { workspace }: WorkspaceAccess, { kind, title }: BatchInfo): Promise<number> {
  const [begun] = await catalogueOn(client)
    .insert(batches)
    .values({ workspace: workspace.id, kind, title })
    .returning({ id: batches.id });
  return begun?.id ?? 0;
}

/** Whether a change may make conditions of routines hold of other records than those whose values it says it changed. */
const isMoreThanShown = (change: Change): boolean => !('kind' in change) || change.kind === 'routine';

/** Changes the structure and records with it, works out what is calculated from both, and keeps the batch. */
export async function applyStructure(
  writing: Writing,
  changes: readonly Change[],
  info: BatchInfo,
  { editsOf, sets, comeAndGo = false }: RecordsBesides = {},
): Promise<AppliedStructure> {
  const { client, reportProgress } = writing;
  const homes = [writing.access.workspace, ...writing.access.workspace.peers].map(({ id }) => id);
  if (changes.length > 0 || sets)
    await holdIndexes(
      client,
      homes.toSorted((a, b) => a - b),
    );
  const reserved = sets || changes.some(isOfRecords) ? await beginBatch(client, writing.access, info) : null;
  const made = await changeStructure(writing, changes, {
    inPlace: comeAndGo,
    ...(reserved === null ? {} : { batch: reserved }),
  });
  const besides = await sets?.({ client, access: made.access, batch: reserved ?? 0, step: 0 });
  const run: Following = {
    client,
    access: made.access,
    workspace: made.access.workspace,
    exclusive: true,
    anew: new Set([...made.anew, ...(besides?.anew ?? [])]),
    reportProgress,
  };
  const edits = (await editsOf?.(made.access)) ?? [];
  const written = await writeEdits(run, edits);
  if (made.rules.length > 0 && changes.some(isOfRecords)) await client.query('set constraints all immediate');
  for (const [index, statement] of made.rules.entries()) {
    await reportProgress?.('rules', index, made.rules.length);
    await client.query(statement);
  }
  const effects = [...made.effects, ...(besides?.effects ?? []), ...written.effects];
  const { touched, history, known } = await recalculate(run, effects);
  await keepTruth(run, changes.some(isMoreThanShown) ? null : known);
  const compared: ReceiptFormula[] = [];
  for (const [step, change] of changes.entries())
    if (change.do === 'compareValues')
      compared.push(
        ...(await compareRemembered({ client, access: made.access, batch: reserved ?? 0, step }, change, (field) => {
          const known = findField(writing.access.workspace.model, field);
          return known ? `${known.table.label}.${known.field.label}` : 'a field';
        })),
      );
  const lookedAt = [...made.lookedAt, ...(besides?.lookedAt ?? [])];
  // What is deleted by now is looked at no more.
  const looked = lookedAt.map(({ edit }) => {
    const gone = new Set(lookedAt.flatMap((one) => (one.edit.table === edit.table ? one.edit.remove : [])));
    return gone.size > 0 ? { ...edit, update: edit.update.filter(({ id }) => !gone.has(id)) } : edit;
  });
  const inserted = lookedAt.map(({ inserted: ids }) => ids);
  await requireEntered(client, made.access, looked, inserted);
  await holdRules({ ...writing, access: made.access }, looked, inserted);
  const ofStructure = changes.filter((change) => !isOfRecords(change));
  const changed = new Gathered(effects).changedFields();
  const tables = [
    ...changes.flatMap((change) => (change.do === 'addTable' ? change.table.id : (change.table ?? []))),
    ...[...touched].map(({ id }) => id),
    ...changed.flatMap((id) => findField(made.access.workspace.model, id)?.table.id ?? []),
  ];
  const { batch } = await recordBatch(
    { ...writing, access: made.access },
    {
      ...info,
      ...(ofStructure.length > 0 ? { changes: ofStructure, inverse: made.inverse } : {}),
      ...(reserved === null ? {} : { id: reserved }),
    },
    [...made.history, ...written.history, ...history],
    tables,
  );
  // First: what goes on with another field is set aside anew there.
  for (const { table, field } of made.settled)
    await client.query(
      sql`
        update loom.set_aside a
        set settled_by = ${batch}
        from loom.open_set_aside o
        where o.id = a.id and o.workspace = ${made.access.workspace.id} and o.table_id = ${table}
          and o.field_id = ${field}
      `,
    );
  await keepAside(client, made.access, made.aside, batch);
  for (const one of made.converted) await setMisfitsAside(client, made.access, one, batch);
  await made.finish();
  // By now every table is in its place.
  const { shadowed: _, ...standing } = made.access.workspace;
  const now = { ...made.access, workspace: standing, whole: standing };
  return { batch, access: now, counts: made.counts, compared };
}

/** Keeps the values that did not fit a field's new type, with their record. */
async function setMisfitsAside(
  client: Client,
  access: WorkspaceAccess,
  { field: id, kept, from }: Converted,
  batch: number,
): Promise<void> {
  const { field, table } = fieldOf(access.workspace.model, id);
  const exists = await client.query(
    sql`
      select 1
      from pg_attribute
      where attrelid = ${tableName(access.workspace, table)}::regclass and attname = ${kept}
    `,
  );
  if (exists.rowCount === 0) return;
  const { id: home, zone } = homeOf(access.workspace, table);
  const text = textSql(quoteIdentifier(kept), from, zone);
  await client.query(
    sql`
      insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
      select ${home}, ${batch}, ${table.id}, t._id, ${id}, coalesce(${raw(text)}, ''),
        ${`does not fit the type ${field.type.kind}`}
      from ${tableSql(access.workspace, table)} t
      where ${identifier(kept)} is not null and ${identifier(field.key)} is null
        and not exists (
          select
          from loom.open_set_aside a
          where a.workspace = ${home} and a.table_id = ${table.id} and a.field_id = ${id}
            and a.record_id = t._id and a.text = coalesce(${raw(text)}, '')
        )
    `,
  );
}
