import { fieldOf, linkedTable, overOf, typeAs } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Option } from '../types/field';
import type { FieldId } from '../types/identity';
import { quoteIdentifier, quoteText } from '../base/sql';
import { optionIds } from '../fieldTypes/options';
import { partsOf, type Aggregate, type Expression, type Scalar, type ValueType } from '../types/expression';
import { ordered } from './functions/comparison';
import { intervalParts } from './functions/dates';
import { functionNamed } from './functions/table';

export interface CompileOptions {
  readonly model: Model;
  /** The quoted, schema-qualified name of a table. */
  readonly nameOf: (table: Table) => string;
  /** What stands for the workspace's day, such as `$1::date`. */
  readonly today: string;
  /** The workspace's time zone, by its IANA name. */
  readonly zone: string;
  /** What stands for whoever looks, as a number of the Directory; `noViewer` where nobody in particular does. */
  readonly viewer: string;
  /** The alias of the table that has the formulas. */
  readonly root: string;
  /**
   * How aggregates are joined: `each` looks them up record by record (few records, with an index on the link),
   * `grouped` gathers the whole set once (all records).
   */
  readonly aggregates: 'each' | 'grouped';
  /** Stands in all aliases, where the joins of several are put behind one `from`. */
  readonly part?: string;
}

/** For what is the same whoever looks: no formula there asks for it. */
export const noViewer = 'null::integer';

export interface CompiledFormulas {
  /** One SQL expression a formula. */
  readonly values: readonly string[];
  /** The same before numbers are brought within the limits of stored ones (see `fitted`). */
  readonly raw: readonly string[];
  /** Joins to put behind `from … as root`; they never multiply or drop its rows. */
  readonly joins: string;
}

/** Formulas of one table as SQL expressions that share their joins. */
export function compileFormulas(expressions: readonly Expression[], options: CompileOptions): CompiledFormulas {
  const statement = new Statement(options);
  const scope = new Scope(statement, [options.root]);
  // Aggregates over the same set share one subquery, so all are gathered before any join is written.
  const raw = expressions.map((expression) => scope.value(expression));
  const values = raw.map((sql, index) => fitted(sql, expressions[index]?.type));
  return { values, raw, joins: [...scope.joins, ...[...scope.gathered.values()].map((set) => set.join())].join(' ') };
}

/**
 * A value as it can be stored: numbers beyond the limits are blank. It is written out twice, so what it is given should
 * cost little.
 */
export const fitted = (sql: string, type: ValueType | undefined): string =>
  type?.is === 'number' ? `loom.fit(${sql})` : sql;

/** The records that an aggregate gathers for one row of `root`: a statement's parts, for listing what went in. */
export interface GatheredRecords {
  /** Joins behind `from … as root` that lead to the record the set begins at. */
  readonly joins: string;
  /** What stands behind `from` in a lateral subquery, its condition included. */
  readonly source: string;
  /** The alias of the gathered record, and whose it is. */
  readonly alias: string;
  readonly table: Table;
  /** What each gives. */
  readonly value: string;
  /** The order in which they matter: the greatest share first. */
  readonly order: string;
}

export function compileGathered(aggregate: Aggregate, options: CompileOptions): GatheredRecords {
  const statement = new Statement(options);
  const scope = new Scope(statement, [options.root]);
  const set = new GatheredSet(statement, scope, options.root, aggregate.set);
  return { ...set.list(aggregate), joins: scope.joins.join(' ') };
}

/** A condition as SQL; blank counts as not holding wherever SQL's `where` is. */
export function compileCondition(expression: Expression, options: CompileOptions): { where: string; joins: string } {
  const { values, joins } = compileFormulas([expression], options);
  return { where: values[0] ?? 'true', joins };
}

/** Aliases are numbered through the whole statement, so that none is taken twice. */
class Statement {
  private count = 0;
  constructor(readonly options: CompileOptions) {}
  alias(prefix: string): string {
    return `${prefix}${this.options.part ?? ''}${++this.count}`;
  }
  column(alias: string, id: FieldId): string {
    return `${alias}.${quoteIdentifier(fieldOf(this.options.model, id).field.key)}`;
  }
}

/** A row of `from` with what is joined to it. `places[n]` is the alias of the record n steps along the set. */
class Scope {
  readonly joins: string[] = [];
  readonly gathered = new Map<string, GatheredSet>();
  private readonly joined = new Map<string, string>();

  constructor(
    private readonly statement: Statement,
    private readonly places: readonly string[],
  ) {}

  private get model(): Model {
    return this.statement.options.model;
  }

  /** The alias of the record that a link to one leads to; each link is joined once. */
  follow(alias: string, link: FieldId): string {
    const key = `${alias}.${link}`;
    const known = this.joined.get(key);
    if (known) return known;
    const target = this.statement.alias('j');
    const { to } = typeAs(fieldOf(this.model, link).field, 'link');
    const table = this.model.tables.find(({ id }) => id === to);
    if (!table) throw new Error(`no table ${to}`);
    this.joins.push(
      `left join ${this.statement.options.nameOf(table)} ${target} on ${target}._id = ${this.statement.column(alias, link)}`,
    );
    this.joined.set(key, target);
    return target;
  }

  value(expression: Expression): string {
    switch (expression.do) {
      case 'value':
        return literal(expression.value, expression.type, this.statement.options.zone);
      case 'field': {
        const alias = expression.through.reduce(
          (at, link) => this.follow(at, link),
          this.places[expression.place] ?? '',
        );
        return this.statement.column(alias, expression.field);
      }
      case 'call': {
        const args = expression.args.map((arg) => this.value(arg));
        if (expression.name === 'label') return this.label(args[0] ?? 'null', expression.args[0]);
        return functionNamed(expression.name).sql(
          args,
          this.statement.options,
          expression.args.map(({ type }) => type),
        );
      }
      case 'case': {
        const whens = expression.whens.map(({ when, then }) => `when ${this.value(when)} then ${this.value(then)}`);
        return `(case ${whens.join(' ')}${expression.otherwise ? ` else ${this.value(expression.otherwise)}` : ''} end)`;
      }
      case 'aggregate': {
        const key = expression.set.join('.');
        const set =
          this.gathered.get(key) ?? new GatheredSet(this.statement, this, this.places[0] ?? '', expression.set);
        this.gathered.set(key, set);
        return set.value(expression);
      }
    }
  }

  private label(value: string, of: Expression | undefined): string {
    if (of?.type.is !== 'option' && of?.type.is !== 'options') return 'null::text';
    const { type } = fieldOf(this.model, of.type.field).field;
    const options = type.kind === 'option' || type.kind === 'options' ? type.options : [];
    if (options.length === 0) return 'null::text';
    if (of.type.is === 'options') return labelsSql(value, options);
    return `(case ${value} ${options.map(({ id, label }) => `when ${quoteText(id)} then ${quoteText(label)}`).join(' ')} end)`;
  }
}

/** The labels of several options in the order of their list. */
export const labelsSql = (value: string, options: readonly Option[]): string =>
  `(select string_agg(o.label, '; ' order by o.place) from (values ${options.map(({ id, label }, place) => `(${quoteText(id)}, ${quoteText(label)}, ${place})`).join(', ')}) o(id, label, place) where o.id = any(${value}))`;

/** All aggregates over one set of records: a subquery joined to the outer row, with one column an aggregate. */
class GatheredSet {
  private readonly alias: string;
  private readonly inner: Scope;
  private readonly columns: string[] = [];
  private readonly from: string;
  private readonly link: string;
  private readonly outer: string;
  private readonly places: string[];
  /** Steps before the first that leads to many; those records belong to the outer row. */
  private readonly outerSteps: number;
  private usesOuter = false;

  constructor(
    private readonly statement: Statement,
    scope: Scope,
    root: string,
    set: readonly FieldId[],
  ) {
    const { model, nameOf } = statement.options;
    this.alias = statement.alias('a');
    this.outerSteps = set.findIndex((step) => fieldOf(model, step).field.type.kind === 'counterpart');
    this.places = [root];
    for (const step of set.slice(0, this.outerSteps)) this.places.push(scope.follow(this.places.at(-1) ?? root, step));
    this.outer = this.places.at(-1) ?? root;
    let from = '';
    let link = '';
    for (const step of set.slice(this.outerSteps)) {
      const type = fieldOf(model, step).field.type;
      const previous = this.places.at(-1) ?? root;
      const alias = statement.alias('s');
      if (type.kind === 'counterpart') {
        const name = nameOf(fieldOf(model, type.link).table);
        const column = statement.column(alias, type.link);
        if (from === '') [from, link] = [`${name} ${alias}`, column];
        else from += ` join ${name} ${alias} on ${column} = ${previous}._id`;
      } else {
        const target = model.tables.find(({ id }) => type.kind === 'link' && id === type.to);
        if (!target) throw new Error('a step of a set is no link');
        from += ` join ${nameOf(target)} ${alias} on ${alias}._id = ${statement.column(previous, step)}`;
      }
      this.places.push(alias);
    }
    this.from = from;
    this.link = link;
    this.inner = new Scope(statement, this.places);
  }

  /** Registers the aggregate as a column and gives the expression that reads it from the outer row. */
  value(aggregate: Aggregate): string {
    for (const part of partsOf(aggregate))
      if (part.do === 'field' && part.place <= this.outerSteps) this.usesOuter = true;
    const column = `v${this.columns.length + 1}`;
    this.columns.push(`${this.gather(aggregate)} as ${column}`);
    const value = `${this.alias}.${column}`;
    if ((aggregate.name === 'sum' && aggregate.type.is !== 'money') || aggregate.name === 'count')
      return `coalesce(${value}, ${aggregate.type.is === 'duration' ? "interval '0'" : '0'})`;
    return aggregate.name === 'exists' ? `coalesce(${value}, false)` : value;
  }

  join(): string {
    const { aggregates } = this.statement.options;
    const from = `from ${this.from} ${this.inner.joins.join(' ')}`;
    if (aggregates === 'each' || this.usesOuter)
      return `left join lateral (select ${this.columns.join(', ')} ${from} where ${this.link} = ${this.outer}._id) ${this.alias} on true`;
    return `left join (select ${this.link} as k, ${this.columns.join(', ')} ${from} where ${this.link} is not null group by 1) ${this.alias} on ${this.alias}.k = ${this.outer}._id`;
  }

  list(aggregate: Aggregate): Omit<GatheredRecords, 'joins'> {
    const { name, of, filter, order, set } = aggregate;
    const { field } = fieldOf(this.statement.options.model, set.at(-1) ?? '');
    const { table } = linkedTable(this.statement.options.model, field) ?? {};
    if (!table) throw new Error('a set leads to no table');
    // Of a pair the record on its far side is meant.
    const over = overOf(field);
    const last = this.places.at(-1) ?? '';
    const alias = over === undefined ? last : this.inner.follow(last, over);
    const value = of ? this.inner.value(of) : 'null::text';
    const taken = filter ? ` and ${this.inner.value(filter)}` : '';
    const share =
      of?.type.is === 'number' && (name === 'sum' || name === 'avg') ? `abs(${value}) desc nulls last, ` : '';
    const extreme =
      of && (name === 'min' || name === 'max')
        ? `${ordered(value, of.type)} ${name === 'max' ? 'desc' : 'asc'} nulls last, `
        : '';
    return {
      source: `${this.from} ${this.inner.joins.join(' ')} where ${this.link} = ${this.outer}._id${taken}`,
      alias,
      table,
      value,
      order: share || extreme ? `${share}${extreme}${alias}._id` : this.order(order, name === 'last'),
    };
  }

  private gather(aggregate: Aggregate): string {
    const { name, of, distinct, filter, order, separator } = aggregate;
    const conditions = filter ? [this.inner.value(filter)] : [];
    // SQL takes an aggregate whose arguments name only the outer row for one of the outer query; naming the gathered
    // record, which is always there, keeps it in its own.
    if ([...partsOf(aggregate)].some((part) => part.do === 'field' && part.place <= this.outerSteps))
      conditions.push(`${this.places.at(-1)}._id is not null`);
    const where = (all: readonly string[]) => (all.length > 0 ? ` filter (where ${all.join(' and ')})` : '');
    const value = of ? this.inner.value(of) : '';
    const argument = (distinct ? 'distinct ' : '') + (of ? ordered(value, of.type) : '');
    const count = (all: readonly string[]) => `(count(*)${where(all)})::numeric`;
    switch (name) {
      case 'count':
        return of ? `(count(${argument})${where(conditions)})::numeric` : count(conditions);
      case 'exists':
        return `(count(*)${where(conditions)} > 0)`;
      case 'share':
        return of?.type.is === 'boolean'
          ? `loom.div(${count([...conditions, value])}, ${count(conditions)})`
          : `loom.div(${count(conditions)}, ${count([])})`;
      case 'sum':
        return of?.type.is === 'money'
          ? this.total(value, distinct, where(conditions), (sum) => sum)
          : `sum(${argument})${where(conditions)}`;
      case 'avg':
        if (of?.type.is === 'money')
          return this.total(
            value,
            distinct,
            where(conditions),
            (sum) => `loom.div(${sum}, (count(${argument})${where(conditions)})::numeric)`,
          );
        return `loom.div(sum(${argument})${where(conditions)}, (count(${argument})${where(conditions)})::numeric)`;
      case 'min':
      case 'max': {
        const gatherer = of?.type.is === 'boolean' ? (name === 'min' ? 'bool_and' : 'bool_or') : name;
        return `${gatherer}(${argument})${where(conditions)}`;
      }
      case 'bool_and':
      case 'bool_or':
      case 'every':
        return `${name}(${value})${where(conditions)}`;
      case 'first':
      case 'last':
        return `(array_agg(${value} order by ${this.order(order, name === 'last')})${where(conditions)})[1]`;
      case 'string_agg':
        return `string_agg(${argument}, ${quoteText(separator ?? ', ')} order by ${
          distinct ? ordered(value, of?.type) + (order[0]?.descending ? ' desc' : '') : this.order(order, false)
        })${where(conditions)}`;
    }
  }

  /** Amounts of one currency added up; blank when there are several. */
  private total(value: string, distinct: boolean, where: string, made: (sum: string) => string): string {
    const amounts = distinct ? `distinct ${value}` : value;
    const sum = distinct ? `loom.money_amounts(array_agg(${amounts})${where})` : `sum((${value}).amount)${where}`;
    const currency = `((${value}).currency)${where}`;
    return `case when min${currency} = max${currency} then loom.money_of(${made(sum)}, min${currency}) end`;
  }

  /** An order that leaves nothing to chance: ties go by `_id`. */
  private order(order: Aggregate['order'], reversed: boolean): string {
    const way = (descending: boolean) => (descending !== reversed ? ' desc' : '');
    const by = order.map((part) => ordered(this.inner.value(part.by), part.by.type) + way(part.descending));
    const gathered = this.places.slice(this.outerSteps + 1);
    const ties = order.length > 0 ? gathered.slice(-1) : gathered;
    return [...by, ...ties.map((alias) => `${alias}._id${way(false)}`)].join(', ');
  }
}

const sqlTypes: Record<ValueType['is'], string> = {
  text: 'text',
  number: 'numeric',
  boolean: 'boolean',
  date: 'date',
  option: 'text',
  options: 'text[]',
  timestamp: 'timestamptz',
  duration: 'interval',
  money: 'loom.money',
  member: 'integer',
  place: 'jsonb',
  files: 'jsonb',
  interval: 'interval',
  record: 'bigint',
  records: 'bigint',
  blank: 'text',
};

/** The PostgreSQL type that holds a formula's value. */
export const sqlTypeOf = (type: ValueType): string => sqlTypes[type.is];

function literal(value: Scalar, type: ValueType, zone: string): string {
  const cast = `::${sqlTypeOf(type)}`;
  if (value === null) return `null${cast}`;
  if (type.is === 'interval') {
    const { months, days } = intervalParts(value);
    return `make_interval(months => ${Number(months)}, days => ${Number(days)})`;
  }
  if (type.is === 'options') return `array[${optionIds(value).map(quoteText).join(', ')}]::text[]`;
  if (type.is === 'duration') return `make_interval(secs => ${Number(value)})`;
  // Without a zone it is what the workspace's clocks say.
  if (type.is === 'timestamp' && !String(value).endsWith('Z'))
    return `(timestamp ${quoteText(String(value))} at time zone ${quoteText(zone)})`;
  return `${quoteText(String(value))}${cast}`;
}
