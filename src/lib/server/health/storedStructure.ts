import { missingIn } from '$core/changes/coherence';
import { isNumbered, isStored } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import type { Client, Pool } from '../database/pool';
import { columnType, sequenceName } from '../sql/column';
import { sql } from '../base/sql';

/** Somewhere the structure that Inner Loom knows and the tables that stand in the database differ. */
export interface StructureDefect {
  readonly table: string;
  readonly words: string;
}

/**
 * A workspace as its row in the catalogue has it: the name of its schema, and the model over it and its linked ones.
 */
export interface Known {
  readonly key: string;
  readonly model: Model;
}

interface Column {
  readonly table: string;
  readonly column: string;
  readonly type: number;
  readonly filled: boolean;
}

interface Constraint {
  readonly table: string;
  readonly name: string;
  readonly kind: 'f' | 'u';
  readonly target: string | null;
}

/**
 * Compares what a model says of a workspace's own tables with the tables that stand: names, columns with their types,
 * what is required, unique or linked, and that numbering goes on behind the greatest number given. Empty where all is
 * well.
 */
export async function structureDefects(connection: Pool | Client, { key, model }: Known): Promise<StructureDefect[]> {
  const tables = model.tables.filter(({ home }) => home === undefined);
  const found: StructureDefect[] = missingIn(model).map((words) => ({ table: '', words: `${words} is missing` }));
  const stands = await standing(connection, key);
  const types = await typeNumbers(connection, tables);
  for (const table of tables) {
    const columns = stands.columns.get(table.key);
    if (columns)
      found.push(...tableDefects(table, columns, stands.constraints.get(table.key) ?? new Map(), types, model, key));
    else found.push({ table: table.label, words: `the table ${key}.${table.key} does not stand in the database` });
  }
  const known = new Set(tables.map((table) => table.key));
  for (const name of stands.columns.keys())
    if (!known.has(name) && !name.startsWith('_bin_'))
      found.push({ table: name, words: 'stands in the database, but is no table of the structure' });
  const numbered = tables.filter((table) => stands.columns.has(table.key));
  for (const table of numbered)
    for (const field of runningNumbers(table))
      if (!stands.sequences.has(sequenceName(field)))
        found.push({ table: table.label, words: `nothing counts the running numbers of ${field.label}` });
  return [...found, ...(await numberingDefects(connection, key, numbered))];
}

function tableDefects(
  table: Table,
  columns: ReadonlyMap<string, Column>,
  constraints: ReadonlyMap<string, Constraint>,
  types: ReadonlyMap<string, number>,
  model: Model,
  schema: string,
): StructureDefect[] {
  const found: StructureDefect[] = [];
  const say = (words: string) => found.push({ table: table.label, words });
  const stored = table.fields.filter(isStored);
  for (const field of stored) {
    const column = columns.get(field.key);
    if (!column) say(`the column of ${field.label} (${field.key}) does not stand in the database`);
    else {
      if (column.type !== types.get(columnType(field)))
        say(`the column of ${field.label} is not of the type ${columnType(field)}`);
      if (column.filled !== (field.required === true))
        say(`${field.label} is ${column.filled ? '' : 'not '}required in the database`);
    }
    if (constraints.has(`${field.id}_unique`) !== field.unique)
      say(`${field.label} is ${field.unique ? 'not ' : ''}unique in the database`);
    if (field.type.kind === 'link') {
      const to = field.type.to;
      const target = model.tables.find(({ id }) => id === to);
      const held = constraints.get(`${field.id}_link`)?.target;
      if (target && held !== `${target.home ?? schema}.${target.key}`)
        say(`the link ${field.label} is not held by the database`);
    }
  }
  const known = new Set([...stored.map((field) => field.key), '_id', '_version']);
  for (const name of columns.keys())
    if (!known.has(name) && !/^_(bin|was)_/.test(name))
      say(`the column ${name} stands in the database, but is no field of the structure`);
  return found;
}

interface Standing {
  readonly columns: ReadonlyMap<string, ReadonlyMap<string, Column>>;
  readonly constraints: ReadonlyMap<string, ReadonlyMap<string, Constraint>>;
  readonly sequences: ReadonlySet<string>;
}

/** What PostgreSQL has in a schema, by table. */
export async function standing(connection: Pool | Client, schema: string): Promise<Standing> {
  const columns = await connection.query<Column>(
    sql`select c.relname as table, a.attname as column, a.atttypid::int as type, a.attnotnull as filled
     from pg_class c join pg_namespace n on n.oid = c.relnamespace join pg_attribute a on a.attrelid = c.oid
     where n.nspname = ${schema} and c.relkind = 'r' and a.attnum > 0 and not a.attisdropped`,
  );
  const constraints = await connection.query<Constraint>(
    sql`select c.relname as table, k.conname as name, k.contype as kind, m.nspname || '.' || t.relname as target
     from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
     left join pg_class t on t.oid = k.confrelid left join pg_namespace m on m.oid = t.relnamespace
     where n.nspname = ${schema} and k.contype in ('f', 'u')`,
  );
  const sequences = await connection.query<{ name: string }>(
    sql`
      select c.relname as name
      from pg_class c
      join pg_namespace n on n.oid = c.relnamespace
      where n.nspname = ${schema} and c.relkind = 'S'
    `,
  );
  return {
    columns: byTable(columns.rows, ({ column }) => column),
    constraints: byTable(constraints.rows, ({ name }) => name),
    sequences: new Set(sequences.rows.map(({ name }) => name)),
  };
}

function byTable<T extends { readonly table: string }>(
  rows: readonly T[],
  name: (row: T) => string,
): Map<string, Map<string, T>> {
  const all = new Map<string, Map<string, T>>();
  for (const row of rows) all.set(row.table, (all.get(row.table) ?? new Map<string, T>()).set(name(row), row));
  return all;
}

/** PostgreSQL's numbers of the types that fields have. */
async function typeNumbers(connection: Pool | Client, tables: readonly Table[]): Promise<Map<string, number>> {
  const names = [...new Set(tables.flatMap(({ fields }) => fields.filter(isStored).map(columnType)))];
  const { rows } = await connection.query<{ name: string; type: number }>(
    sql`select t.name, t.name::regtype::int as type from unnest(${names}::text[]) t(name)`,
  );
  return new Map(rows.map(({ name, type }) => [name, type]));
}

/**
 * Tables whose next record would get a number that was given already; one statement for all, each table by the end of
 * its key.
 */
async function numberingDefects(
  connection: Pool | Client,
  schema: string,
  tables: readonly Table[],
): Promise<StructureDefect[]> {
  if (tables.length === 0) return [];
  const behind = tables.map((table, at) => {
    const name = `${quoteIdentifier(schema)}.${quoteIdentifier(table.key)}`;
    const given = `pg_sequence_last_value(pg_get_serial_sequence(${quoteText(name)}, '_id')::regclass)`;
    return `select ${at} as at where coalesce((select max(_id) from ${name}), 0) > coalesce(${given}, 0)`;
  });
  const { rows } = await connection.query<{ at: number }>(behind.join(' union all '));
  return rows.map(({ at }) => ({
    table: tables[at]?.label ?? '',
    words: 'a new record would get the number of one that stands',
  }));
}

const runningNumbers = (table: Table): Field[] => table.fields.filter(isNumbered);
