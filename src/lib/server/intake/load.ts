import { sqlTypeOf } from '$core/formula/compiler';
import type { ColumnProfile, IntakeSheet, Proposal, Receipt, SheetMapping, SheetReceipt } from '$core/intake/intake';
import { fieldOf, tableOf, valueTypeOf, type Field, type Table } from '$core/model/model';
import { quoteIdentifier, quoteText } from '$core/sql';
import { canonicalNumber, Exact } from '$core/values/number';
import type { EnteredType, Reading } from '$core/values/value';
import { tableName, type Seat } from '../access/seat';
import type { Client } from '../database/pool';
import { recordBatch, type HistoryRow, type Writing } from '../tables/applyEdits';
import { readSql } from '../tables/conversion';
import { recalculate } from '../tables/recalculate';
import { allCalculated, changeStructure } from '../tables/structure';
import { cleanedSql } from './cleaning';
import { stagedName } from './stage';

export type LoadPhase = 'tables' | 'records' | 'rules' | 'calculation' | 'receipt';

interface LoadedSheet {
  readonly sheet: IntakeSheet;
  readonly mapping: SheetMapping;
  readonly table: Table;
  /** A record's `_id` is this plus its row's number, so staged rows and records find each other without a search. */
  readonly offset: number;
  readonly refused: number;
}

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
  await phase('tables', 0);
  const structure = await changeStructure(writing, proposal.changes);
  const { seat } = structure;
  const loaded: LoadedSheet[] = [];
  for (const mapping of proposal.mappings) {
    const sheet = sheets[mapping.sheet];
    if (sheet) loaded.push(await prepareSheet(client, seat, sheet, mapping));
  }
  for (const [index, one] of loaded.entries()) {
    await phase('records', index);
    await insertSheet(client, seat, one, loaded);
  }
  await phase('rules', 0);
  for (const statement of structure.rules) await client.query(statement);
  await phase('calculation', 0);
  for (const { table } of loaded) for (const field of table.fields) structure.changed.add(field.id, 'all');
  const anew = new Set(
    loaded.length > 0 ? [...allCalculated(seat.workspace.model)].filter((id) => loaded.some(({ table }) => table.fields.some((field) => field.id === id))) : [],
  );
  const touched = await recalculate({ client, workspace: seat.workspace, whole: true, changed: structure.changed, anew });
  const runs = loaded.map(({ table, offset, sheet }): HistoryRow => ({
    table: table.id,
    first: offset + 1,
    last: offset + sheet.rows,
    kind: 'made',
    before: null,
    after: null,
  }));
  const tables = [...loaded.map(({ table }) => table.id), ...[...touched].map(({ id }) => id)];
  const batch = await recordBatch({ ...writing, seat }, { kind: 'load', title, changes: proposal.changes, inverse: structure.inverse }, runs, tables);
  await phase('receipt', 0);
  const receipts: SheetReceipt[] = [];
  for (const one of loaded) receipts.push(await setMisfitsAside(client, seat, one, loaded, batch));
  await structure.finish();
  return { batch, receipt: { dry: false, sheets: receipts, seconds: (performance.now() - started) / 1000 } };
}

async function prepareSheet(client: Client, seat: Seat, sheet: IntakeSheet, mapping: SheetMapping): Promise<LoadedSheet> {
  const table = tableOf(seat.workspace.model, mapping.table);
  const name = tableName(seat.workspace, table);
  const staged = stagedName(sheet.staged);
  // What an earlier load of the same rows refused by its rules is asked anew; rows of a wrong length stay refused.
  await client.query(`update ${staged} set _refused = null where _refused is not null and _refused not like 'has %'`);
  for (const { column, field: id, reading, clean } of mapping.columns) {
    const { field } = fieldOf(seat.workspace.model, id);
    if (field.unique && !sheet.keys.includes(column))
      await client.query(
        `update ${staged} s set _refused = ${quoteText(`“${field.label}” must be unique, and an earlier row has this value`)} from
         (select _row, row_number() over (partition by c${column} order by _row) as n from ${staged} where c${column} is not null and _refused is null) d
         where d._row = s._row and d.n > 1`,
      );
    if (field.required && field.type.kind !== 'link')
      await client.query(
        `update ${staged} set _refused = ${quoteText(`“${field.label}” must be filled`)} where _refused is null and (${readSql(cleanedSql(`c${column}`, clean), field.type as EnteredType, reading)}) is null`,
      );
  }
  const { rows } = await client.query<{ refused: number; next: number }>(
    `select (select count(*) from ${staged} where _refused is not null) as refused, nextval(pg_get_serial_sequence($1, '_id')) as next`,
    [name],
  );
  const { refused = 0, next = 1 } = rows[0] ?? {};
  // The workspace is held alone, so the numbers from `next` on are this load's.
  await client.query(`select setval(pg_get_serial_sequence($1, '_id'), $2, false)`, [name, next + sheet.rows]);
  return { sheet, mapping, table, offset: next - 1, refused };
}

async function insertSheet(client: Client, seat: Seat, { sheet, mapping, table, offset }: LoadedSheet, all: readonly LoadedSheet[]): Promise<void> {
  const joins: string[] = [];
  const columns: string[] = [];
  const values: string[] = [];
  for (const { column, field: id, reading, match, clean } of mapping.columns) {
    const { field } = fieldOf(seat.workspace.model, id);
    columns.push(quoteIdentifier(field.key));
    values.push(
      field.type.kind === 'link'
        ? targetSql(seat, field, cleanedSql(`s.c${column}`, clean), match, joins, all)
        : valueSql(sheet.columns[column], cleanedSql(`s.c${column}`, clean), field.type as EnteredType, reading, clean !== undefined),
    );
  }
  await client.query(
    `insert into ${tableName(seat.workspace, table)} (${['_id', ...columns].join(', ')})
     select ${[`${offset} + s._row`, ...values].join(', ')} from ${stagedName(sheet.staged)} s ${joins.join(' ')} where s._refused is null`,
  );
}

/** Texts that the profile proved castable on every row are cast bare; all others go through the guards of `readSql`. */
function valueSql(profile: ColumnProfile | undefined, text: string, type: EnteredType, reading: Reading, cleaned: boolean): string {
  if (cleaned) return readSql(text, type, reading);
  if (profile?.plain === 'date' && type.kind === 'date') return `${text}::date`;
  const keepsDigits = type.kind === 'number' && (type.digits === null || (profile?.digits ?? Infinity) <= type.digits);
  if (profile?.plain === 'number' && reading.decimal === '.' && keepsDigits) return `${text}::numeric`;
  return readSql(text, type, reading);
}

/** The target's `_id` for a staged text: by its place in the target's own sheet, or in the table that stands already. */
function targetSql(seat: Seat, link: Field, text: string, match: string | undefined, joins: string[], all: readonly LoadedSheet[]): string {
  if (link.type.kind !== 'link' || match === undefined) return `null::bigint`;
  const alias = `k${joins.length}`;
  const { to } = link.type;
  const own = all.find(({ table, mapping }) => table.id === to && mapping.columns.some(({ field }) => field === match));
  const keyColumn = own?.mapping.columns.find(({ field }) => field === match)?.column;
  if (own && keyColumn !== undefined) {
    joins.push(`left join ${stagedName(own.sheet.staged)} ${alias} on ${alias}.c${keyColumn} = ${text} and ${alias}._refused is null`);
    return `${own.offset} + ${alias}._row`;
  }
  const { field: key, table: target } = fieldOf(seat.workspace.model, match);
  joins.push(`left join ${tableName(seat.workspace, target)} ${alias} on ${alias}.${quoteIdentifier(key.key)} = ${readSql(text, key.type as EnteredType)}`);
  return `${alias}._id`;
}

/** What was filled in the file and is blank in the record did not fit: it is set aside, and the receipt counts it. */
async function setMisfitsAside(
  client: Client,
  seat: Seat,
  { sheet, mapping, table, offset, refused }: LoadedSheet,
  all: readonly LoadedSheet[],
  batch: number,
): Promise<SheetReceipt> {
  const staged = stagedName(sheet.staged);
  const name = tableName(seat.workspace, table);
  const reasons: SheetReceipt['reasons'][number][] = [];
  const fields = mapping.columns.map(({ column, field, clean }) => ({
    column,
    text: cleanedSql(`s.c${column}`, clean),
    field: fieldOf(seat.workspace.model, field).field,
  }));
  const checked = fields.filter(({ field }) => field.type.kind !== 'text' || field.type.maxLength !== undefined);
  if (checked.length > 0) {
    const cases = checked.map(
      ({ text, field }) => `(${quoteText(field.id)}, case when t.${quoteIdentifier(field.key)} is null then ${text} end, ${quoteText(reasonFor(field, seat))})`,
    );
    await client.query(
      `insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
       select $1, $2, $3, t._id, m.field, m.text, m.reason from ${staged} s join ${name} t on t._id = s._row + ${offset}
       cross join lateral (values ${cases.join(', ')}) m(field, text, reason)
       where (${checked.map(({ text, field }) => `${text} is not null and t.${quoteIdentifier(field.key)} is null`).join(' or ')}) and m.text is not null`,
      [seat.workspace.id, batch, table.id],
    );
  }
  const aside = await client.query<{ field: string; reason: string; count: number; samples: string[] }>(
    `select field_id as field, reason, count(*) as count, (array_agg(distinct text))[1:5] as samples from loom.set_aside where batch = $1 and table_id = $2 group by 1, 2 order by 3 desc`,
    [batch, table.id],
  );
  for (const row of aside.rows) reasons.push({ ...row, field: fields.find(({ field }) => field.id === row.field)?.field.label ?? '' });
  if (refused > 0) {
    const { rows } = await client.query<{ reason: string; count: number; samples: string[] }>(
      `select _refused as reason, count(*) as count, (array_agg(('row ' || _row) order by _row))[1:5] as samples from ${staged} where _refused is not null group by 1 order by 2 desc`,
    );
    reasons.push(...rows.map((row) => ({ field: '', ...row, reason: `refused: ${row.reason}` })));
  }
  const numbers = fields.filter(({ field }) => field.type.kind === 'number' || (field.type.kind === 'money' && field.type.currency !== null));
  const links = fields.filter(({ field }) => field.type.kind === 'link');
  const totals = await client.query<Record<string, string | number>>(
    `select ${[
      `count(*) as n`,
      ...numbers.map(({ field }, i) => `coalesce(sum(${quoteIdentifier(field.key)}), 0) as s${i}`),
      ...links.map(({ field }, i) => `count(${quoteIdentifier(field.key)}) as l${i}`),
    ].join(', ')} from ${name} where _id between $1 and $2`,
    [offset + 1, offset + sheet.rows],
  );
  const total = totals.rows[0] ?? {};
  const set = await client.query<{ n: number }>('select count(distinct record_id) as n from loom.set_aside where batch = $1 and table_id = $2', [
    batch,
    table.id,
  ]);
  const setAside = set.rows[0]?.n ?? 0;
  return {
    sheet: sheet.name,
    table: table.id,
    tableLabel: table.label,
    read: sheet.rows,
    refused,
    setAside,
    added: Number(total.n) - setAside,
    reasons,
    sums: numbers.map(({ field, column }, i) => ({
      field: field.label,
      read: sheet.columns[column]?.sum ?? '0',
      stored: canonicalNumber(new Exact(String(total[`s${i}`]))),
    })),
    links: links.map(({ field, column }, i) => ({
      field: field.label,
      made: Number(total[`l${i}`]),
      missed: (sheet.columns[column]?.filled ?? 0) - Number(total[`l${i}`]),
    })),
  };
}

function reasonFor(field: Field, seat: Seat): string {
  if (field.type.kind === 'link') return `no record of ${tableOf(seat.workspace.model, field.type.to).label} has this key`;
  if (field.type.kind === 'option') return 'none of the options';
  return `is no ${sqlTypeOf(valueTypeOf(field)) === 'numeric' ? 'number' : field.type.kind === 'yesNo' ? 'yes or no' : field.type.kind}`;
}
