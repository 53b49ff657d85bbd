import type { IntakeSheet, Proposal, Receipt, SheetMapping, SheetReceipt } from '$core/intake/intake';
import type { ChangeField } from '$core/types/change';
import { fieldOf, tableOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import { quoteIdentifier, quoteText } from '$core/sql';
import { tableName, type Seat } from '../../access/seat';
import type { Client } from '../../database/pool';
import { recordBatch, type Writing } from '../../records/applyEdits';
import type { HistoryRow } from '../../records/edits';
import { recalculate } from '../../calculation/recalculate';
import { checkRules } from '../../records/rules';
import { changeStructure } from '../../structure/structure';
import { allCalculated } from '../../calculation/calculatedFields';
import { accountOf, requireSomewhere } from './accounting';
import { cleanedSql } from '../staged/cleaning';
import { growingLists } from './openLists';
import { findRecords, typedName, writeInto } from './intoExisting';
import { reconcile } from './reconcile';
import { stagedName } from '../staged/stage';
import { settleMissing, writePairs, type Loading } from './targets';
import type { LoadedSheet } from './loadedSheet';
import { ownValues, valuesOf } from '../staged/sheetValues';

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
  const grown = await growingLists(client, writing.seat, sheets, proposal);
  const changes = [...proposal.changes, ...grown];
  const structure = await changeStructure(writing, changes);
  const { seat } = structure;
  const loaded: LoadedSheet[] = [];
  // Links into tables that stand are held by rules that are there already, and their targets may come with a later
  // sheet.
  if (proposal.mappings.some(({ into }) => into)) await client.query('set constraints all deferred');
  for (const mapping of proposal.mappings) {
    const sheet = sheets[mapping.sheet];
    if (sheet) loaded.push(await prepareSheet(client, seat, sheet, mapping));
  }
  const loading: Loading = { client, seat, all: loaded, created: new Set() };
  const targets = await settleMissing(loading);
  const runs = targets.map(({ target, first, last }): HistoryRow => ({
    table: target.id,
    first,
    last,
    kind: 'made',
    before: null,
    after: null,
  }));
  const met = new Map<LoadedSheet, NonNullable<SheetReceipt['changes']>>();
  const differing: HistoryRow[] = [];
  for (const [index, one] of loaded.entries()) {
    await phase('records', index);
    const outcome = await insertSheet(loading, one, (rows) => {
      differing.push(
        ...rows.map(({ id, before, after }): HistoryRow => ({
          table: one.table.id,
          first: id,
          last: id,
          kind: 'changed',
          before,
          after,
        })),
      );
      return Promise.resolve();
    });
    if (outcome) met.set(one, outcome);
    runs.push({
      table: one.table.id,
      first: one.offset + 1,
      last: one.offset + one.sheet.rows,
      kind: 'made',
      before: null,
      after: null,
    });
  }
  const written = new Set([
    ...loaded.map(({ table }) => table),
    ...[...loading.created].map((id) => tableOf(seat.workspace.model, id)),
  ]);
  for (const one of loaded)
    for (const { table, history } of await writePairs(loading, one)) {
      written.add(table);
      for (const row of history) (row.kind === 'made' ? runs : differing).push(row);
    }
  await phase('rules', 0);
  for (const statement of structure.rules) await client.query(statement);
  await phase('calculation', 0);
  for (const table of written) for (const field of table.fields) structure.changed.add(field.id, 'all');
  const own = new Set([...written].flatMap(({ fields }) => fields.map(({ id }) => id)));
  const anew = new Set(loaded.length > 0 ? [...allCalculated(seat.workspace.model)].filter((id) => own.has(id)) : []);
  const touched = await recalculate({
    client,
    workspace: seat.workspace,
    whole: true,
    changed: structure.changed,
    anew,
  });
  const tables = [...[...written].map(({ id }) => id), ...[...touched].map(({ id }) => id)];
  const batch = await recordBatch(
    { ...writing, seat },
    { kind: 'load', title, changes, inverse: structure.inverse },
    [...runs, ...differing],
    tables,
  );
  await phase('receipt', 0);
  const receipts: SheetReceipt[] = [];
  for (const one of loaded) {
    const standing = met.get(one);
    const receipt = await reconcile(loading, one, batch);
    const cells = await accountOf(loading, one, batch, receipt, sheets, proposal);
    const newOptions = addedOptions(writing.seat, one.table, grown);
    const madeBeside = targets
      .filter(({ loaded: own }) => own === one)
      .map(({ field, target, first, last }) => ({ field: field.label, table: target.label, count: last - first + 1 }));
    receipts.push({
      ...receipt,
      cells,
      ...(standing ? { changes: standing } : {}),
      ...(newOptions.length > 0 ? { newOptions } : {}),
      ...(madeBeside.length > 0 ? { madeBeside } : {}),
      ...(one.sheet.notes.length > 0 ? { notes: one.sheet.notes } : {}),
    });
  }
  // Rules that the database does not hold by itself, for what was written into tables that stood.
  for (const one of loaded) if (one.stands) await checkWritten(client, seat, one);
  await structure.finish();
  return { batch, receipt: { dry: false, sheets: receipts, seconds: (performance.now() - started) / 1000 } };
}

/** The words that open lists of a table got, by field. */
const addedOptions = (
  seat: Seat,
  table: Table,
  grown: readonly ChangeField[],
): NonNullable<SheetReceipt['newOptions']> =>
  grown.flatMap(({ table: id, field, set: { type } }) => {
    if (id !== table.id || (type?.kind !== 'option' && type?.kind !== 'options')) return [];
    const { field: before } = fieldOf(seat.workspace.model, field);
    const known = before.type.kind === 'option' || before.type.kind === 'options' ? before.type.options.length : 0;
    return [{ field: before.label, options: type.options.slice(known).map(({ label }) => label) }];
  });

async function prepareSheet(
  client: Client,
  seat: Seat,
  sheet: IntakeSheet,
  mapping: SheetMapping,
): Promise<LoadedSheet> {
  const table = tableOf(seat.workspace.model, mapping.table);
  const name = tableName(seat.workspace, table);
  const staged = stagedName(sheet.staged);
  const { into } = mapping;
  // What an earlier load of the same rows refused by its rules is asked anew; rows of a wrong length stay refused.
  await client.query(`update ${staged} set _refused = null where _refused is not null and _refused not like 'has %'`);
  const loaded = { sheet, mapping, table, offset: 0, stands: into !== undefined };
  for (const { column, field: id, clean } of mapping.columns) {
    const { field } = fieldOf(seat.workspace.model, id);
    const text = cleanedSql('s', column, clean);
    if (field.unique && (!sheet.keys.includes(column) || clean?.formula) && !into?.by.includes(id))
      await client.query(
        `update ${staged} s set _refused = ${quoteText(`“${field.label}” must be unique, and an earlier row has this value`)} from
         (select _row, row_number() over (partition by ${text} order by _row) as n from ${staged} s where ${text} is not null and _refused is null) d
         where d._row = s._row and d.n > 1`,
      );
  }
  const own = ownValues(seat, loaded);
  if (into) await findRecords(client, seat, loaded, into, own);
  for (const { field, value } of own)
    if (field.required)
      await client.query(
        `update ${staged} s set _refused = ${quoteText(`“${field.label}” is required`)} where _refused is null and (${value}) is null${into?.blanks === 'keep' ? ' and _target is null' : ''}`,
      );
  const { rows } = await client.query<{ next: number }>(`select nextval(pg_get_serial_sequence($1, '_id')) as next`, [
    name,
  ]);
  const { next = 1 } = rows[0] ?? {};
  // The workspace is held alone, so the numbers from `next` on are this load's: given as if they had been asked for.
  if (sheet.rows > 0)
    await client.query(`select setval(pg_get_serial_sequence($1, '_id'), $2)`, [name, next + sheet.rows - 1]);
  return { ...loaded, offset: next - 1 };
}

/** Writes a sheet's records; for a table that stood, what became of those it had. */
async function insertSheet(
  loading: Loading,
  loaded: LoadedSheet,
  remember: Parameters<typeof writeInto>[6],
): Promise<NonNullable<SheetReceipt['changes']> | null> {
  const { client, seat } = loading;
  const { sheet, mapping, table, offset } = loaded;
  const { values, joins } = valuesOf(loading, loaded);
  if (mapping.into) return writeInto(client, seat, loaded, mapping.into, values, joins, remember);
  await client.query(
    `insert into ${tableName(seat.workspace, table)} (${['_id', ...values.map(({ field }) => quoteIdentifier(field.key))].join(', ')})
     select ${[`${offset} + s._row`, ...values.map(({ value }) => value)].join(', ')} from ${stagedName(sheet.staged)} s ${joins.join(' ')} where s._refused is null`,
  );
  return null;
}

async function checkWritten(client: Client, seat: Seat, { mapping, table }: LoadedSheet): Promise<void> {
  const { rows } = await client.query<{ id: number }>(`select _id as id from ${typedName(mapping.sheet)}`);
  await checkRules(
    client,
    seat,
    table,
    rows.map(({ id }) => id),
    null,
  );
}
