import type { Expression } from '$core/types/expression';
import { fieldOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { encodeCursor, type Cursor, type LinkedWith, type RecordQuery } from '$core/query/query';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { among, prepared, statementEpoch, written, type Row } from '../sql/statement';
import { refuse } from '../base/refusal';
import { valueOut, type RecordOut } from './recordJson';
import { orderSql, Selection, titleSql, type OrderColumn } from './selection';
import { empty, join, raw, sql, type Sql } from '../base/sql';

export interface RecordPage {
  readonly records: readonly RecordOut[];
  /** Where the next page begins; null after the last. */
  readonly next: string | null;
}

/** A statement for the records of a query in their order, whole or from a place on, and how its rows are read. */
export class RecordStatement {
  private readonly selection: Selection;
  private readonly fields: readonly Field[];
  private readonly where: readonly string[];
  private readonly marked: boolean;
  readonly order: readonly OrderColumn[];

  constructor(
    private readonly access: WorkspaceAccess,
    table: Table,
    query: RecordQuery,
  ) {
    this.selection = new Selection(access, table);
    this.fields = query.fields.map((id) => fieldOf(access.workspace.model, id).field);
    this.fields.forEach((field, index) => this.selection.add(field, index));
    const sorts = query.sort.flatMap((part) => this.selection.order(part));
    const conditions = this.selection.conditions([...(query.filter ? [query.filter] : []), ...(query.marks ?? [])]);
    this.where = [
      ...(query.filter ? conditions.slice(0, 1) : []),
      ...(query.of ? [this.selection.linkedWith(query.of)] : []),
    ];
    const marks = conditions.slice(query.filter ? 1 : 0);
    this.marked = marks.length > 0;
    if (this.marked)
      this.selection.columns.push(
        `case ${marks.map((when, index) => `when ${when} then ${index}`).join(' ')} end as mark`,
      );
    this.order = [...sorts, { sql: 'r._id', descending: sorts.at(-1)?.descending ?? false }];
  }

  /** All records in order, without a limit: for reading through a cursor. */
  get whole(): string {
    return this.select([], empty).text;
  }

  /** The asked fields with their columns in the statement, and the title of what they name. */
  columnsOf(): { readonly field: Field; readonly column: string; readonly title: string | null }[] {
    return this.fields.map((field, index) => ({ field, ...this.selection.columnAt(index) }));
  }

  /** All records in order, of each only these expressions. */
  wholeOf(expressions: readonly string[]): string {
    const where = this.where.length > 0 ? ` where ${this.where.join(' and ')}` : '';
    return `
      select ${expressions.join(', ')}
      from ${this.selection.from}${where}
      order by ${this.order.map(orderSql).join(', ')}
    `;
  }

  /**
   * What gives each record's place in the order, and its number `n` there; `last` is true for the last one. An index on
   * the order has all of it.
   */
  get places(): string {
    const window = this.orderOutside.join(', ');
    const where = this.where.length > 0 ? ` where ${this.where.join(' and ')}` : '';
    return `
      select p.*, row_number() over w as n, lead(_id) over w is null as last
      from (select ${this.keys.join(', ')} from ${this.selection.from}${where}) p
      window w as (order by ${window})
    `;
  }

  private get keys(): string[] {
    return ['r._id', ...this.order.slice(0, -1).map(({ sql }, index) => `${sql} as s${index}`)];
  }

  /** The order over the columns of a statement around this one. */
  private get orderOutside(): string[] {
    return this.order.map(({ descending }, index) =>
      orderSql({ sql: index === this.order.length - 1 ? '_id' : `s${index}`, descending }),
    );
  }

  private select(conditions: readonly Sql[], end: Sql): Sql {
    const all = [...this.where.map(raw), ...conditions];
    return sql`
      select ${raw([...this.keys, 'r._version', ...this.selection.columns].join(', '))}
      from ${raw(this.selection.from)} ${all.length > 0 ? sql`where ${join(all, ' and ')}` : empty}
      order by ${raw(this.order.map(orderSql).join(', '))} ${end}
    `;
  }

  /**
   * `limit` records behind a place, after passing over `skip` of them. Pages go by key: each way in which a record can
   * come behind the cursor is a branch of its own with the whole order and the limit, so that an index on (sort, `_id`)
   * serves it wherever the page lies.
   */
  page(after: Cursor | null, skip: number, limit: number): Sql {
    // As a number in the text a plan counts with it, and is made once; other than pages of rows passed over few lengths
    // come.
    const end = skip > 0 ? sql`limit ${skip + limit}` : raw(`limit ${limit}`);
    const offset = skip > 0 ? sql`offset ${skip}` : empty;
    const [branch = [], ...others] = after ? branchesBehind(after, this.order) : [[]];
    if (others.length === 0) return this.select(branch, sql`${end} ${offset}`);
    const branches = [branch, ...others].map((conditions) => sql`(${this.select(conditions, end)})`);
    return sql`
      select * from (${join(branches, ' union all ')}) p
      order by ${raw(this.orderOutside.join(', '))} ${end} ${offset}
    `;
  }

  cursorOf(row: Row): Cursor {
    return {
      id: row._id as number,
      values: this.order.slice(0, -1).map((_, index) => row[`s${index}`] as string | number | boolean | null),
    };
  }

  record(row: Row): RecordOut {
    const record = recordOut(this.access, row, this.fields);
    return this.marked ? { ...record, mark: (row.mark ?? null) as number | null } : record;
  }
}

/** Blanks come last in either direction, so behind a filled value there are the greater ones and the blanks. */
function branchesBehind(after: Cursor, order: readonly OrderColumn[]): Sql[][] {
  const sorts = order.slice(0, -1);
  if (after.values.length !== sorts.length)
    throw refuse(
      400,
      'This is no place in this order.',
      'Use `next` of the page before, with the same sort.',
      '?/after',
    );
  const behind = (column: OrderColumn | undefined) => raw(column?.descending ? '<' : '>');
  const branches: Sql[][] = [];
  const equal: Sql[] = [];
  sorts.forEach((column, index) => {
    const value = after.values[index] ?? null;
    const text = raw(column.sql);
    if (value === null) equal.push(sql`${text} is null`);
    else {
      branches.unshift([...equal, sql`${text} is null`]);
      branches.unshift([...equal, sql`${text} ${behind(column)} ${value}`]);
      equal.push(sql`${text} = ${value}`);
    }
  });
  return [[...equal, sql`r._id ${behind(order.at(-1))} ${after.id}`], ...branches];
}

/** One page of records, by key. */
export async function readRecords(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  query: RecordQuery,
): Promise<RecordPage> {
  const statement = new RecordStatement(access, table, query);
  const page = statement.page(query.after, query.skip ?? 0, query.limit + 1);
  const { rows } = await prepared(connection, page, statementEpoch(access.workspace));
  const shown = rows.slice(0, query.limit);
  const last = shown.at(-1);
  const next = rows.length > query.limit && last ? encodeCursor(statement.cursorOf(last)) : null;
  return { records: shown.map((row) => statement.record(row)), next };
}

/** The records of a query from first to last, some at a time: one pass over the order, as of one moment. */
export async function* readThrough(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  query: RecordQuery,
  atOnce: number,
): AsyncGenerator<RecordOut[], void> {
  const statement = new RecordStatement(access, table, query);
  await client.query(sql`declare through no scroll cursor for ${raw(statement.whole)}`);
  for (;;) {
    const { rows } = await client.query<Row>(sql`fetch ${raw(String(atOnce))} from through`);
    if (rows.length > 0) yield rows.map((row) => statement.record(row));
    if (rows.length < atOnce) break;
  }
  await client.query('close through');
}

function recordOut(access: WorkspaceAccess, row: Row, fields: readonly Field[]): RecordOut {
  const out: Record<string, unknown> = {};
  fields.forEach((field, index) => {
    out[field.key] = valueOut(access.workspace.model, field, row[`c${index}`], row[`t${index}`]);
  });
  return { id: row._id as number, version: row._version as number, values: out };
}

/** What reads records by id. */
export function byIds(access: WorkspaceAccess, table: Table, ids: readonly number[]): Sql {
  const { workspace } = access;
  const key = [
    'by ids',
    workspace.key,
    ...(workspace.shadowed ?? []),
    table.id,
    ids.length === 1,
    workspace.cuts?.name ?? '',
  ].join();
  return written(workspace.model, key, [ids.length === 1 ? ids[0] : ids], () => {
    const selection = new Selection(access, table);
    table.fields.forEach((field, index) => selection.add(field, index));
    return sql`
      select r._id, r._version, ${raw(selection.columns.join(', '))} from ${raw(selection.from)}
      where ${among(raw('r._id'), ids)}
    `;
  });
}

/** The records that it read, in the order of the ids; those that are gone are left out. */
export function recordsOf(
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  rows: readonly Row[],
): RecordOut[] {
  const byId = new Map(rows.map((row) => [row._id as number, row]));
  return ids
    .map((id) => byId.get(id))
    .filter((row) => row !== undefined)
    .map((row) => recordOut(access, row, table.fields));
}

/** Records by id, in the order of the ids; those that are gone are left out. */
export async function readByIds(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
): Promise<RecordOut[]> {
  const { rows } = await prepared(connection, byIds(access, table, ids), statementEpoch(access.workspace));
  return recordsOf(access, table, ids, rows);
}

/** How many records a filter leaves; exact. */
export async function countRecords(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  filter: Expression | null,
  of: LinkedWith | null = null,
): Promise<number> {
  const selection = new Selection(access, table);
  const where = [...selection.conditions(filter ? [filter] : []), ...(of ? [selection.linkedWith(of)] : [])];
  const { rows } = await connection.query<{ n: number }>(
    sql`
      select count(*) as n
      from ${raw(selection.from)}${raw(where.length > 0 ? ` where ${where.join(' and ')}` : '')}
    `,
  );
  return rows[0]?.n ?? 0;
}

/** Candidates of a link: titles that contain what was typed, those that begin with it first. */
export async function searchTitles(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  typed: string,
  limit: number,
): Promise<{ id: number; title: string }[]> {
  const title = titleSql(access, table, 'r');
  const { rows } = await connection.query<{ id: number; title: string }>(
    sql`
      select r._id as id, ${raw(title)} as title
      from ${tableSql(access.workspace, table)} r
      where strpos(lower(${raw(title)}), lower(${typed})) > 0
      order by strpos(lower(${raw(title)}), lower(${typed})), (${raw(title)}) collate loom.people, r._id
      limit ${limit}
    `,
  );
  return rows;
}
