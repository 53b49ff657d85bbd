import { compileFormulas } from '$core/formula/compiler';
import type { Expression } from '$core/types/expression';
import { fieldOf, isStored, linkedTable, tableOf, typeAs, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import type { SortPart } from '$core/types/view';
import type { LinkedWith } from '$core/query/query';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { type WorkspaceAccess, viewerOf } from '../access/workspaceAccess';
import { homeOf, tableName } from '../access/workspaceState';
import { textSql } from '../fieldTypes/registry';

/** The SQL expression of a record's title as text, `alias` being its table's alias. */
export function titleSql(access: WorkspaceAccess, table: Table, alias: string): string {
  const title = table.title === null ? null : fieldOf(access.workspace.model, table.title).field;
  if (!title || !isStored(title)) return `'#' || ${alias}._id`;
  const type = shownType(access.workspace.model, title);
  return `coalesce(${textSql(`${alias}.${quoteIdentifier(title.key)}`, type, homeOf(access.workspace, table).zone)}, '#' || ${alias}._id)`;
}

/** What a link to a record shows to whoever may not see that record. */
const unseenTitle = 'a record that you may not see';

/** One expression records are ordered by; blanks come last either way. */
export interface OrderColumn {
  readonly sql: string;
  readonly descending: boolean;
}

export const orderSql = ({ sql, descending }: OrderColumn): string => `${sql}${descending ? ' desc nulls last' : ''}`;

/** How the key of a group is shown: the join to what it names, its title, and what groups are ordered by. */
export interface ShownKey {
  readonly join: string;
  readonly title: string | null;
  readonly orders: readonly OrderColumn[];
}

/** What values of a field are ordered by, other than links. */
function valueOrder(field: Field, type: ReturnType<typeof shownType>, column: string): string[] {
  // Options sort in the order people gave them.
  if (type.kind === 'option') return [optionPlace(type, column)];
  switch (valueTypeOf(field).is) {
    case 'text':
      return [`${column} collate loom.people`];
    case 'member':
      return [`(${textSql(column, type)}) collate loom.people`, column];
    case 'options':
    case 'place':
      return [`(${textSql(column, type)}) collate loom.people`];
    case 'files':
      return [`jsonb_array_length(${column})`];
    case 'money':
      return [`(${column}).amount`, `(${column}).currency`];
    default:
      return [column];
  }
}

/** The parts of a statement over one table: columns, joins and conditions, all on alias `r`. */
export class Selection {
  readonly columns: string[] = [];
  readonly joins: string[] = [];
  private readonly reached = new Map<string, { readonly alias: string; readonly table: Table }>();

  constructor(
    private readonly access: WorkspaceAccess,
    readonly table: Table,
  ) {}

  get from(): string {
    return `${tableName(this.access.workspace, this.table)} r ${this.joins.join(' ')}`;
  }

  /** Where the record stands that links lead to from one of the table, joined once. */
  private reach(via: readonly Field[]): { readonly alias: string; readonly table: Table } {
    const link = via.at(-1);
    if (!link) return { alias: 'r', table: this.table };
    const path = via.map(({ id }) => id).join('.');
    const known = this.reached.get(path);
    if (known) return known;
    const from = this.reach(via.slice(0, -1));
    const table = tableOf(this.access.workspace.model, typeAs(link, 'link').to);
    const alias = `l${this.reached.size}`;
    this.joins.push(
      `
        left join ${tableName(this.access.workspace, table)} ${alias} on ${alias}._id = ${from.alias}.${quoteIdentifier(link.key)}
      `,
    );
    this.reached.set(path, { alias, table });
    return { alias, table };
  }

  /** The title of the record that links lead to. */
  private titleOver(via: readonly Field[]): string {
    const { alias, table } = this.reach(via);
    const link = via.at(-1);
    const isCut = this.access.workspace.cuts?.of.has(table.id);
    const from = this.reach(via.slice(0, -1)).alias;
    // Not seen is another thing than blank: who takes it for blank would fill it.
    const unseen =
      isCut && link ? ` when ${from}.${quoteIdentifier(link.key)} is not null then ${quoteText(unseenTitle)}` : '';
    return `case when ${alias}._id is not null then ${titleSql(this.access, table, alias)}${unseen} end`;
  }

  /** The field of one part of an order, the links that lead to it, and its column. */
  private placeOf({ field: id, via = [] }: SortPart): {
    readonly field: Field;
    readonly via: readonly Field[];
    readonly alias: string;
    readonly column: string;
  } {
    const { model } = this.access.workspace;
    const links = via.map((link) => fieldOf(model, link).field);
    const { alias } = this.reach(links);
    const { field } = fieldOf(model, id);
    return { field, via: links, alias, column: `${alias}.${quoteIdentifier(field.key)}` };
  }

  private readonly fields: { readonly column: string; readonly title: string | null }[] = [];

  add(field: Field, index: number): void {
    const column = field.type.kind === 'counterpart' ? this.linked(field) : `r.${quoteIdentifier(field.key)}`;
    const title =
      field.type.kind === 'link'
        ? this.titleOver([field])
        : valueTypeOf(field).is === 'member'
          ? `loom.person_name(${column})`
          : null;
    this.fields[index] = { column, title };
    this.columns.push(`${column} as c${index}`, ...(title === null ? [] : [`${title} as t${index}`]));
  }

  /** The expressions of a field that was added: its value, and the title of the record or person it names. */
  columnAt(index: number): { readonly column: string; readonly title: string | null } {
    return this.fields[index] ?? { column: 'null', title: null };
  }

  /**
   * The other side of a link: how many records; the record itself where there is one at most; all of a link to many.
   */
  private linked(field: Field): string {
    const { workspace } = this.access;
    const { link, over } = typeAs(field, 'counterpart');
    const { field: near, table: from } = fieldOf(workspace.model, link);
    const here = `x.${quoteIdentifier(near.key)} = r._id`;
    const record = (table: Table, alias: string) =>
      `jsonb_build_object('id', ${alias}._id, 'title', ${titleSql(this.access, table, alias)})`;
    if (over !== undefined) {
      const far = fieldOf(workspace.model, over).field;
      const target = tableOf(workspace.model, typeAs(far, 'link').to);
      return `
        (
          select jsonb_agg(${record(target, 'y')} order by x._id)
          from ${tableName(workspace, from)} x
          join ${tableName(workspace, target)} y on y._id = x.${quoteIdentifier(far.key)}
          where ${here}
        )
      `;
    }
    if (near.unique) return `(select ${record(from, 'x')} from ${tableName(workspace, from)} x where ${here})`;
    return `(select count(*) from ${tableName(workspace, from)} x where ${here})`;
  }

  /**
   * Joins a record once for each of its several values: `u.v` is an option's id or the number of a record on the far
   * side, `y` that record. One part of an order at most can ask for it.
   */
  private spread(field: Field, alias: string): void {
    const { workspace } = this.access;
    const over = field.type.kind === 'counterpart' ? field.type.over : undefined;
    if (over === undefined) {
      this.joins.push(`left join lateral unnest(${alias}.${quoteIdentifier(field.key)}) u(v) on true`);
      return;
    }
    const near = fieldOf(workspace.model, typeAs(field, 'counterpart').link);
    const far = fieldOf(workspace.model, over).field;
    const target = tableOf(workspace.model, typeAs(far, 'link').to);
    this.joins.push(
      `
        left join (
          select ${quoteIdentifier(near.field.key)} as near, ${quoteIdentifier(far.key)} as v
          from ${tableName(workspace, near.table)} q
        ) u on u.near = ${alias}._id
      `,
      `left join ${tableName(workspace, target)} y on y._id = u.v`,
    );
  }

  /**
   * What records are ordered by for one part of an order: of links and people the title, then the number, so that those
   * of one name stay apart.
   */
  order(part: SortPart): OrderColumn[] {
    const { field, via, alias, column } = this.placeOf(part);
    const columns = (...all: string[]) => all.map((sql) => ({ sql, descending: part.descending }));
    if (part.by === 'each') {
      this.spread(field, alias);
      const target = linkedTable(this.access.workspace.model, field)?.table;
      if (target)
        return columns(
          `(case when y._id is not null then ${titleSql(this.access, target, 'y')} end) collate loom.people`,
          'u.v',
        );
      return columns(optionPlace(shownType(this.access.workspace.model, field), 'u.v'));
    }
    if (field.type.kind === 'link') return columns(`(${this.titleOver([...via, field])}) collate loom.people`, column);
    const type = shownType(this.access.workspace.model, field);
    if (part.by !== undefined) return columns(this.truncated(field, column, part.by));
    return columns(...valueOrder(field, type, column));
  }

  /** The first day of the stretch a day or an instant lies in; the least number of the step a number lies in. */
  private truncated(
    field: Field,
    column: string,
    by: Exclude<SortPart['by'], 'each' | undefined>,
    moved: (day: string) => string = (day) => day,
  ): string {
    if (typeof by === 'number') return `floor(${column} / ${by}) * ${by}`;
    const zoned =
      valueTypeOf(field).is === 'timestamp'
        ? `${column} at time zone ${quoteText(this.access.workspace.zone)}`
        : column;
    const day = moved(zoned);
    // As a moment of no zone it is cut without asking for one.
    return by === 'day' ? `(${day})::date` : `date_trunc(${quoteText(by)}, (${day})::timestamp)::date`;
  }

  /**
   * What the records of one group have in common, as one expression over a record; where they are grouped by days
   * `moved` puts these elsewhere first.
   */
  key(part: SortPart, moved: (day: string) => string = (day) => day): string {
    const { field, alias, column } = this.placeOf(part);
    if (part.by === 'each') {
      this.spread(field, alias);
      return 'u.v';
    }
    return part.by === undefined ? column : this.truncated(field, column, part.by, moved);
  }

  /** What such a key is shown as and ordered by, given as a column of groups: `join` leads to what it names. */
  keyShown(part: SortPart, key: string, alias: string): ShownKey {
    const { model } = this.access.workspace;
    const { field } = fieldOf(model, part.field);
    const columns = (...all: string[]) => all.map((sql) => ({ sql, descending: part.descending }));
    const plain = { join: '', title: null };
    const target = linkedTable(model, field)?.table;
    if (target && (part.by === 'each' || field.type.kind === 'link')) {
      const unseen = this.access.workspace.cuts?.of.has(target.id)
        ? ` when ${key} is not null then ${quoteText(unseenTitle)}`
        : '';
      const title = `case when ${alias}._id is not null then ${titleSql(this.access, target, alias)}${unseen} end`;
      return {
        join: `left join ${tableName(this.access.workspace, target)} ${alias} on ${alias}._id = ${key}`,
        title,
        orders: columns(`(${title}) collate loom.people`, key),
      };
    }
    const type = shownType(model, field);
    if (part.by === 'each') return { ...plain, orders: columns(optionPlace(type, key)) };
    if (part.by !== undefined) return { ...plain, orders: columns(key) };
    const title = valueTypeOf(field).is === 'member' ? `loom.person_name(${key})` : null;
    return { join: '', title, orders: columns(...valueOrder(field, type, key)) };
  }

  /**
   * The condition that a record is linked with another, or with a person, by one of its fields: its own link, or either
   * side of a link to many.
   */
  linkedWith({ field: id, id: other }: LinkedWith): string {
    const { workspace } = this.access;
    const { field } = fieldOf(workspace.model, id);
    if (field.type.kind === 'link' || valueTypeOf(field).is === 'member')
      return `r.${quoteIdentifier(field.key)} = ${other}`;
    const { link, over } = typeAs(field, 'counterpart');
    const near = fieldOf(workspace.model, link);
    const pairs = tableName(workspace, near.table);
    if (over === undefined)
      return `r._id = (select x.${quoteIdentifier(near.field.key)} from ${pairs} x where x._id = ${other})`;
    const far = fieldOf(workspace.model, over).field;
    return `
      exists (
        select
        from ${pairs} x
        where x.${quoteIdentifier(near.field.key)} = r._id and x.${quoteIdentifier(far.key)} = ${other}
      )
    `;
  }

  /** A day of a record, over links where it is there; that of an instant on the workspace's clocks. */
  dayOf(part: SortPart): string {
    const { field, column } = this.placeOf(part);
    return this.truncated(field, column, 'day');
  }

  /** Formulas over a record, compiled together, as what they join is joined once: to be called once. */
  conditions(expressions: readonly Expression[], how: 'fitted' | 'raw' = 'fitted'): readonly string[] {
    if (expressions.length === 0) return [];
    const { workspace } = this.access;
    const compiled = compileFormulas([...expressions], {
      model: workspace.model,
      nameOf: (table) => tableName(workspace, table),
      today: `'${workspace.day}'::date`,
      zone: workspace.zone,
      viewer: viewerOf(this.access),
      root: 'r',
      aggregates: 'each',
    });
    this.joins.push(compiled.joins);
    return how === 'raw' ? compiled.raw : compiled.values;
  }
}

const optionPlace = (type: ReturnType<typeof shownType>, column: string): string =>
  type.kind === 'option' || type.kind === 'options'
    ? `array_position(array[${type.options.map((option) => quoteText(option.id)).join(', ')}]::text[], ${column})`
    : column;
