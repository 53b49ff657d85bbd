import { compileFormulas } from '$core/formula/compiler';
import type { Expression } from '$core/formula/expression';
import { fieldOf, isStored, tableOf, typeAs, valueTypeOf, type Field, type Table } from '$core/model/model';
import { shownType } from '$core/model/shownType';
import { encodeCursor, type Cursor, type RecordQuery, type SortPart } from '$core/query/query';
import { quoteIdentifier, quoteText } from '$core/sql';
import { homeOf, tableName, type Seat } from '../access/seat';
import type { Client, Pool } from '../database/pool';
import { epochOf, prepared, type Row } from '../database/statement';
import { textSql } from './conversion';
import { valueOut, type RecordOut } from './recordJson';

/** The SQL expression of a record's title as text, `alias` being its table's alias. */
export function titleSql(seat: Seat, table: Table, alias: string): string {
  const title = table.title === null ? null : fieldOf(seat.workspace.model, table.title).field;
  if (!title || !isStored(title)) return `'#' || ${alias}._id`;
  const type = shownType(seat.workspace.model, title);
  return `coalesce(${textSql(`${alias}.${quoteIdentifier(title.key)}`, type, homeOf(seat.workspace, table).zone)}, '#' || ${alias}._id)`;
}

/** The parts of a statement over one table: columns, joins and a condition, all on alias `r`. */
class Selection {
  readonly columns: string[] = ['r._id', 'r._version'];
  readonly joins: string[] = [];
  private readonly titles = new Map<string, string>();

  constructor(
    private readonly seat: Seat,
    readonly table: Table,
  ) {}

  /** The title of a link's target, joined once. */
  targetTitle(field: Field): string {
    const known = this.titles.get(field.id);
    if (known) return known;
    if (field.type.kind !== 'link') throw new Error(`${field.key} is no link`);
    const target = tableOf(this.seat.workspace.model, field.type.to);
    const alias = `l${this.titles.size}`;
    this.joins.push(`left join ${tableName(this.seat.workspace, target)} ${alias} on ${alias}._id = r.${quoteIdentifier(field.key)}`);
    const title = `case when ${alias}._id is not null then ${titleSql(this.seat, target, alias)} end`;
    this.titles.set(field.id, title);
    return title;
  }

  add(field: Field, index: number): void {
    const { type } = field;
    if (type.kind === 'counterpart') {
      this.columns.push(`${this.linked(field)} as c${index}`);
      return;
    }
    this.columns.push(`r.${quoteIdentifier(field.key)} as c${index}`);
    if (type.kind === 'link') this.columns.push(`${this.targetTitle(field)} as t${index}`);
    if (valueTypeOf(field).is === 'member') this.columns.push(`loom.person_name(r.${quoteIdentifier(field.key)}) as t${index}`);
  }

  /** The other side of a link: how many records; the record itself where there is one at most; all of a link to many. */
  private linked(field: Field): string {
    const { workspace } = this.seat;
    const { link, over } = typeAs(field, 'counterpart');
    const { field: near, table: from } = fieldOf(workspace.model, link);
    const here = `x.${quoteIdentifier(near.key)} = r._id`;
    const record = (table: Table, alias: string) => `jsonb_build_object('id', ${alias}._id, 'title', ${titleSql(this.seat, table, alias)})`;
    if (over !== undefined) {
      const far = fieldOf(workspace.model, over).field;
      const target = tableOf(workspace.model, typeAs(far, 'link').to);
      return `(select jsonb_agg(${record(target, 'y')} order by x._id) from ${tableName(workspace, from)} x join ${tableName(workspace, target)} y on y._id = x.${quoteIdentifier(far.key)} where ${here})`;
    }
    if (near.unique) return `(select ${record(from, 'x')} from ${tableName(workspace, from)} x where ${here})`;
    return `(select count(*) from ${tableName(workspace, from)} x where ${here})`;
  }

  sortSql({ field: id }: SortPart): string {
    const { field } = fieldOf(this.seat.workspace.model, id);
    if (field.type.kind === 'link') return `(${this.targetTitle(field)}) collate loom.people`;
    const column = `r.${quoteIdentifier(field.key)}`;
    const type = shownType(this.seat.workspace.model, field);
    // Options sort in the order people gave them.
    if (type.kind === 'option') return `array_position(array[${type.options.map((option) => quoteText(option.id)).join(', ')}]::text[], ${column})`;
    switch (valueTypeOf(field).is) {
      case 'text':
        return `${column} collate loom.people`;
      case 'options':
      case 'place':
      case 'member':
        return `(${textSql(column, type)}) collate loom.people`;
      case 'files':
        return `jsonb_array_length(${column})`;
      case 'money':
        return `(${column}).amount`;
      default:
        return column;
    }
  }

  filter(expression: Expression): string {
    const { workspace } = this.seat;
    const { values, joins } = compileFormulas([expression], {
      model: workspace.model,
      nameOf: (table) => tableName(workspace, table),
      today: `'${workspace.day}'::date`,
      zone: workspace.zone,
      root: 'r',
      aggregates: 'each',
    });
    this.joins.push(joins);
    return values[0] ?? 'true';
  }
}

export interface RecordPage {
  readonly records: readonly RecordOut[];
  /** Where the next page begins; null after the last. */
  readonly next: string | null;
}

/**
 * One page of records. Pages go by key: each way in which a record can come behind the cursor is a branch of its own
 * with the whole order and the limit, so that an index on (sort, `_id`) serves it wherever the page lies.
 */
export async function readRecords(connection: Pool | Client, seat: Seat, table: Table, query: RecordQuery): Promise<RecordPage> {
  const selection = new Selection(seat, table);
  const fields = query.fields.map((id) => fieldOf(seat.workspace.model, id).field);
  fields.forEach((field, index) => selection.add(field, index));
  const sorts = query.sort.map((part) => ({ sql: selection.sortSql(part), descending: part.descending }));
  sorts.forEach(({ sql }, index) => selection.columns.push(`${sql} as s${index}`));
  const where = query.filter ? [selection.filter(query.filter)] : [];
  const idsDescend = sorts.at(-1)?.descending ?? false;
  const order = [...sorts.map(({ sql, descending }) => `${sql}${descending ? ' desc nulls last' : ''}`), `r._id${idsDescend ? ' desc' : ''}`];
  const outer = [...sorts.map(({ descending }, index) => `s${index}${descending ? ' desc nulls last' : ''}`), `_id${idsDescend ? ' desc' : ''}`];
  const values: unknown[] = [query.limit + 1];
  const branches = query.after ? branchesBehind(query.after, sorts, idsDescend, values) : [[]];
  const select = (conditions: readonly string[]) => {
    const all = [...where, ...conditions];
    return `select ${selection.columns.join(', ')} from ${tableName(seat.workspace, table)} r ${selection.joins.join(' ')}${all.length > 0 ? ` where ${all.join(' and ')}` : ''} order by ${order.join(', ')} limit $1`;
  };
  const text =
    branches.length === 1
      ? select(branches[0] ?? [])
      : `select * from (${branches.map((conditions) => `(${select(conditions)})`).join(' union all ')}) p order by ${outer.join(', ')} limit $1`;
  const { rows } = await prepared(connection, text, values, epochOf(seat.workspace));
  const page = rows.slice(0, query.limit);
  const last = page.at(-1);
  const next = rows.length > query.limit && last ? encodeCursor(cursorOf(last, sorts.length)) : null;
  return { records: page.map((row) => recordOut(seat, row, fields)), next };
}

const cursorOf = (row: Row, sorts: number): Cursor => ({
  id: row._id as number,
  values: Array.from({ length: sorts }, (_, index) => row[`s${index}`] as string | number | boolean | null),
});

/** Blanks come last in either direction, so behind a filled value there are the greater ones and the blanks. */
function branchesBehind(after: Cursor, sorts: readonly { sql: string; descending: boolean }[], idsDescend: boolean, values: unknown[]): string[][] {
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
  return [[...equal, `r._id ${idsDescend ? '<' : '>'} ${parameter(after.id)}`], ...branches];
}

function recordOut(seat: Seat, row: Row, fields: readonly Field[]): RecordOut {
  const out: Record<string, unknown> = {};
  fields.forEach((field, index) => {
    out[field.key] = valueOut(seat.workspace.model, field, row[`c${index}`], row[`t${index}`]);
  });
  return { id: row._id as number, version: row._version as number, values: out };
}

/** Records by id, in the order of the ids; those that are gone are left out. */
export async function readByIds(connection: Pool | Client, seat: Seat, table: Table, ids: readonly number[]): Promise<RecordOut[]> {
  const selection = new Selection(seat, table);
  table.fields.forEach((field, index) => selection.add(field, index));
  const text = `select ${selection.columns.join(', ')} from ${tableName(seat.workspace, table)} r ${selection.joins.join(' ')} where r._id = any($1)`;
  const { rows } = await prepared(connection, text, [ids], epochOf(seat.workspace));
  const byId = new Map(rows.map((row) => [row._id as number, row]));
  return ids
    .map((id) => byId.get(id))
    .filter((row) => row !== undefined)
    .map((row) => recordOut(seat, row, table.fields));
}

/** How many records a filter leaves; exact. */
export async function countRecords(connection: Pool | Client, seat: Seat, table: Table, filter: Expression | null): Promise<number> {
  const selection = new Selection(seat, table);
  const where = filter ? ` where ${selection.filter(filter)}` : '';
  const { rows } = await connection.query<{ n: number }>(
    `select count(*) as n from ${tableName(seat.workspace, table)} r ${selection.joins.join(' ')}${where}`,
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
