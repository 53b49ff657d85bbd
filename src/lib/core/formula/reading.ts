import { fieldOf, linkedTable, overOf } from '../model/model';
import type { Model } from '../types/model';
import type { Aggregate, Expression, ValueType } from '../types/expression';
import { printFormula } from './printer';

/** A formula in plain words: “the latest day of the inspections linked here, blank when there are none”. */
export function readingOf(model: Model, expression: Expression): string {
  return say(expression, []);

  function say(part: Expression, set: readonly string[]): string {
    switch (part.do) {
      case 'value':
        return part.value === null ? 'a blank' : printFormula(model, part);
      case 'field':
        return nameOf([...part.through, part.field]);
      case 'case': {
        const whens = part.whens.map(({ when, then }) => `${say(then, set)} where ${say(when, set)}`);
        return `${whens.join(', else ')}${part.otherwise ? `, else ${say(part.otherwise, set)}` : ', else a blank'}`;
      }
      case 'aggregate':
        return gathered(part);
      case 'call':
        return called(part, set);
    }
  }

  /** “price per kg of the lot”: the last field first, then whose it is. */
  function nameOf(path: readonly string[]): string {
    return path
      .toReversed()
      .map((id, index) => (index === 0 ? '' : 'the ') + fieldOf(model, id).field.label.toLowerCase())
      .join(' of ');
  }

  function linked(path: readonly string[]): string {
    const fields = path.map((id) => fieldOf(model, id).field);
    const steps = fields.filter(({ id }, index) => overOf(fields[index - 1]) !== id);
    const last = steps.at(-1);
    const table = last && linkedTable(model, last)?.table;
    const between = steps.slice(0, -1).toReversed();
    const way = between.length > 0 ? ` of the ${between.map(({ label }) => label.toLowerCase()).join(' of the ')}` : '';
    const named =
      table && table.label.toLowerCase() !== last.label.toLowerCase()
        ? `${table.label.toLowerCase()} in “${last.label}”`
        : (last?.label.toLowerCase() ?? 'records');
    return `the ${named}${way} linked here`;
  }

  function gathered(aggregate: Aggregate): string {
    const { name, of, filter, order, distinct, set } = aggregate;
    const records = linked(set) + (filter ? ` where ${say(filter, set)}` : '');
    const what = of ? `${distinct ? 'each different ' : ''}${say(of, set)}` : 'record';
    const by =
      order.length > 0
        ? ` in the order of ${order.map((one) => say(one.by, set) + (one.descending ? ', descending' : '')).join(', then ')}`
        : '';
    const none = ', blank when there are none';
    switch (name) {
      case 'count':
        return of
          ? `how many ${distinct ? 'different ' : ''}values of ${say(of, set)} there are among ${records}`
          : `how many of ${records} there are`;
      case 'exists':
        return `whether there is any among ${records}`;
      case 'share':
        return `the share of ${linked(set)}${of ? ` with ${say(of, set)}` : ''}${filter ? ` for which ${say(filter, set)}` : ''}`;
      case 'sum':
        return `the sum of ${what} over ${records}`;
      case 'avg':
        return `the mean ${what} of ${records}${none}`;
      case 'min':
        return `the ${isTime(of?.type) ? 'earliest' : 'least'} ${what} of ${records}${none}`;
      case 'max':
        return `the ${isTime(of?.type) ? 'latest' : 'greatest'} ${what} of ${records}${none}`;
      case 'first':
        return `the first ${what} of ${records}${by}${none}`;
      case 'last':
        return `the last ${what} of ${records}${by}${none}`;
      case 'string_agg':
        return `the list of ${what} of ${records}${by}${none}`;
      case 'bool_and':
      case 'every':
        return `whether ${what} holds for all of ${records}`;
      case 'bool_or':
        return `whether ${what} holds for any of ${records}`;
    }
  }

  function called({ name, args }: Expression & { do: 'call' }, set: readonly string[]): string {
    const [a, b, c] = args.map((arg, index) => {
      const said = say(arg, set);
      // Sums inside products and the like are kept together.
      return arg.do === 'call' && args.length > 1 && arg.args.length > 1 && index < 3 && name in binary
        ? `(${said})`
        : said;
    });
    const sign = binary[name];
    if (sign && b !== undefined) return `${a} ${sign} ${b}`;
    switch (name) {
      case 'label':
        return a ?? '';
      case 'not':
        return `it is not so that ${a}`;
      case 'negate':
      case 'money negated':
        return `minus ${a}`;
      case 'days later':
        return `${a} plus ${b} days`;
      case 'days earlier':
        return `${a} less ${b} days`;
      case 'is null':
        return `${a} is blank`;
      case 'is not null':
        return `${a} is filled`;
      case 'between':
        return `${a} is from ${b} to ${c}`;
      case 'in':
        return `${a} is one of ${args
          .slice(1)
          .map((arg) => say(arg, set))
          .join(', ')}`;
      case 'in options':
        return `${a} is among ${b}`;
      case 'coalesce':
        return `${a}, or ${args
          .slice(1)
          .map((arg) => say(arg, set))
          .join(', or ')} where that is blank`;
      case 'nullif':
        return `${a}, blank where that is ${b}`;
      case 'round':
      case 'money rounded':
        return b === undefined ? `${a} rounded to whole numbers` : `${a} rounded to ${b} decimals`;
      case 'today':
        return 'today';
      case 'to text':
        return `${a} as text`;
      case 'to number':
        return `${a} as a number`;
      case 'to date':
        return `${a} as a date`;
      case 'to timestamp':
        return `${a} as a moment`;
      case 'if':
        return `${b} where ${a}, else ${c ?? 'a blank'}`;
      case 'greatest':
        return `the greatest of ${args.map((arg) => say(arg, set)).join(', ')}`;
      case 'least':
        return `the least of ${args.map((arg) => say(arg, set)).join(', ')}`;
      case 'extract':
        return `the ${args[0]?.do === 'value' ? String(args[0].value) : 'part'} of ${b}`;
      default:
        return `${name} of ${args.map((arg) => say(arg, set)).join(', ')}`;
    }
  }
}

const isTime = (type: ValueType | undefined): boolean => type?.is === 'date' || type?.is === 'timestamp';

const binary: Readonly<Record<string, string>> = {
  '+': 'plus',
  '-': 'less',
  '*': 'times',
  '/': 'divided by',
  'money plus': 'plus',
  'money minus': 'less',
  'money times': 'times',
  'times money': 'times',
  'money over': 'divided by',
  'money ratio': 'divided by',
  'days between': 'less',
  'interval later': 'later by',
  'interval earlier': 'earlier by',
  '=': 'is',
  '<>': 'is not',
  '<': 'is below',
  '<=': 'is at most',
  '>': 'is above',
  '>=': 'is at least',
  '||': 'followed by',
  and: 'and',
  or: 'or',
  like: 'is like',
};
