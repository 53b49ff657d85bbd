import { compileCondition, sqlTypeOf, noViewer } from '$core/formula/compiler';
import { fieldOf, findTable, isNumbered, isStored, tableOf, valueTypeOf } from '$core/model/model';
import type { FieldId } from '$core/types/identity';
import { to as copyTo } from 'pg-copy-streams';
import type { Model, Table, TableRule } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { storedKind } from '../fieldTypes/registry';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { schemaOf, tableName, type WorkspaceState } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { asOfNow } from '../database/transaction';
import { sequenceName } from '../sql/column';
import { commentsOf } from '../sql/comments';
import { isHeldByDatabase } from '../records/rules';

/** The workspace's own tables, those of pairs too. */
const tablesOf = ({ tables }: Model): Table[] => tables.filter(({ home }) => home === undefined);

/** Fields that are blank somewhere though they are required: from the day of the rule on only. */
type Blank = ReadonlySet<FieldId>;

/** The statements that make a workspace's tables: what comes before the records, and what after. */
interface Statements {
  readonly before: readonly string[];
  readonly after: readonly string[];
}

function statementsOf({ model, key, label }: WorkspaceState, blank: Blank, isCut: boolean): Statements {
  const own = tablesOf(model);
  const named = (table: Table) => `${quoteIdentifier(table.home ?? key)}.${quoteIdentifier(table.key)}`;
  const ids = new Set(own.map(({ id }) => id));
  const rules = own.flatMap((table) => [
    ...uniqueSql(table, named),
    ...linkSql(model, table, named, ids),
    // What a rule says of a record counts links that are left out here.
    ...(table.rules ?? []).flatMap((rule) =>
      isCut && rule.kind === 'holds' ? [] : ruleSql(model, table, rule, named),
    ),
  ]);
  return {
    before: [
      `-- ${label.replace(/\s+/g, ' ')}`,
      `create schema if not exists ${quoteIdentifier(key)};`,
      ...own.map((table) => tableSql(table, key, named, blank)),
    ],
    after: [...rules, ...own.map((table) => commentSql(model, table, named))],
  };
}

/**
 * The workspace's structure as statements that any PostgreSQL of version 15 or later takes, making the same tables with
 * their keys, links and rules. Calculated fields come as plain columns with their formula as a comment; money of a
 * chosen currency as two columns; people as their numbers.
 */
export function structureSql(workspace: WorkspaceState): string {
  const { before, after } = statementsOf(workspace, new Set(), false);
  return [...before, ...after, ''].join('\n\n');
}

/**
 * The same with the records, for `psql -v ON_ERROR_STOP=1` into an empty database, as of one moment. Whoever sees some
 * records only gets those: a link to another is blank then, and the rules about single records are left out.
 */
export async function* wholeSql(pool: Pool, access: WorkspaceAccess): AsyncGenerator<Uint8Array, void> {
  const { workspace } = access;
  const encoder = new TextEncoder();
  yield* asOfNow(pool, async function* (client) {
    const blank = new Set<FieldId>();
    for (const table of tablesOf(workspace.model)) for (const id of await blankIn(client, access, table)) blank.add(id);
    const { before, after } = statementsOf(workspace, blank, access.cuts !== undefined);
    yield encoder.encode(`begin;\n\n${before.join('\n\n')}\n\n`);
    for (const table of tablesOf(workspace.model)) {
      const { into, from } = copiedColumns(access, table);
      const name = `${quoteIdentifier(workspace.key)}.${quoteIdentifier(table.key)}`;
      yield encoder.encode(`copy ${name} (${into.join(', ')}) from stdin;\n`);
      yield* client.query(
        copyTo(`copy (select ${from.join(', ')} from ${tableName(workspace, table)} r order by r._id) to stdout`),
      ) as AsyncIterable<Buffer>;
      yield encoder.encode(`\\.\n\n${(await sequencesSql(client, workspace, table, name)).join('\n')}\n\n`);
    }
    yield encoder.encode(`${after.join('\n\n')}\n\ncommit;\n`);
  });
}

/** Required fields of a table of which some records have nothing. */
async function blankIn(client: Client, access: WorkspaceAccess, table: Table): Promise<FieldId[]> {
  const needed = table.fields.filter((field) => field.required === true && isStored(field));
  if (needed.length === 0) return [];
  const blanks = needed.map(
    (field, index) => `coalesce(bool_or(${readAs(access, field)} is null), false) as b${index}`,
  );
  const { rows } = await client.query<Record<string, boolean>>(
    `select ${blanks.join(', ')} from ${tableName(access.workspace, table)} r`,
  );
  return needed.flatMap(({ id }, index) => (rows[0]?.[`b${index}`] ? [id] : []));
}

/** How the column of a field is read: a link to a record that is not seen as blank. */
function readAs({ workspace }: WorkspaceAccess, { key, type }: Field): string {
  const column = `r.${quoteIdentifier(key)}`;
  const target = type.kind === 'link' ? findTable(workspace.model, type.to) : undefined;
  const cut = target && workspace.cuts?.of.get(target.id);
  return cut === undefined ? column : `(select x._id from ${cut} x where x._id = ${column})`;
}

/** The columns that records are written into, and what is read for each. */
function copiedColumns(access: WorkspaceAccess, table: Table): { readonly into: string[]; readonly from: string[] } {
  const parts = table.fields.filter(isStored).flatMap((field): [string, string][] => {
    const name = (suffix = '') => quoteIdentifier(`${field.key}${suffix}`.slice(0, 63));
    const column = readAs(access, field);
    return valueTypeOf(field).is === 'money' && storedInTwo(field)
      ? [
          [name(), `(${column}).amount`],
          [name('_currency'), `(${column}).currency`],
        ]
      : [[name(), column]];
  });
  const all = [['_id', 'r._id'], ['_version', 'r._version'], ...parts] as const;
  return { into: all.map(([into]) => into), from: all.map(([, from]) => from) };
}

/** Whether its currency stands beside the amount: where each record chooses it. */
const storedInTwo = (field: Field): boolean => sqlTypeOf(valueTypeOf(field)) === 'loom.money';

/** New records go on after those that came along. */
async function sequencesSql(client: Client, workspace: WorkspaceState, table: Table, name: string): Promise<string[]> {
  const numbered = table.fields.filter(isNumbered);
  const sequences = await Promise.all(
    numbered.map(async (field) => {
      const own = `${quoteIdentifier(schemaOf(workspace, table))}.${quoteIdentifier(sequenceName(field))}`;
      const { rows } = await client.query<{ last: string; called: boolean }>(
        `select last_value::text as last, is_called as called from ${own}`,
      );
      return `select setval(${quoteText(sequenceOf(workspace.key, table, field))}, ${rows[0]?.last ?? 1}, ${rows[0]?.called ?? false});`;
    }),
  );
  const next = `select setval(pg_get_serial_sequence(${quoteText(name)}, '_id'), coalesce(max(_id), 0) + 1, false) from ${name};`;
  return [next, ...sequences];
}

const sequenceOf = (schema: string, table: Table, field: Field): string =>
  `${quoteIdentifier(schema)}.${quoteIdentifier(`${table.key}_${field.key}_seq`.slice(0, 63))}`;

function columnsOf(field: Field, table: Table, schema: string, blank: Blank): string[] {
  const name = (suffix = '') => quoteIdentifier(`${field.key}${suffix}`.slice(0, 63));
  const filled = field.required === true && !blank.has(field.id) ? ' not null' : '';
  const sequence = quoteText(sequenceOf(schema, table, field));
  const { exportedColumns } = storedKind(field.type);
  return (
    exportedColumns?.(name, field.type, { filled, sequence }) ?? [
      `${name()} ${sqlTypeOf(valueTypeOf(field)).replace('loom.money', 'numeric')}${filled}`,
    ]
  );
}

function tableSql(table: Table, schema: string, named: (table: Table) => string, blank: Blank): string {
  const stored = table.fields.filter(isStored);
  const sequences = stored.filter(isNumbered).map((field) => `create sequence ${sequenceOf(schema, table, field)};\n`);
  const columns = stored.flatMap((field) => columnsOf(field, table, schema, blank));
  const lines = [
    '_id bigint generated by default as identity primary key',
    '_version integer not null default 1',
    ...columns,
  ];
  return `${sequences.join('')}create table ${named(table)} (\n  ${lines.join(',\n  ')}\n);`;
}

const uniqueSql = (table: Table, named: (table: Table) => string): string[] =>
  table.fields
    .filter((field) => isStored(field) && field.unique)
    .map(({ key }) => `alter table ${named(table)} add unique (${quoteIdentifier(key)});`);

/**
 * Links come after all tables, as they may run in any order; those to another workspace are left for its own structure.
 */
function linkSql(model: Model, table: Table, named: (table: Table) => string, own: ReadonlySet<string>): string[] {
  return table.fields.flatMap(({ key, type }) => {
    if (type.kind !== 'link' || !own.has(type.to)) return [];
    const column = quoteIdentifier(key);
    return [
      `alter table ${named(table)} add foreign key (${column}) references ${named(tableOf(model, type.to))} (_id) deferrable;\ncreate index on ${named(table)} (${column});`,
    ];
  });
}

function ruleSql(model: Model, table: Table, rule: TableRule, named: (table: Table) => string): string[] {
  if (!isHeldByDatabase(model, rule)) return [];
  if (rule.kind === 'unique')
    return [
      `alter table ${named(table)} add unique (${rule.fields.map((id) => quoteIdentifier(fieldOf(model, id).field.key)).join(', ')});`,
    ];
  const { where } = compileCondition(rule.condition, {
    model,
    nameOf: named,
    today: 'current_date',
    zone: 'UTC',
    viewer: noViewer,
    root: quoteIdentifier(table.key),
    aggregates: 'each',
  });
  // What the formula language brings along is not there in another database.
  return where.includes('loom.') ? [] : [`alter table ${named(table)} add check (${where});`];
}

function commentSql(model: Model, table: Table, named: (table: Table) => string): string {
  const { table: about, columns } = commentsOf(model, table);
  return [
    `comment on table ${named(table)} is ${quoteText(about)};`,
    ...[...columns].map(
      ([column, words]) => `comment on column ${named(table)}.${quoteIdentifier(column)} is ${quoteText(words)};`,
    ),
  ].join('\n');
}
