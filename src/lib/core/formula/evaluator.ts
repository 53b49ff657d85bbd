import Decimal from 'decimal.js';
import { fieldOf } from '../model/model';
import type { Model } from '../types/model';
import { instantOf } from '../fieldTypes/dateTime';
import { optionIds } from '../fieldTypes/options';
import type { FieldId, TableId } from '../types/identity';
import { canonicalNumber, Exact, mostDecimals, numberLimit } from '../fieldTypes/number';
import type { Aggregate, Expression, Scalar } from '../types/expression';
import { compareScalars } from './functions/comparison';
import { moneyOf, totalOf } from './functions/money';
import { divide } from './functions/numbers';
import { functionNamed, type CallContext } from './functions/table';

/** Where the evaluator finds stored values; calculated fields are read as stored, too. */
interface RecordSource {
  value(table: TableId, id: number, field: FieldId): Scalar;
  /** The records whose link points at this one, in order of their `_id`. */
  linked(counterpart: FieldId, id: number): readonly number[];
}

export interface EvaluationContext extends CallContext {
  readonly model: Model;
  readonly records: RecordSource;
}

/** The value of a formula for one record, kept within the limits of stored numbers. */
export function evaluate(expression: Expression, id: number, context: EvaluationContext): Scalar {
  const value = valueOf(expression, [id], context);
  return expression.type.is === 'number' ? fitNumber(value) : value;
}

/** What a field can hold of a number: below 10^30, at most 30 decimals; beyond that blank (see loom.fit). */
export function fitNumber(value: Scalar): Scalar {
  if (value === null) return null;
  const number = new Exact(String(value));
  return number.abs().gte(numberLimit) ? null : canonicalNumber(number.toDecimalPlaces(mostDecimals));
}

/** `row`: the records after 0, 1, … steps of the enclosing aggregate's set; null where a link is blank. */
function valueOf(expression: Expression, row: readonly (number | null)[], context: EvaluationContext): Scalar {
  switch (expression.do) {
    case 'value':
      return expression.type.is === 'timestamp' && expression.value !== null && !String(expression.value).endsWith('Z')
        ? instantOf(String(expression.value), context.zone ?? 'UTC')
        : expression.value;
    case 'field': {
      let id = row[expression.place] ?? null;
      for (const step of [...expression.through, expression.field]) {
        if (id === null) return null;
        const { table } = fieldOf(context.model, step);
        const value: Scalar = context.records.value(table.id, id, step);
        if (step === expression.field) return value;
        id = value as number | null;
      }
      return null;
    }
    case 'call': {
      const args = expression.args.map((arg) => valueOf(arg, row, context));
      if (expression.name === 'label') return labelOf(args[0] ?? null, expression.args[0], context.model);
      const definition = functionNamed(expression.name);
      if (definition.blanks === 'spreads' && args.includes(null)) return null;
      return definition.evaluate(
        args,
        context,
        expression.args.map(({ type }) => type),
      );
    }
    case 'case': {
      for (const { when, then } of expression.whens)
        if (valueOf(when, row, context) === true) return valueOf(then, row, context);
      return expression.otherwise ? valueOf(expression.otherwise, row, context) : null;
    }
    case 'aggregate':
      return gather(expression, row[0] ?? null, context);
  }
}

function labelOf(value: Scalar, of: Expression | undefined, model: Model): Scalar {
  if (value === null || (of?.type.is !== 'option' && of?.type.is !== 'options')) return null;
  const { type } = fieldOf(model, of.type.field).field;
  if (type.kind !== 'option' && type.kind !== 'options') return null;
  const { options } = type;
  if (of.type.is === 'options') {
    const ids = optionIds(value);
    return (
      options
        .filter(({ id }) => ids.includes(id))
        .map(({ label }) => label)
        .join('; ') || null
    );
  }
  return options.find(({ id }) => id === value)?.label ?? null;
}

/** The rows of an aggregate's set, each with the records along its path. */
function rowsOf(set: readonly FieldId[], start: number | null, context: EvaluationContext): (number | null)[][] {
  let rows: (number | null)[][] = start === null ? [] : [[start]];
  for (const step of set) {
    const { field, table } = fieldOf(context.model, step);
    rows = rows.flatMap((row) => {
      const at = row.at(-1) ?? null;
      if (at === null) return [];
      const next =
        field.type.kind === 'counterpart'
          ? context.records.linked(step, at)
          : [context.records.value(table.id, at, step)];
      return next.filter((id) => id !== null).map((id) => [...row, id as number]);
    });
  }
  return rows;
}

function gather(aggregate: Aggregate, start: number | null, context: EvaluationContext): Scalar {
  const { name, of, filter, order, distinct } = aggregate;
  const all = rowsOf(aggregate.set, start, context);
  let rows = filter ? all.filter((row) => valueOf(filter, row, context) === true) : all;
  if (name === 'share') {
    const holding = of?.type.is === 'boolean' ? rows.filter((row) => valueOf(of, row, context) === true) : rows;
    const whole = of?.type.is === 'boolean' ? rows : all;
    return divide(new Exact(holding.length), new Exact(whole.length));
  }
  if (name === 'exists') return rows.length > 0;
  if (!of) return String(rows.length);
  if (order.length > 0) rows = sortRows(rows, aggregate, context);
  let values = rows.map((row) => valueOf(of, row, context));
  if (name === 'first') return values[0] ?? null;
  if (name === 'last') return values.at(-1) ?? null;
  values = values.filter((value) => value !== null);
  if (distinct) values = [...new Set(values)];
  if (distinct && order.length === 0) values.sort((a, b) => compareScalars(a, b, of.type));
  if (name === 'count') return String(values.length);
  if (of.type.is === 'money' && (name === 'sum' || name === 'avg')) {
    const all = totalOf(values);
    return (
      all &&
      moneyOf(name === 'sum' ? canonicalNumber(all.total) : divide(all.total, new Exact(values.length)), all.currency)
    );
  }
  if (name === 'sum') return canonicalNumber(sum(values));
  if (values.length === 0) return null;
  switch (name) {
    case 'avg':
      return divide(sum(values), new Exact(values.length));
    case 'min':
      return values.reduce((best, value) => (compareScalars(value, best, of.type) < 0 ? value : best));
    case 'max':
      return values.reduce((best, value) => (compareScalars(value, best, of.type) > 0 ? value : best));
    case 'string_agg':
      return values.join(aggregate.separator ?? ', ');
    case 'bool_or':
      return values.includes(true);
    case 'bool_and':
    case 'every':
      return !values.includes(false);
  }
}

const sum = (values: readonly Scalar[]): Decimal =>
  values.reduce<Decimal>((total, value) => total.plus(String(value)), new Exact(0));

/** Sorted as `order by` does: blanks last, then first when descending; ties by the records' `_id`s. */
function sortRows(rows: (number | null)[][], { order }: Aggregate, context: EvaluationContext): (number | null)[][] {
  const keyed = rows.map((row) => ({ row, keys: order.map(({ by }) => valueOf(by, row, context)) }));
  keyed.sort((a, b) => {
    for (const [index, { by, descending }] of order.entries()) {
      const [x = null, y = null] = [a.keys[index], b.keys[index]];
      const difference =
        x === null || y === null ? Number(x === null) - Number(y === null) : compareScalars(x, y, by.type);
      if (difference !== 0) return descending ? -difference : difference;
    }
    return Number(a.row.at(-1)) - Number(b.row.at(-1));
  });
  return keyed.map(({ row }) => row);
}
