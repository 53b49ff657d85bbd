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
import { checkRules } from '../tables/rules';
import { allCalculated, changeStructure } from '../tables/structure';
import { cleanedSql } from './cleaning';
import { findRecords, typedName, writeInto, type ValueOfColumn } from './intoExisting';
import { stagedName } from './stage';

export type LoadPhase = 'tables' | 'records' | 'rules' | 'calculation' | 'receipt';

export interface LoadedSheet {
  readonly sheet: IntakeSheet;
  readonly mapping: SheetMapping;
  readonly table: Table;
  /** A record's `_id` is this plus its row's number, so staged rows and records find each other without a search. */
  readonly offset: number;
  readonly refused: number;
  /** The standing table it goes into has records of its own. */
  readonly stands: boolean;
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
  // Links into tables that stand are held by rules that are there already, and their targets may come with a later sheet.
  if (proposal.mappings.some(({ into }) => into)) await client.query('set constraints all deferred');
  for (const mapping of proposal.mappings) {
    const sheet = sheets[mapping.sheet];
    if (sheet) loaded.push(await prepareSheet(client, seat, sheet, mapping));
  }
  const met = new Map<LoadedSheet, NonNullable<SheetReceipt['changes']>>();
  const differing: HistoryRow[] = [];
  for (const [index, one] of loaded.entries()) {
    await phase('records', index);
    const outcome = await insertSheet(client, seat, one, loaded, (rows) => {
      differing.push(...rows.map(({ id, before, after }): HistoryRow => ({ table: one.table.id, first: id, last: id, kind: 'changed', before, after })));
      return Promise.resolve();
    });
    if (outcome) met.set(one, outcome);
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
  const batch = await recordBatch(
    { ...writing, seat },
    { kind: 'load', title, changes: proposal.changes, inverse: structure.inverse },
    [...runs, ...differing],
    tables,
  );
  await phase('receipt', 0);
  const receipts: SheetReceipt[] = [];
  for (const one of loaded) {
    const changes = met.get(one);
    const receipt = await setMisfitsAside(client, seat, one, loaded, batch);
    receipts.push(changes ? { ...receipt, changes } : receipt);
  }
  // Rules that the database does not hold by itself, for what was written into tables that stood.
  for (const one of loaded) if (one.stands) await checkWritten(client, seat, one);
  await structure.finish();
  return { batch, receipt: { dry: false, sheets: receipts, seconds: (performance.now() - started) / 1000 } };
}

async function prepareSheet(client: Client, seat: Seat, sheet: IntakeSheet, mapping: SheetMapping): Promise<LoadedSheet> {
  const table = tableOf(seat.workspace.model, mapping.table);
  const name = tableName(seat.workspace, table);
  const staged = stagedName(sheet.staged);
  const { into } = mapping;
  // What an earlier load of the same rows refused by its rules is asked anew; rows of a wrong length stay refused.
  await client.query(`update ${staged} set _refused = null where _refused is not null and _refused not like 'has %'`);
  const loaded = { sheet, mapping, table, offset: 0, refused: 0, stands: into !== undefined };
  for (const { column, field: id } of mapping.columns) {
    const { field } = fieldOf(seat.workspace.model, id);
    if (field.unique && !sheet.keys.includes(column) && !into?.by.includes(id))
      await client.query(
        `update ${staged} s set _refused = ${quoteText(`“${field.label}” must be unique, and an earlier row has this value`)} from
         (select _row, row_number() over (partition by c${column} order by _row) as n from ${staged} where c${column} is not null and _refused is null) d
         where d._row = s._row and d.n > 1`,
      );
  }
  const own = ownValues(seat, loaded);
  if (into) await findRecords(client, seat, loaded, into, own);
  for (const { field, value } of own)
    if (field.required)
      await client.query(
        `update ${staged} s set _refused = ${quoteText(`“${field.label}” must be filled`)} where _refused is null and (${value}) is null${into?.blanks === 'keep' ? ' and _target is null' : ''}`,
      );
  const { rows } = await client.query<{ refused: number; next: number }>(
    `select (select count(*) from ${staged} where _refused is not null) as refused, nextval(pg_get_serial_sequence($1, '_id')) as next`,
    [name],
  );
  const { refused = 0, next = 1 } = rows[0] ?? {};
  // The workspace is held alone, so the numbers from `next` on are this load's.
  await client.query(`select setval(pg_get_serial_sequence($1, '_id'), $2, false)`, [name, next + sheet.rows]);
  return { ...loaded, offset: next - 1, refused };
}

/** The values of a sheet's columns that come from its own texts alone: all but links. */
function ownValues(seat: Seat, { sheet, mapping }: LoadedSheet): ValueOfColumn[] {
  return mapping.columns.flatMap(({ column, field: id, reading, clean }) => {
    const { field } = fieldOf(seat.workspace.model, id);
    if (field.type.kind === 'link') return [];
    const text = cleanedSql(`s.c${column}`, clean);
    return [{ column, field, text, value: valueSql(sheet.columns[column], text, field.type as EnteredType, reading, clean !== undefined) }];
  });
}

/** Writes a sheet's records; for a table that stood, what became of those it had. */
async function insertSheet(
  client: Client,
  seat: Seat,
  loaded: LoadedSheet,
  all: readonly LoadedSheet[],
  remember: Parameters<typeof writeInto>[6],
): Promise<NonNullable<SheetReceipt['changes']> | null> {
  const { sheet, mapping, table, offset } = loaded;
  const joins: string[] = [];
  const own = new Map(ownValues(seat, loaded).map((one) => [one.column, one]));
  const values = mapping.columns.map(({ column, field: id, match, clean }): ValueOfColumn => {
    const known = own.get(column);
    if (known) return known;
    const { field } = fieldOf(seat.workspace.model, id);
    const text = cleanedSql(`s.c${column}`, clean);
    return { column, field, text, value: targetSql(seat, field, text, match, joins, all) };
  });
  if (mapping.into) return writeInto(client, seat, loaded, mapping.into, values, joins, remember);
  await client.query(
    `insert into ${tableName(seat.workspace, table)} (${['_id', ...values.map(({ field }) => quoteIdentifier(field.key))].join(', ')})
     select ${[`${offset} + s._row`, ...values.map(({ value }) => value)].join(', ')} from ${stagedName(sheet.staged)} s ${joins.join(' ')} where s._refused is null`,
  );
  return null;
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
  const found: string[] = [];
  if (own && keyColumn !== undefined) {
    joins.push(`left join ${stagedName(own.sheet.staged)} ${alias} on ${alias}.c${keyColumn} = ${text} and ${alias}._refused is null`);
    found.push(own.stands ? `coalesce(${alias}._target, ${own.offset} + ${alias}._row)` : `${own.offset} + ${alias}._row`);
  }
  if (!own || own.stands) {
    const { field: key, table: target } = fieldOf(seat.workspace.model, match);
    const [name, column] = [tableName(seat.workspace, target), quoteIdentifier(key.key)];
    // Of a value that several records have, none is meant more than another.
    const once = key.unique ? name : `(select ${column}, min(_id) as _id from ${name} where ${column} is not null group by 1 having count(*) = 1)`;
    joins.push(`left join ${once} t${alias} on t${alias}.${column} = ${readSql(text, key.type as EnteredType)}`);
    found.push(`t${alias}._id`);
  }
  return found.length > 1 ? `coalesce(${found.join(', ')})` : (found[0] ?? 'null::bigint');
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
  const checked = fields.flatMap((one, index) => (one.field.type.kind !== 'text' || one.field.type.maxLength !== undefined ? [{ ...one, index }] : []));
  if (checked.length > 0) {
    // Of a table that stood, a record may keep a value where the row's did not fit: what was typed tells, not the record.
    const typed = mapping.into !== undefined;
    const [text, isBlank] = [
      (one: (typeof checked)[number]) => (typed ? `u.t${one.index}` : one.text),
      (one: (typeof checked)[number]) => (typed ? `u.v${one.index} is null` : `t.${quoteIdentifier(one.field.key)} is null`),
    ];
    const cases = checked.map(
      (one) => `(${quoteText(one.field.id)}, case when ${isBlank(one)} then ${text(one)} end, ${quoteText(reasonFor(one.field, seat))})`,
    );
    await client.query(
      `insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
       select $1, $2, $3, ${typed ? 'u._id' : 't._id'}, m.field, m.text, m.reason from ${typed ? `${typedName(mapping.sheet)} u` : `${staged} s join ${name} t on t._id = s._row + ${offset}`}
       cross join lateral (values ${cases.join(', ')}) m(field, text, reason)
       where (${checked.map((one) => `${text(one)} is not null and ${isBlank(one)}`).join(' or ')}) and m.text is not null`,
      [seat.workspace.id, batch, table.id],
    );
  }
  // Several sheets may go into one table: only this one's records are told of.
  const mine = mapping.into ? `record_id in (select _id from ${typedName(mapping.sheet)})` : `record_id between ${offset + 1} and ${offset + sheet.rows}`;
  const aside = await client.query<{ field: string; reason: string; count: number; samples: string[] }>(
    `select field_id as field, reason, count(*) as count, (array_agg(distinct text))[1:5] as samples from loom.set_aside where batch = $1 and table_id = $2 and ${mine} group by 1, 2 order by 3 desc`,
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
  const valueAt = (field: Field) => (mapping.into ? `r.v${fields.findIndex((one) => one.field.id === field.id)}` : `r.${quoteIdentifier(field.key)}`);
  const counts = (where: string) => `count(*) filter (where a.record_id is null${where})`;
  const totals = await client.query<Record<string, string | number>>(
    `select ${[
      `count(a.record_id) as aside`,
      ...(mapping.into
        ? [`${counts(' and not stands')} as added`, `${counts(' and differs')} as changed`, `${counts(' and stands and not differs')} as unchanged`]
        : [`${counts('')} as added`]),
      ...numbers.map(({ field }, i) => `coalesce(sum(${valueAt(field)}), 0) as s${i}`),
      ...links.map(({ field }, i) => `count(${valueAt(field)}) as l${i}`),
    ].join(', ')} from ${mapping.into ? `${typedName(mapping.sheet)} r` : `${name} r`}
     left join (select distinct record_id from loom.set_aside where batch = $1 and table_id = $2) a on a.record_id = r._id${mapping.into ? '' : ` where r._id between ${offset + 1} and ${offset + sheet.rows}`}`,
    [batch, table.id],
  );
  const total = totals.rows[0] ?? {};
  return {
    sheet: sheet.name,
    table: table.id,
    tableLabel: table.label,
    read: sheet.rows,
    refused,
    setAside: Number(total.aside),
    added: Number(total.added),
    ...(mapping.into ? { changed: Number(total.changed), unchanged: Number(total.unchanged) } : {}),
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
