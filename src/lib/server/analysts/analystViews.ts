import { eq, inArray } from 'drizzle-orm';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { isToMany, linkedTable, ownTables, valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { analystAccess, stateColumns, withModel, type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf } from '../access/workspaceState';
import { roleNamed } from '../access/limits';
import { log } from '../base/log';
import { identifier, join, sql } from '../base/sql';
import { analysts, workspaces } from '../database/catalogue';
import { catalogueOn, type Client } from '../database/pool';
import { textSql } from '../fieldTypes/registry';
import { Selection } from '../query/selection';
import { fieldComment, tableComment } from '../sql/comments';

type AnalystRow = typeof analysts.$inferSelect;

/** What a column of a view is: its name, how it is read, and what is said of it. */
interface ViewColumn {
  readonly name: string;
  readonly expression: string;
  readonly comment: string;
}

/** PostgreSQL keeps so many bytes of a name, and so many columns of a view. */
const mostName = 63;
const mostColumns = 1_600;

/** Names that are each there once, as long as they may be; taken ones get a number. */
function namesTaken(): (wanted: string) => string {
  const taken = new Set<string>();
  return (wanted) => {
    for (let number = 1; ; number++) {
      const end = number === 1 ? '' : ` ${number}`;
      let name = wanted;
      while (Buffer.byteLength(name + end) > mostName) name = name.slice(0, -1);
      if (taken.has(name + end)) continue;
      taken.add(name + end);
      return name + end;
    }
  };
}

/**
 * The tables of a workspace as an analyst reads them, as statements: a view for each table that the role sees, with the
 * records that it sees. Options stand as their labels, links as titles beside the numbers of the records, money as
 * amount and currency; all else as it is stored, so that it can be reckoned with.
 */
function viewStatements(access: WorkspaceAccess, { login, names }: AnalystRow): string[] {
  const { model } = access.workspace;
  const named = namesTaken();
  return ownTables(model).flatMap((table) => {
    const name = named(names === 'labels' ? table.label : table.key);
    const view = `${quoteIdentifier(login)}.${quoteIdentifier(name)}`;
    const { columns, from } = columnsOf(access, table, names);
    return [
      `create view ${view} with (security_barrier) as select ${columns
        .map(({ name: column, expression }) => `${expression} as ${quoteIdentifier(column)}`)
        .join(', ')} from ${from}`,
      `comment on view ${view} is ${quoteText(tableComment(table))}`,
      ...columns.map(
        ({ name: column, comment }) => `comment on column ${view}.${quoteIdentifier(column)} is ${quoteText(comment)}`,
      ),
      `grant select on ${view} to ${quoteIdentifier(login)}`,
    ];
  });
}

function columnsOf(access: WorkspaceAccess, table: Table, names: AnalystRow['names']) {
  const { model } = access.workspace;
  const selection = new Selection(access, table);
  const fields = table.fields.filter(({ unlisted }) => !unlisted);
  fields.forEach((field, index) => selection.add(field, index));
  const named = namesTaken();
  const id: ViewColumn = {
    name: named(names === 'labels' ? 'ID' : '_id'),
    expression: 'r._id',
    comment: 'The number of the record.',
  };
  const columns = fields.flatMap((field, index): ViewColumn[] => {
    const comment = fieldComment(model, field);
    return partsOf(access, table, field, selection.columnAt(index)).map(([part, expression]) => ({
      name: named(names === 'labels' ? field.label + (part && ` ${part}`) : field.key + (part && `_${part}`)),
      expression,
      comment: part === '' ? comment : `${comment} (${part})`,
    }));
  });
  return { columns: [id, ...columns].slice(0, mostColumns), from: selection.from };
}

/** The columns of one field, each with what it adds to the field's name. */
function partsOf(
  access: WorkspaceAccess,
  table: Table,
  field: Field,
  { column, title }: { readonly column: string; readonly title: string | null },
): [part: string, expression: string][] {
  const { model } = access.workspace;
  const type = shownType(model, field);
  if (field.type.kind === 'counterpart') {
    if (!isToMany(field)) {
      if (linkedTable(model, field)?.many === true) return [['count', column]];
      return [
        ['', `${column} ->> 'title'`],
        ['id', `(${column} ->> 'id')::bigint`],
      ];
    }
    const each = (what: string) => `array(select ${what} from jsonb_array_elements(${column}) e(v))`;
    return [
      ['', each(`e.v ->> 'title'`)],
      ['ids', each(`(e.v ->> 'id')::bigint`)],
    ];
  }
  if (title !== null)
    return [
      ['', title],
      ['id', column],
    ];
  switch (valueTypeOf(field).is) {
    case 'money':
      return [
        ['', `(${column}).amount`],
        ['currency', `(${column}).currency`],
      ];
    case 'option':
    case 'options':
    case 'place':
    case 'files':
      return [['', textSql(column, type, homeOf(access.workspace, table).zone)]];
    default:
      return [['', column]];
  }
}

/** Takes away what analysts read of some workspaces, before tables change under it. */
export async function dropAnalystViews(client: Client, ids: readonly number[]): Promise<void> {
  const rows = await catalogueOn(client)
    .select({ login: analysts.login })
    .from(analysts)
    .where(inArray(analysts.workspace, [...ids]));
  if (rows.length === 0) return;
  const logins = rows.map(({ login }) => login);
  // Whoever reads just now would hold up the change, and with it everybody who edits.
  await client.query(sql`
    select case when state = 'active' then pg_cancel_backend(pid) else pg_terminate_backend(pid) end
    from pg_stat_activity where usename = any(${logins}) and state <> 'idle'
  `);
  await client.query(sql`drop schema if exists ${join(logins.map((login) => identifier(login)))} cascade`);
}

/** Makes what analysts read of some workspaces anew, over the tables as they are now. */
export async function keepAnalystViews(client: Client, ids: readonly number[]): Promise<void> {
  const db = catalogueOn(client);
  const rows = await db
    .select({ analyst: analysts, state: stateColumns })
    .from(analysts)
    .innerJoin(workspaces, eq(workspaces.id, analysts.workspace))
    .where(inArray(analysts.workspace, [...ids]))
    .orderBy(analysts.id);
  for (const { analyst, state } of rows) {
    const whole = await withModel(client, state);
    const role = roleNamed(whole.model, analyst.role);
    const { login } = analyst;
    await client.query(sql`drop schema if exists ${identifier(login)} cascade`);
    // Of a role that is gone nothing is seen.
    if (!role || !(await stands(client, login))) continue;
    const statements = [
      `create schema ${quoteIdentifier(login)}`,
      `grant usage on schema ${quoteIdentifier(login)} to ${quoteIdentifier(login)}`,
      ...viewStatements(analystAccess(whole, role), analyst),
    ];
    // What cannot be shown there is no reason to refuse a change.
    await client.query('savepoint analyst');
    try {
      await client.query(statements.join(';\n'));
    } catch (error) {
      log.incident(error, { analyst: analyst.id });
      await client.query('rollback to savepoint analyst');
    }
    await client.query('release savepoint analyst');
  }
}

/** Whether its database role is there: not where the database was put into another server. */
export async function stands(client: Client, login: string): Promise<boolean> {
  const { rowCount } = await client.query(sql`select from pg_roles where rolname = ${login}`);
  return rowCount === 1;
}
