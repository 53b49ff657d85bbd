import { lastRow, runsOfRows } from '$core/intake/leftOut';
import type { IntakeSheet, Proposal, Receipt, SheetMapping, SheetReceipt } from '$core/intake/intake';
import type { ChangeField } from '$core/types/change';
import type { FieldId } from '$core/types/identity';
import { fieldOf, tableOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { tableName, tableSql } from '../../access/workspaceState';
import type { Client } from '../../database/pool';
import { type Writing } from '../../records/applyEdits';
import { recordBatch } from '../../records/recordBatch';
import { madeRun, type HistoryRow } from '../../records/edits';
import { recalculate } from '../../records/recalculate';
import { keepOutgoing } from '../../records/routines/outgoing';
import { runRoutines } from '../../records/routines/runRoutines';
import { routinesOn } from '../../records/routines/triggered';
import { checkRules } from '../../records/rules';
import { changeStructure } from '../../structure/structure';
import { allCalculated } from '../../calculation/calculatedFields';
import { accountOf, requireSomewhere } from './accounting';
import { cleanedSql } from '../staged/cleaning';
import { growingLists } from './openLists';
import { findRecords, typedName, writeInto } from './intoExisting';
import { reconcile } from './reconcile';
import { stagedName } from '../staged/stagedName';
import { settleMissing, writePairs, type Loading } from './targets';
import type { LoadedSheet } from './loadedSheet';
import { ownValues, valuesOf } from '../staged/sheetValues';
import { raw, sql } from '../../base/sql';

export type LoadPhase = 'tables' | 'records' | 'rules' | 'calculation' | 'receipt';

/**
 * Brings staged sheets in, inside the transaction given: structure, records, then indexes and constraints, calculation,
 * history and what did not fit. Target rows are resolved by their place in the staged sheets, so links may run in any
 * order, mutual and to the same table included.
 */
export async function loadSheets(
  writing: Writing,
  sheets: readonly IntakeSheet[],
  proposal: Proposal,
  title: string,
  phase: (phase: LoadPhase, done: number) => Promise<void>,
): Promise<{ batch: number; receipt: Receipt }> {
  const started = performance.now();
  const { client } = writing;
  requireSomewhere(sheets, proposal);
  await phase('tables', 0);
  const grown = await growingLists(client, writing.access, sheets, proposal);
  const changes = [...proposal.changes, ...grown];
  const structure = await changeStructure(writing, changes);
  const { access } = structure;
  const loaded: LoadedSheet[] = [];
  // Links into tables that stand are held by rules that are there already, and their targets may come with a later
  // sheet.
  if (proposal.mappings.some(({ into }) => into)) await client.query('set constraints all deferred');
  for (const mapping of proposal.mappings) {
    const sheet = sheets[mapping.sheet];
    if (sheet) loaded.push(await prepareSheet(client, access, sheet, mapping));
  }
  const loading: Loading = { client, access, all: loaded, created: new Set() };
  const missing = await settleMissing(loading);
  const records = await loadRecords(loading, (done) => phase('records', done));
  await phase('rules', 0);
  for (const statement of structure.rules) await client.query(statement);
  await phase('calculation', 0);
  const fields = [...records.written].flatMap((table) => table.fields.map(({ id }) => id));
  const { touched, history, known } = await recalculate(
    { client, access, exclusive: true, anew: anewOf(loading, fields) },
    [...structure.effects, { changed: fields.map((field) => [field, 'all'] as const) }],
  );
  const info = { kind: 'load', title, changes, inverse: structure.inverse } as const;
  const written = [...missing.map(({ target, first, last }) => madeRun(target.id, first, last)), ...records.history];
  const { batch } = await recordBatch(
    { ...writing, access },
    info,
    [...written, ...history],
    [...records.written, ...touched].map(({ id }) => id),
  );
  await phase('receipt', 0);
  const receipts: SheetReceipt[] = [];
  for (const one of loaded) {
    const standing = records.changes.get(one);
    const receipt = await reconcile(loading, one, batch);
    const cells = await accountOf({ loading, loaded: one, batch, sheets, proposal }, receipt);
    receipts.push({
      ...receipt,
      cells,
      ...(standing ? { changes: standing } : {}),
      ...some('newOptions', addedOptions(writing.access, one.table, grown)),
      ...some('madeBeside', madeBeside(missing, one)),
      ...some('notes', one.sheet.notes),
    });
  }
  // Rules that the database does not hold by itself, for what was written into tables that stood.
  for (const one of loaded) if (one.stands) await checkWritten(client, access, one);
  // Once all is accounted for, as they may change what was loaded.
  if (routinesOn(access.workspace.model).length > 0) {
    const following = { ...writing, access, workspace: access.workspace };
    const ran = await runRoutines(following, { known, history: written, form: null });
    const tables = [...ran.touched].map(({ id }) => id);
    if (ran.runs.length > 0)
      await recordBatch({ ...writing, access }, { ...info, id: batch, runs: ran.runs }, ran.history, tables);
    await keepOutgoing(following, batch, ran.outgoing);
  }
  await structure.finish();
  return { batch, receipt: { dry: false, sheets: receipts, seconds: (performance.now() - started) / 1000 } };
}

/** A part of a receipt, where there is anything of it. */
const some = <K extends string, T>(key: K, list: readonly T[]) =>
  (list.length > 0 ? { [key]: list } : {}) as { readonly [Key in K]?: readonly T[] };

/** The calculated fields of tables that were loaded into are worked out for all of their records. */
const anewOf = ({ access, all }: Loading, fields: readonly FieldId[]): ReadonlySet<FieldId> => {
  const own = new Set(fields);
  return new Set(all.length > 0 ? [...allCalculated(access.workspace.model)].filter((id) => own.has(id)) : []);
};

/** Records that were made as targets of a sheet's links. */
const madeBeside = (missing: Awaited<ReturnType<typeof settleMissing>>, one: LoadedSheet) =>
  missing
    .filter(({ loaded }) => loaded === one)
    .map(({ field, target, first, last }) => ({ field: field.label, table: target.label, count: last - first + 1 }));

type Changes = NonNullable<SheetReceipt['changes']>;

/** Writes the records of all sheets and the pairs of their links to many. */
async function loadRecords(
  loading: Loading,
  progress: (done: number) => Promise<void>,
): Promise<{
  readonly written: ReadonlySet<Table>;
  readonly history: readonly HistoryRow[];
  /** What became of the records that stood, by sheet. */
  readonly changes: ReadonlyMap<LoadedSheet, Changes>;
}> {
  const made: HistoryRow[] = [];
  const changed: HistoryRow[] = [];
  const changes = new Map<LoadedSheet, Changes>();
  const written = new Set<Table>();
  for (const [index, one] of loading.all.entries()) {
    await progress(index);
    const { table, offset, sheet } = one;
    const outcome = await insertSheet(loading, one, (rows) => {
      for (const { id, before, after } of rows)
        changed.push({ table: table.id, first: id, last: id, kind: 'changed', before, after });
      return Promise.resolve();
    });
    if (outcome) changes.set(one, outcome);
    for (const [first, last] of runsOfRows(sheet)) made.push(madeRun(table.id, offset + first, offset + last));
    written.add(table);
  }
  for (const id of loading.created) written.add(tableOf(loading.access.workspace.model, id));
  for (const one of loading.all)
    for (const { table, history } of await writePairs(loading, one)) {
      written.add(table);
      for (const row of history) (row.kind === 'made' ? made : changed).push(row);
    }
  return { written, history: [...made, ...changed], changes };
}

/** The words that open lists of a table got, by field. */
const addedOptions = (
  access: WorkspaceAccess,
  table: Table,
  grown: readonly ChangeField[],
): NonNullable<SheetReceipt['newOptions']> =>
  grown.flatMap(({ table: id, field, set: { type } }) => {
    if (id !== table.id || (type?.kind !== 'option' && type?.kind !== 'options')) return [];
    const { field: before } = fieldOf(access.workspace.model, field);
    const known = before.type.kind === 'option' || before.type.kind === 'options' ? before.type.options.length : 0;
    return [{ field: before.label, options: type.options.slice(known).map(({ label }) => label) }];
  });

async function prepareSheet(
  client: Client,
  access: WorkspaceAccess,
  sheet: IntakeSheet,
  mapping: SheetMapping,
): Promise<LoadedSheet> {
  const table = tableOf(access.workspace.model, mapping.table);
  const name = tableName(access.workspace, table);
  const staged = stagedName(sheet.staged);
  const { into } = mapping;
  // What an earlier load of the same rows refused by its rules is asked anew; rows of a wrong length stay refused.
  await client.query(sql`update ${raw(staged)} set _refused = _unreadable where _refused is distinct from _unreadable`);
  const loaded = { sheet, mapping, table, offset: 0, stands: into !== undefined };
  for (const { column, field: id, clean } of mapping.columns) {
    const { field } = fieldOf(access.workspace.model, id);
    const text = cleanedSql('s', column, clean);
    if (field.unique && (!sheet.unique.includes(column) || clean?.formula) && !into?.by.includes(id))
      await client.query(
        sql`
          update ${raw(staged)} s
          set _refused = ${raw(quoteText(`“${field.label}” must be unique, and an earlier row has this value`))}
          from (
            select _row, row_number() over (partition by ${raw(text)} order by _row) as n
            from ${raw(staged)} s
            where ${raw(text)} is not null and _refused is null
          ) d
          where d._row = s._row and d.n > 1
        `,
      );
  }
  const own = ownValues(access, loaded);
  if (into) await findRecords(client, access, loaded, into, own);
  for (const { field, value } of own)
    if (field.required)
      await client.query(
        sql`
          update ${raw(staged)} s
          set _refused = ${raw(quoteText(`“${field.label}” is required`))}
          where _refused is null
            and (${raw(value)}) is null${raw(into?.blanks === 'keep' ? ' and _target is null' : '')}
        `,
      );
  const { rows } = await client.query<{ next: number }>(
    sql`select nextval(pg_get_serial_sequence(${name}, '_id')) as next`,
  );
  const { next = 1 } = rows[0] ?? {};
  // The workspace is held alone, so the numbers from `next` on are this load's: given as if they had been asked for.
  if (sheet.rows > 0)
    await client.query(sql`select setval(pg_get_serial_sequence(${name}, '_id'), ${next + lastRow(sheet) - 1})`);
  return { ...loaded, offset: next - 1 };
}

/** Writes a sheet's records; for a table that stood, what became of those it had. */
async function insertSheet(
  loading: Loading,
  loaded: LoadedSheet,
  remember: Parameters<typeof writeInto>[6],
): Promise<NonNullable<SheetReceipt['changes']> | null> {
  const { client, access } = loading;
  const { sheet, mapping, table, offset } = loaded;
  const { values, joins } = valuesOf(loading, loaded);
  if (mapping.into) return writeInto(client, access, loaded, mapping.into, values, joins, remember);
  await client.query(
    sql`
      insert into ${tableSql(access.workspace, table)} (
        ${raw(['_id', ...values.map(({ field }) => quoteIdentifier(field.key))].join(', '))}
      )
      select ${raw([`${offset} + s._row`, ...values.map(({ value }) => value)].join(', '))}
      from ${raw(stagedName(sheet.staged))} s ${raw(joins.join(' '))}
      where s._refused is null
    `,
  );
  return null;
}

async function checkWritten(client: Client, access: WorkspaceAccess, { mapping, table }: LoadedSheet): Promise<void> {
  const { rows } = await client.query<{ id: number }>(sql`
    select _id as id from ${raw(typedName(mapping.sheet))}
  `);
  await checkRules(
    client,
    access,
    table,
    rows.map(({ id }) => id),
    null,
  );
}
