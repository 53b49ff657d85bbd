import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { isNumbered, isSystem, isWritten, valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { refuse, Refusal } from '../base/refusal';
import { identifier, join, raw, sql } from '../base/sql';
import { unfitSql } from '../fieldTypes/registry';
import type { Archive } from '../intake/reading/archive';
import { madeRun, type HistoryRow } from '../records/edits';
import { sequenceName } from '../sql/column';
import { recordColumn } from '../export/csv';
import { asideColumns, columnsOf, stagedColumns, type PackedFile } from './descriptor';
import { places, type PackedStructure } from './format';
import { writingSql, type Sheet } from './sheets';

/** No number is as large by itself: what is beyond was put in to use the numbers up. */
const greatestNumber = 1_000_000_000_000;
const staged = 'pg_temp.package_sheet';

export interface LoadedSheet {
  readonly records: number;
  readonly history: readonly HistoryRow[];
  readonly notes: readonly string[];
}

/** The files that records may name, for the transaction. */
export async function stageFiles(client: Client, files: readonly PackedFile[]): Promise<void> {
  await client.query(
    'create temporary table package_files (hash text primary key, size bigint, type text) on commit drop',
  );
  await client.query(sql`
    insert into package_files
    select * from unnest(${files.map(({ hash }) => hash)}::text[], ${files.map(({ size }) => size)}::bigint[],
      ${files.map(({ type }) => type)}::text[])
  `);
}

/** Puts a file of delimited values into a table of texts, as it stands. */
async function stage(client: Client, archive: Archive, part: string, names: readonly string[]): Promise<void> {
  if (!archive.has(part)) throw refuse(422, `${part} is missing in the package.`, 'Send the whole package.');
  await client.query(`drop table if exists ${staged}`);
  await client.query(`create temporary table package_sheet (${stagedColumns(names)}) on commit drop`);
  try {
    await pipeline(
      Readable.from(archive.chunks(part)),
      client.query(copyFrom(`copy ${staged} from stdin (format csv, header match)`)),
    );
  } catch (error) {
    if (error instanceof pg.DatabaseError)
      throw refuse(
        422,
        `${part} cannot be read: ${error.message}${error.where ? ` (${/line \d+/.exec(error.where)?.[0] ?? ''})` : ''}.`,
        'Send the package as it was taken out.',
      );
    throw error;
  }
}

/** Makes the records of a sheet, under the numbers that they had. */
export async function loadSheet(
  client: Client,
  access: WorkspaceAccess,
  sheet: Sheet,
  archive: Archive,
): Promise<LoadedSheet> {
  const { workspace } = access;
  const { table } = sheet;
  const part = places.data(sheet.name);
  await stage(client, archive, part, columnsOf(sheet));
  const notes = table.pairs ? [] : await unknownPeople(client, sheet, part);
  try {
    await client.query(writingSql(sheet, tableName(workspace, table), staged));
  } catch (error) {
    throw misread(error, part) ?? error;
  }
  await requireFit(client, access, sheet, part);
  await client.query(`analyze ${tableName(workspace, table)}`);
  const { rows } = await client.query<{ first: number; last: number; n: number }>(sql`
    select min(_id) as first, max(_id) as last, count(*)::int as n
    from (select _id, _id - row_number() over (order by _id) as run from ${tableSql(workspace, table)}) r
    group by run order by 1
  `);
  return {
    records: table.pairs ? 0 : rows.reduce((sum, { n }) => sum + n, 0),
    history: rows.map(({ first, last }) => madeRun(table.id, first, last)),
    notes,
  };
}

/** A text that is no value of its column, in words. */
function misread(error: unknown, part: string): Refusal | null {
  if (!(error instanceof pg.DatabaseError)) return null;
  const isData = error.code?.startsWith('22') || error.code === '23505' || error.code === '23502';
  return isData
    ? refuse(
        422,
        `${part} holds what is no value of its column: ${error.message}.`,
        'Send the package as it was taken out.',
      )
    : null;
}

/**
 * Texts by which people of another Directory were known, that are nobody’s here. In a field that may be blank they are
 * set aside.
 */
async function unknownPeople(client: Client, { columns, table }: Sheet, part: string): Promise<string[]> {
  const notes: string[] = [];
  const people = columns.filter(({ field }) => valueTypeOf(field).is === 'member');
  if (people.length === 0) return notes;
  const known = raw('(select p.email from loom.people p)');
  const { rowCount } = await client.query(sql`
    select from ${raw(staged)} s
    where ${join(
      people.map(({ name }) => sql`s.${identifier(name)} not in ${known}`),
      ' or ',
    )}
    limit 1
  `);
  if (rowCount === 0) return notes;
  for (const { name, field } of people) {
    const { rows } = await client.query<{ email: string; n: number }>(sql`
      select s.${identifier(name)} as email, count(*)::int as n
      from ${raw(staged)} s
      where s.${identifier(name)} is not null
        and not exists (select from loom.people p where p.email = s.${identifier(name)})
      group by 1 order by 2 desc, 1
    `);
    if (rows.length === 0) continue;
    const names = rows.slice(0, 5).map(({ email }) => email.slice(0, 100));
    const words = `${names.join(', ')}${rows.length > 5 ? ` and ${rows.length - 5} more` : ''}`;
    if (field.required === true)
      throw refuse(
        422,
        `“${field.label}” of ${table.label} is required, and names people who are not in the Directory here: ${words}.`,
        'Invite them, then bring the package in.',
        part,
      );
    notes.push(
      isSystem(field)
        ? `${table.label}: “${field.label}” is blank where it was ${words}, as they are not in the Directory here`
        : `${table.label}: “${field.label}” names people who are not in the Directory here (${words}); that was set aside`,
    );
    if (!isSystem(field)) await keepNames(client, name, field, table.id);
  }
  return notes;
}

/** Kept until there is a batch to set them aside with. */
async function keepNames(client: Client, name: string, field: Field, table: string): Promise<void> {
  await client.query(
    'create temporary table if not exists package_names (table_id text, field_id text, record bigint, text text) on commit drop',
  );
  await client.query(sql`
    insert into package_names
    select ${table}, ${field.id}, s.${identifier(recordColumn)}::bigint, s.${identifier(name)}
    from ${raw(staged)} s
    where s.${identifier(name)} is not null
      and not exists (select from loom.people p where p.email = s.${identifier(name)})
  `);
}

/** Whether a column of files names one that did not come with the package, or says something else of it. */
const unsent = (column: string): string => `exists (
  select from jsonb_array_elements(case when jsonb_typeof(${column}) = 'array' then ${column} end) f
  left join package_files k on k.hash = f.value ->> 'file' and k.type = f.value ->> 'type'
    and to_jsonb(k.size) = f.value -> 'size'
  where k.hash is null
)`;

/** Refuses a sheet with a value that its field could not have. */
async function requireFit(client: Client, { workspace }: WorkspaceAccess, sheet: Sheet, part: string): Promise<void> {
  const checks = sheet.columns.flatMap(({ name, field }) => {
    const column = `t.${quoteIdentifier(field.key)}`;
    const files = valueTypeOf(field).is === 'files' && isWritten(field) ? unsent(column) : null;
    const conditions = [unfitSql(field, column), files].filter((one) => one !== null);
    return conditions.length > 0
      ? [{ name, condition: `(${column} is not null and (${conditions.join(' or ')}))` }]
      : [];
  });
  const cases = checks.map(({ name, condition }) => `when ${condition} then ${quoteText(name)}`).join(' ');
  const { rows } = await client.query<{ id: number; column: string | null }>(sql`
    select t._id as id, ${raw(checks.length > 0 ? `case ${cases} end` : 'null::text')} as column
    from ${tableSql(workspace, sheet.table)} t
    where ${join(
      [sql`t._id not between 1 and ${greatestNumber}`, ...checks.map(({ condition }) => raw(condition))],
      ' or ',
    )}
    limit 1
  `);
  const [bad] = rows;
  if (bad)
    throw refuse(
      422,
      `${part}: ${bad.column === null ? 'the number' : `“${bad.column}”`} of record ${bad.id} is nothing that it could hold.`,
      'Send the package as it was taken out.',
    );
}

/** Sets aside what was set aside, and the people that are nobody’s here; gives what was dropped, in words. */
export async function loadAside(
  client: Client,
  { workspace }: WorkspaceAccess,
  sheets: readonly Sheet[],
  archive: Archive,
  batch: number,
): Promise<string[]> {
  await stage(client, archive, places.aside, asideColumns);
  const fields = sheets.flatMap(({ home, table }) =>
    table.fields.map(({ id, key }) => [home, table.key, key, table.id, id, homeOf(workspace, table).id] as const),
  );
  const column = (at: number) => fields.map((row) => row[at]);
  const { rowCount } = await client.query(sql`
    insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
    select k.id, ${batch}, k.table_id, s.record::bigint, k.field_id, coalesce(s.text, ''), coalesce(s.reason, '')
    from ${raw(staged)} s
    join unnest(${column(0)}::text[], ${column(1)}::text[], ${column(2)}::text[], ${column(3)}::text[], ${column(4)}::text[],
      ${column(5)}::int[]) k(workspace, "table", field, table_id, field_id, id)
      on k.workspace = s.workspace and k."table" = s."table" and k.field = s.field
  `);
  const { rows } = await client.query<{ n: number }>(sql`select count(*)::int as n from ${raw(staged)}`);
  await client.query(
    'create temporary table if not exists package_names (table_id text, field_id text, record bigint, text text) on commit drop',
  );
  await client.query(sql`
    insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)
    select k.id, ${batch}, n.table_id, n.record, n.field_id, n.text, 'is nobody of the Directory here'
    from package_names n
    join unnest(${column(3)}::text[], ${column(4)}::text[], ${column(5)}::int[]) k(table_id, field_id, id)
      on k.table_id = n.table_id and k.field_id = n.field_id
  `);
  for (const { table, columns } of sheets)
    for (const { field } of columns)
      if (valueTypeOf(field).is === 'files')
        await client.query(sql`
          insert into loom.files (workspace, hash, size, type)
          select distinct ${homeOf(workspace, table).id}::int, k.hash, k.size, k.type
          from ${tableSql(workspace, table)} t, jsonb_array_elements(t.${identifier(field.key)}) f
          join package_files k on k.hash = f.value ->> 'file'
          on conflict do nothing
        `);
  const lost = (rows[0]?.n ?? 0) - (rowCount ?? 0);
  return lost > 0 ? [`${lost} values set aside belong to no field of the package`] : [];
}

/** Numbers go on behind those that were given where the package comes from. */
export async function setLastNumbers(
  client: Client,
  { workspace }: WorkspaceAccess,
  { workspaces }: PackedStructure,
  keyOf: (home: string | undefined) => string,
): Promise<void> {
  const set = async (sequence: string, last: number, least: string) => {
    await client.query(sql`
      select setval(${sequence}, greatest(${Math.min(last, greatestNumber)}, ${raw(least)}))
      where greatest(${Math.min(last, greatestNumber)}, ${raw(least)}) > 0
    `);
  };
  for (const table of workspace.model.tables) {
    const last = workspaces.find(({ key }) => key === keyOf(table.home))?.last ?? {};
    const name = tableName(workspace, table);
    const { rows } = await client.query<{ name: string }>(sql`select pg_get_serial_sequence(${name}, '_id') as name`);
    await set(
      rows[0]?.name ?? '',
      table.pairs ? 0 : (last[table.key] ?? 0),
      `(select coalesce(max(_id), 0) from ${name})`,
    );
    for (const field of table.fields)
      if (isNumbered(field))
        await set(
          `${quoteIdentifier(homeOf(workspace, table).key)}.${quoteIdentifier(sequenceName(field))}`,
          last[`${table.key}.${field.key}`] ?? 0,
          '0',
        );
  }
}
