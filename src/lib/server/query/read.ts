import type { Expression } from '$core/formula/expression';
import { fieldOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { encodeCursor, type Cursor, type LinkedWith, type RecordQuery } from '$core/query/query';
import { tableName, type Seat } from '../access/seat';
import type { Client, Pool } from '../database/pool';
import { statementEpoch, prepared, type Row } from '../sql/statement';
import { refuse } from '../base/refusal';
import { valueOut, type RecordOut } from './recordJson';
import { orderSql, Selection, titleSql, type OrderColumn } from './selection';

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
    private readonly seat: Seat,
    table: Table,
    query: RecordQuery,
  ) {
    this.selection = new Selection(seat, table);
    this.fields = query.fields.map((id) => fieldOf(seat.workspace.model, id).field);
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
    return this.select([], '');
  }

  /** The asked fields with their columns in the statement, and the title of what they name. */
  columnsOf(): { readonly field: Field; readonly column: string; readonly title: string | null }[] {
    return this.fields.map((field, index) => ({ field, ...this.selection.columnAt(index) }));
  }

  /** All records in order, of each only these expressions. */
  wholeOf(expressions: readonly string[]): string {
    const where = this.where.length > 0 ? ` where ${this.where.join(' and ')}` : '';
    return `select ${expressions.join(', ')} from ${this.selection.from}${where} order by ${this.order.map(orderSql).join(', ')}`;
  }

  /**
   * What gives each record's place in the order, and its number `n` there; `last` is true for the last one. An index on
   * the order has all of it.
   */
  get places(): string {
    const window = this.orderOutside.join(', ');
    const where = this.where.length > 0 ? ` where ${this.where.join(' and ')}` : '';
    return `select p.*, row_number() over w as n, lead(_id) over w is null as last from (select ${this.keys.join(', ')} from ${this.selection.from}${where}) p window w as (order by ${window})`;
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

  private select(conditions: readonly string[], end: string): string {
    const all = [...this.where, ...conditions];
    const columns = [...this.keys, 'r._version', ...this.selection.columns].join(', ');
    return `select ${columns} from ${this.selection.from}${all.length > 0 ? ` where ${all.join(' and ')}` : ''} order by ${this.order.map(orderSql).join(', ')}${end}`;
  }

  /**
   * `limit` records behind a place, after passing over `skip` of them. Pages go by key: each way in which a record can
   * come behind the cursor is a branch of its own with the whole order and the limit, so that an index on (sort, `_id`)
   * serves it wherever the page lies.
   */
  page(after: Cursor | null, skip: number, limit: number): { text: string; values: unknown[] } {
    const values: unknown[] = [skip + limit];
    const [branch = [], ...others] = after ? branchesBehind(after, this.order, values) : [[]];
    const offset = skip > 0 ? ` offset $${values.push(skip)}` : '';
    const end = ' limit $1';
    if (others.length === 0) return { text: this.select(branch, `${end}${offset}`), values };
    const branches = [branch, ...others].map((conditions) => `(${this.select(conditions, end)})`).join(' union all ');
    return { text: `select * from (${branches}) p order by ${this.orderOutside.join(', ')} limit $1${offset}`, values };
  }

  cursorOf(row: Row): Cursor {
    return {
      id: row._id as number,
      values: this.order.slice(0, -1).map((_, index) => row[`s${index}`] as string | number | boolean | null),
    };
  }

  record(row: Row): RecordOut {
    const record = recordOut(this.seat, row, this.fields);
    return this.marked ? { ...record, mark: (row.mark ?? null) as number | null } : record;
  }
}

/** Blanks come last in either direction, so behind a filled value there are the greater ones and the blanks. */
function branchesBehind(after: Cursor, order: readonly OrderColumn[], values: unknown[]): string[][] {
  const sorts = order.slice(0, -1);
  if (after.values.length !== sorts.length)
    throw refuse(
      400,
      'This is no place in this order.',
      'Use `next` of the page before, with the same sort.',
      '?/after',
    );
  const parameter = (value: unknown) => `$${values.push(value)}`;
  const branches: string[][] = [];
  const equal: string[] = [];
  sorts.forEach(({ sql, descending }, index) => {
    const value = after.values[index] ?? null;
    if (value !== null) {
      const place = parameter(value);
      branches.unshift([...equal, `${sql} is null`]);
      branches.unshift([...equal, `${sql} ${descending ? '<' : '>'} ${place}`]);
      equal.push(`${sql} = ${place}`);
    } else equal.push(`${sql} is null`);
  });
  return [[...equal, `r._id ${order.at(-1)?.descending ? '<' : '>'} ${parameter(after.id)}`], ...branches];
}

/** One page of records, by key. */
export async function readRecords(
  connection: Pool | Client,
  seat: Seat,
  table: Table,
  query: RecordQuery,
): Promise<RecordPage> {
  const statement = new RecordStatement(seat, table, query);
  const { text, values } = statement.page(query.after, query.skip ?? 0, query.limit + 1);
  const { rows } = await prepared(connection, text, values, statementEpoch(seat.workspace));
  const page = rows.slice(0, query.limit);
  const last = page.at(-1);
  const next = rows.length > query.limit && last ? encodeCursor(statement.cursorOf(last)) : null;
  return { records: page.map((row) => statement.record(row)), next };
}

/** The records of a query from first to last, some at a time: one pass over the order, as of one moment. */
export async function* readThrough(
  client: Client,
  seat: Seat,
  table: Table,
  query: RecordQuery,
  atOnce: number,
): AsyncGenerator<RecordOut[], void> {
  const statement = new RecordStatement(seat, table, query);
  await client.query(`declare through no scroll cursor for ${statement.whole}`);
  for (;;) {
    const { rows } = await client.query<Row>(`fetch ${atOnce} from through`);
    if (rows.length > 0) yield rows.map((row) => statement.record(row));
    if (rows.length < atOnce) break;
  }
  await client.query('close through');
}

function recordOut(seat: Seat, row: Row, fields: readonly Field[]): RecordOut {
  const out: Record<string, unknown> = {};
  fields.forEach((field, index) => {
    out[field.key] = valueOut(seat.workspace.model, field, row[`c${index}`], row[`t${index}`]);
  });
  return { id: row._id as number, version: row._version as number, values: out };
}

/** Records by id, in the order of the ids; those that are gone are left out. */
export async function readByIds(
  connection: Pool | Client,
  seat: Seat,
  table: Table,
  ids: readonly number[],
): Promise<RecordOut[]> {
  const selection = new Selection(seat, table);
  table.fields.forEach((field, index) => selection.add(field, index));
  const text = `select r._id, r._version, ${selection.columns.join(', ')} from ${selection.from} where r._id = any($1)`;
  const { rows } = await prepared(connection, text, [ids], statementEpoch(seat.workspace));
  const byId = new Map(rows.map((row) => [row._id as number, row]));
  return ids
    .map((id) => byId.get(id))
    .filter((row) => row !== undefined)
    .map((row) => recordOut(seat, row, table.fields));
}

/** How many records a filter leaves; exact. */
export async function countRecords(
  connection: Pool | Client,
  seat: Seat,
  table: Table,
  filter: Expression | null,
  of: LinkedWith | null = null,
): Promise<number> {
  const selection = new Selection(seat, table);
  const where = [...selection.conditions(filter ? [filter] : []), ...(of ? [selection.linkedWith(of)] : [])];
  const { rows } = await connection.query<{ n: number }>(
    `select count(*) as n from ${selection.from}${where.length > 0 ? ` where ${where.join(' and ')}` : ''}`,
  );
  return rows[0]?.n ?? 0;
}

/** Candidates of a link: titles that contain what was typed, those that begin with it first. */
export async function searchTitles(
  connection: Pool | Client,
  seat: Seat,
  table: Table,
  typed: string,
  limit: number,
): Promise<{ id: number; title: string }[]> {
  const title = titleSql(seat, table, 'r');
  const { rows } = await connection.query<{ id: number; title: string }>(
    `select r._id as id, ${title} as title from ${tableName(seat.workspace, table)} r
     where strpos(lower(${title}), lower($1)) > 0 order by strpos(lower(${title}), lower($1)), (${title}) collate loom.people, r._id limit $2`,
    [typed, limit],
  );
  return rows;
}
