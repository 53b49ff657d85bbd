import { nearestNames } from '../base/key';
import { fieldOf, linkedTable, tableOf, valueTypeOf } from '../model/model';
import type { Model, Table } from '../types/model';
import type { TableId } from '../types/identity';
import type { Problem } from '../base/problem';
import { date } from '../fieldTypes/date';
import { readInstant } from '../fieldTypes/dateTime';
import { canonicalNumber, Exact } from '../fieldTypes/number';
import { readDuration } from '../fieldTypes/duration';
import { option } from '../fieldTypes/option';
import { options } from '../fieldTypes/options';
import { plainReading } from '../fieldTypes/kind';
import {
  aggregateNames,
  partsOf,
  sameType,
  typeWord,
  type Aggregate,
  type AggregateName,
  type Expression,
  type ValueType,
} from '../types/expression';
import { parseInterval, partNames } from './functions/dates';
import {
  callableNames,
  findFunction,
  functionsCalled,
  rewrittenNamed,
  type FunctionDefinition,
  type Parameter,
  type Signature,
} from './functions/table';
import { currencyOf } from './measure';
import { isProblem, resolvePath, type ResolvedPath } from './names';
import { parseFormula } from './parser';
import { neverHolds } from './findings/neverHolds';
import { pathsIn } from './paths';
import type { Range, Syntax } from './syntax';

export interface CheckedFormula {
  /** Null when there are problems. */
  readonly expression: Expression | null;
  readonly problems: readonly Problem[];
}

const blankType: ValueType = { is: 'blank' };
/** Types whose values have no order that means anything. */
const unordered: ReadonlySet<ValueType['is']> = new Set(['place', 'files', 'options', 'money', 'record', 'member']);

/** The type a parameter asks for; options are those of whichever field comes. */
const plainType = (parameter: Exclude<Parameter, 'same' | 'ordered' | 'any'>, met: ValueType): ValueType =>
  parameter === 'options' ? (met.is === 'options' ? met : { is: 'options', field: '' }) : { is: parameter };

/** What puts amounts side by side, which means nothing where their currencies differ. */
const oneCurrency: ReadonlySet<string> = new Set([
  '+',
  '-',
  '=',
  '<>',
  '<',
  '<=',
  '>',
  '>=',
  'between',
  'greatest',
  'least',
  'coalesce',
  'nullif',
]);

/** Each product can add thirty digits before the point, and PostgreSQL counts with 131,072 of them at most. */
const mostProducts = 1000;

const failed: Expression = { do: 'value', type: blankType, value: null };

const castTypes: Record<string, string> = {
  text: 'to text',
  varchar: 'to text',
  number: 'to number',
  numeric: 'to number',
  decimal: 'to number',
  integer: 'to number',
  date: 'to date',
  timestamp: 'to timestamp',
};

/** Reads a formula and looks up its names in a table: the typed tree, or every problem with its place. */
export function checkFormula(model: Model, table: TableId, source: string): CheckedFormula {
  const { syntax, problems } = parseFormula(source);
  const checker = new Checker(model, tableOf(model, table), [...problems]);
  const expression = checker.expression(syntax);
  if (checker.problems.length === 0 && expression.type.is === 'records')
    checker.problems.push({
      message: 'This gives many records.',
      fix: 'Put it inside count(), sum() or another aggregate.',
      at: syntax.at,
    });
  const products = [...partsOf(expression)].filter((part) => part.do === 'call' && part.name.includes('*')).length;
  if (products > mostProducts)
    checker.problems.push({
      message: `The formula multiplies ${products} times; ${mostProducts} is the most.`,
      fix: 'Split it over several fields.',
      at: syntax.at,
    });
  return { expression: checker.problems.length === 0 ? expression : null, problems: checker.problems };
}

/** Checks a formula that must hold or not: a filter or a condition. */
export function checkCondition(model: Model, table: TableId, source: string): CheckedFormula {
  const checked = checkFormula(model, table, source);
  if (checked.expression?.type.is === 'boolean') {
    const never = neverHolds(checked.expression);
    return never ? { expression: null, problems: [{ ...never, at: { from: 0, to: source.length } }] } : checked;
  }
  if (!checked.expression) return checked;
  const at = { from: 0, to: source.length };
  const message = `A condition is yes or no; this gives a ${typeWord(checked.expression.type)}.`;
  return { expression: null, problems: [{ message, fix: 'Compare it, for example with = or <.', at }] };
}

class Checker {
  /** Inside an aggregate: the set's path; outside null. */
  private set: readonly string[] | null = null;

  constructor(
    private readonly model: Model,
    private readonly owner: Table,
    readonly problems: Problem[],
  ) {}

  private fail(at: Range, message: string, fix?: string, instead?: readonly string[]): Expression {
    this.problems.push({
      message,
      ...(fix ? { fix } : {}),
      at: { from: at.from, to: at.to },
      ...(instead && instead.length > 0 ? { instead } : {}),
    });
    return failed;
  }

  expression(syntax: Syntax): Expression {
    switch (syntax.node) {
      case 'number': {
        const value = new Exact(syntax.value);
        return value.precision() > 60 || value.abs().gte('1e30')
          ? this.fail(syntax.at, 'The number is too long.', 'Keep to 30 digits before the point and 30 after.')
          : { do: 'value', type: { is: 'number' }, value: canonicalNumber(value) };
      }
      case 'text':
        return { do: 'value', type: { is: 'text' }, value: syntax.value };
      case 'boolean':
        return { do: 'value', type: { is: 'boolean' }, value: syntax.value };
      case 'blank':
        return failed;
      case 'error':
        return failed;
      case 'star':
        return this.fail(
          syntax.at,
          '* stands only inside count(*).',
          'Name what is counted, such as count(inspections).',
        );
      case 'date': {
        const parsed = date.parse(syntax.value, { kind: 'date' }, plainReading);
        return parsed.ok
          ? { do: 'value', type: { is: 'date' }, value: parsed.value }
          : this.fail(syntax.at, parsed.problem.message, parsed.problem.fix);
      }
      case 'timestamp': {
        const parsed = readInstant(syntax.value, { ...plainReading, zone: 'UTC' });
        if (!parsed.ok) return this.fail(syntax.at, parsed.problem.message, parsed.problem.fix);
        // Without an offset it is meant on the workspace's clocks, which only the machines know.
        const absolute = /(?:z|[+-]\d\d:?\d\d)$/i.test(syntax.value);
        return {
          do: 'value',
          type: { is: 'timestamp' },
          value: absolute ? parsed.value : String(parsed.value).slice(0, -1),
        };
      }
      case 'interval': {
        const value = parseInterval(syntax.value);
        return value === null
          ? this.fail(
              syntax.at,
              `“${syntax.value}” is no interval.`,
              "Write interval '3 months', with years, months, weeks or days.",
            )
          : { do: 'value', type: { is: 'interval' }, value };
      }
      case 'path':
        return this.path(syntax);
      case 'cast':
        return this.cast(syntax);
      case 'case':
        return this.case(syntax);
      case 'call':
        return (aggregateNames as readonly string[]).includes(syntax.name) ? this.aggregate(syntax) : this.call(syntax);
    }
  }

  private resolve(syntax: Syntax & { node: 'path' }): ResolvedPath | null {
    const found = resolvePath(this.model, this.owner, syntax.parts);
    if (!isProblem(found)) return found;
    this.problems.push(found);
    return null;
  }

  private path(syntax: Syntax & { node: 'path' }): Expression {
    const found = this.resolve(syntax);
    if (!found) return failed;
    const steps = found.steps.map(({ id }) => id);
    const place = this.set ? commonPrefix(this.set, steps) : 0;
    const through = steps.slice(place);
    if (
      this.set &&
      place < this.set.length &&
      found.field.id === this.set[place] &&
      through.length === 0 &&
      found.field.type.kind === 'counterpart'
    )
      return this.fail(
        syntax.at,
        `“${found.field.label}” stands for whole records here.`,
        `Take one of their fields, such as ${this.exampleField(found)}.`,
      );
    const many =
      found.steps.slice(place).find(({ type }) => type.kind === 'counterpart') ??
      (found.field.type.kind === 'counterpart' ? found.field : null);
    if (many)
      return this.fail(
        syntax.at,
        `“${many.label}” leads to many records, so this has many values.`,
        this.set
          ? 'All paths of one aggregate follow the same records.'
          : `Gather them: ${this.gathering(found, syntax)} or count(…).`,
        this.set ? [] : [this.gathering(found, syntax)],
      );
    return { do: 'field', place, through, field: found.field.id, type: valueTypeOf(found.field) };
  }

  /** A path to many values inside what gathers them best. */
  private gathering({ field }: ResolvedPath, { parts }: Syntax & { node: 'path' }): string {
    const path = parts.map(({ name, quoted }) => (quoted ? `"${name}"` : name)).join('.');
    const { is } = valueTypeOf(field);
    return `${is === 'number' ? 'sum' : is === 'records' ? 'count' : is === 'text' || is === 'option' ? 'string_agg' : 'max'}(${path}${is === 'text' || is === 'option' ? ", ', '" : ''})`;
  }

  private exampleField(found: ResolvedPath): string {
    const first = linkedTable(this.model, found.field)?.table.fields.find((field) => field.type.kind !== 'counterpart');
    return `${found.field.key}.${first?.key ?? '…'}`;
  }

  private call(syntax: Syntax & { node: 'call' }): Expression {
    const rewritten = rewrittenNamed(syntax.name);
    if (rewritten) {
      const meant = rewritten.rewrite(syntax);
      return meant
        ? this.case(meant)
        : this.fail(syntax.at, `${syntax.name} takes pairs.`, `It is written ${rewritten.usage}.`);
    }
    const definitions = functionsCalled(syntax.name);
    if (definitions.length === 0) {
      const near = nearestNames(syntax.name, [...callableNames, ...aggregateNames]);
      return this.fail(
        syntax.nameAt,
        `There is no function “${syntax.name}”.`,
        near.length > 0 ? `Did you mean ${near.join(', ')}?` : undefined,
        near,
      );
    }
    if (syntax.filter || syntax.distinct || syntax.order.length > 0)
      return this.fail(
        syntax.at,
        `${syntax.name} takes no distinct, order or filter.`,
        'Those belong to aggregates such as sum and count.',
      );
    const before = this.problems.length;
    const args = syntax.args.map((arg) => this.expression(arg));
    if (this.problems.length > before) return failed;
    if (syntax.name === 'extract' && args[0]?.do === 'value') {
      const known = partNames(args[1]?.type.is === 'timestamp' ? 'timestamp' : 'date');
      if (!known.includes(String(args[0].value)))
        return this.fail(
          syntax.args[0]?.at ?? syntax.at,
          `A date has no part “${String(args[0].value)}”.`,
          `Its parts are ${known.join(', ')}.`,
        );
    }
    const [sought, among] = args;
    if (syntax.name === 'in' && args.length === 2 && sought && among?.type.is === 'options')
      return this.among(syntax, sought, among);
    return this.fit(definitions, args, syntax.args, syntax.nameAt, syntax.at);
  }

  /** `'queen' in (seen)`: whether an option is among the chosen ones. */
  private among(syntax: Syntax & { node: 'call' }, sought: Expression, set: Expression): Expression {
    const field = set.type.is === 'options' ? set.type.field : '';
    const turned = this.turn(sought, { is: 'option', field }, syntax.args[0]?.at ?? syntax.at);
    return turned
      ? { do: 'call', name: 'in options', args: [turned, set], type: { is: 'boolean' } }
      : this.fail(
          syntax.at,
          `A ${typeWord(sought.type)} is never among these options.`,
          "Write one of their labels in quotes, such as 'queen'.",
        );
  }

  /** The first definition and signature that take the arguments; otherwise says which types met. */
  private fit(
    definitions: readonly FunctionDefinition[],
    args: readonly Expression[],
    written: readonly Syntax[],
    nameAt: Range,
    at: Range,
  ): Expression {
    const before = this.problems.length;
    for (const definition of definitions)
      for (const signature of definition.signatures) {
        const fitted = this.fitArguments(signature, args, written);
        if (this.problems.length > before) return failed;
        if (!fitted) continue;
        const type: ValueType = signature.gives === 'same' ? (fitted.same ?? blankType) : { is: signature.gives };
        const currencies = oneCurrency.has(definition.name)
          ? [...new Set(fitted.args.flatMap((arg) => currencyOf(this.model, arg) ?? []))]
          : [];
        if (currencies.length > 1)
          return this.fail(
            at,
            `${currencies.join(' and ')} stand side by side here.`,
            'Turn one into the other first, by a rate of exchange.',
          );
        return { do: 'call', name: definition.name, args: fitted.args, type };
      }
    const definition = definitions[0];
    const takes = definitions.flatMap(({ usage }) => usage).join(' · ');
    const met = args.map((arg) => typeWord(arg.type)).join(' and ') || 'nothing';
    return this.fail(
      nameAt.from === nameAt.to ? at : nameAt,
      `${definition?.usage} does not take ${met}.`,
      // What joins texts takes any value once it is one.
      definition?.name === '||'
        ? 'Make a text of what is none: cast(… as text), or text(…, pattern) for a number or a day.'
        : `It is written ${takes}.`,
    );
  }

  private fitArguments(signature: Signature, args: readonly Expression[], written: readonly Syntax[]) {
    const { takes, rest, optional = 0 } = signature;
    if (args.length < takes.length - optional || (args.length > takes.length && !rest)) return null;
    const parameters = args.map((_, index): Parameter => takes[index] ?? rest ?? 'any');
    const shares = (parameter: Parameter | undefined) => parameter === 'same' || parameter === 'ordered';
    const sharing = args.filter((_, index) => shares(parameters[index]));
    const same = sharing.length > 0 ? this.sharedType(sharing) : null;
    if (sharing.length > 0 && !same) return null;
    if (same && unordered.has(same.is) && parameters.includes('ordered')) return null;
    const fitted: Expression[] = [];
    for (const [index, arg] of args.entries()) {
      const parameter = parameters[index];
      const wanted =
        parameter === 'same' || parameter === 'ordered'
          ? same
          : parameter === 'any' || !parameter
            ? null
            : plainType(parameter, arg.type);
      const turned = wanted ? this.turn(arg, wanted, written[index]?.at ?? { from: 0, to: 0 }) : arg;
      if (!turned) return null;
      fitted.push(turned);
    }
    return { args: fitted, same };
  }

  /** The one type several arguments can share: written texts become dates or options where the others are. */
  private sharedType(args: readonly Expression[]): ValueType | null {
    const types = args.map(({ type }) => type).filter(({ is }) => is !== 'blank');
    const first = types[0];
    if (!first) return blankType;
    if (types.every((type) => sameType(type, first))) return first;
    const spoken = args.filter((arg) => arg.type.is !== 'blank' && !isText(arg));
    const [lead] = spoken;
    if (
      lead &&
      spoken.every(({ type }) => sameType(type, lead.type)) &&
      ['option', 'options', 'date', 'timestamp', 'duration'].includes(lead.type.is)
    )
      return lead.type;
    // A day beside an instant is the moment at which it begins.
    if (spoken.length > 0 && spoken.every(({ type: { is } }) => is === 'date' || is === 'timestamp'))
      return { is: 'timestamp' };
    return types.every(({ is }) => is === 'text' || is === 'option') ? { is: 'text' } : null;
  }

  /** The expression as the wanted type, where that needs no loss; null where it does not fit. */
  private turn(arg: Expression, wanted: ValueType, at: Range): Expression | null {
    // Whatever has no type is blank, however it is written.
    if (arg.type.is === 'blank') return { do: 'value', type: wanted, value: null };
    if (sameType(arg.type, wanted)) return arg;
    if (wanted.is === 'timestamp' && arg.type.is === 'date')
      return { do: 'call', name: 'to timestamp', args: [arg], type: wanted };
    if (wanted.is === 'text' && (arg.type.is === 'option' || arg.type.is === 'options'))
      return { do: 'call', name: 'label', args: [arg], type: wanted };
    if (!isText(arg)) return null;
    if (wanted.is === 'date') {
      const parsed = date.parse(String(arg.value), { kind: 'date' }, plainReading);
      return parsed.ok
        ? { do: 'value', type: wanted, value: parsed.value }
        : this.fail(at, parsed.problem.message, parsed.problem.fix);
    }
    if (wanted.is === 'timestamp' || wanted.is === 'duration') {
      const parsed =
        wanted.is === 'timestamp' ? readInstant(String(arg.value), plainReading) : readDuration(String(arg.value));
      if (!parsed.ok) return this.fail(at, parsed.problem.message, parsed.problem.fix);
      const absolute = wanted.is === 'duration' || /(?:z|[+-]\d\d:?\d\d)$/i.test(String(arg.value));
      return { do: 'value', type: wanted, value: absolute ? parsed.value : String(parsed.value).slice(0, -1) };
    }
    if (wanted.is !== 'option' && wanted.is !== 'options') return null;
    const { field } = fieldOf(this.model, wanted.field);
    const list = field.type.kind === 'option' || field.type.kind === 'options' ? field.type : null;
    if (!list) return null;
    const parsed =
      wanted.is === 'option'
        ? option.parse(String(arg.value), { ...list, kind: 'option' }, plainReading)
        : options.parse(String(arg.value), { ...list, kind: 'options' }, plainReading);
    return parsed.ok
      ? { do: 'value', type: wanted, value: parsed.value }
      : this.fail(at, `“${String(arg.value)}” is no option of ${field.label}.`, parsed.problem.fix);
  }

  private cast(syntax: Syntax & { node: 'cast' }): Expression {
    const definition = findFunction(castTypes[syntax.to] ?? '');
    const arg = this.expression(syntax.arg);
    if (!definition)
      return this.fail(syntax.at, `Nothing can be cast to “${syntax.to}”.`, 'Use text, number, date or timestamp.');
    const turned =
      arg.type.is === 'option' || arg.type.is === 'options' ? this.turn(arg, { is: 'text' }, syntax.at) : arg;
    return this.fit([definition], [turned ?? arg], [syntax.arg], syntax.at, syntax.at);
  }

  private case(syntax: Syntax & { node: 'case' }): Expression {
    const before = this.problems.length;
    const equals = findFunction('=');
    const whens = syntax.whens.map(({ when, then }) => {
      const condition = this.expression(when);
      if (!syntax.operand || !equals) {
        if (condition.type.is !== 'boolean' && condition.type.is !== 'blank')
          this.fail(
            when.at,
            `A condition is yes or no; this gives a ${typeWord(condition.type)}.`,
            'Compare it, for example with =.',
          );
        return { when: this.turn(condition, { is: 'boolean' }, when.at) ?? condition, then: this.expression(then) };
      }
      const compared = this.fit(
        [equals],
        [this.expression(syntax.operand), condition],
        [syntax.operand, when],
        when.at,
        when.at,
      );
      return { when: compared, then: this.expression(then) };
    });
    const otherwise = syntax.otherwise ? this.expression(syntax.otherwise) : null;
    if (this.problems.length > before) return failed;
    const results = [...whens.map(({ then }) => then), ...(otherwise ? [otherwise] : [])];
    const type = this.sharedType(results);
    if (!type)
      return this.fail(
        syntax.at,
        `The results differ: ${[...new Set(results.map((one) => typeWord(one.type)))].join(', ')}.`,
        'Make them of one type, for example with cast(… as text).',
      );
    const turn = (one: Expression) => this.turn(one, type, syntax.at) ?? one;
    return {
      do: 'case',
      whens: whens.map(({ when, then }) => ({ when, then: turn(then) })),
      otherwise: otherwise && turn(otherwise),
      type,
    };
  }

  private aggregate(syntax: Syntax & { node: 'call' }): Expression {
    const name = syntax.name as AggregateName;
    if (this.set)
      return this.fail(
        syntax.at,
        `${name} stands inside another aggregate.`,
        'Put the inner one in a field of its own.',
      );
    const written = [...syntax.args, ...syntax.order.map(({ by }) => by), ...(syntax.filter ? [syntax.filter] : [])];
    const before = this.problems.length;
    const paths = written.flatMap(pathsIn).map((path) => this.resolve(path));
    if (this.problems.length > before || paths.includes(null)) return failed;
    const set = this.setOf(paths.filter((path) => path !== null));
    const [first] = syntax.args;
    if (set.length === 0)
      return this.fail(
        syntax.at,
        `${name} gathers many records, and nothing here leads to many.`,
        this.exampleOfMany(name),
      );
    this.set = set;
    const whole = first !== undefined && first.node === 'path' && this.isSet(first, set);
    const of = first === undefined || first.node === 'star' || whole ? null : this.expression(first);
    const filter = syntax.filter ? this.expression(syntax.filter) : null;
    const order = syntax.order.map(({ by, descending }) => ({ by: this.expression(by), descending }));
    const second = syntax.args[1] ? this.expression(syntax.args[1]) : null;
    this.set = null;
    if (this.problems.length > before) return failed;
    if (filter && filter.type.is !== 'boolean')
      return this.fail(syntax.at, 'The filter is neither yes nor no.', 'Compare something in it.');
    const never = filter && neverHolds(filter);
    if (never) return this.fail(syntax.filter?.at ?? syntax.at, never.message, never.fix);
    return this.typed(
      syntax,
      { do: 'aggregate', name, set, distinct: syntax.distinct, of, filter, order, separator: null, type: blankType },
      second,
    );
  }

  private isSet(path: Syntax & { node: 'path' }, set: readonly string[]): boolean {
    const found = resolvePath(this.model, this.owner, path.parts);
    return !isProblem(found) && [...found.steps.map(({ id }) => id), found.field.id].join() === set.join();
  }

  /** The longest path to many that the arguments take. */
  private setOf(paths: readonly ResolvedPath[]): readonly string[] {
    let longest: readonly string[] = [];
    for (const { steps, field } of paths) {
      const all = [...steps, field];
      const last = all.findLastIndex(({ type }) => type.kind === 'counterpart');
      if (last + 1 > longest.length) longest = all.slice(0, last + 1).map(({ id }) => id);
    }
    return longest;
  }

  private exampleOfMany(name: string): string {
    const many = this.owner.fields.find(({ type }) => type.kind === 'counterpart');
    return many
      ? `For example ${name}(${name === 'count' ? many.key : `${many.key}.…`}).`
      : `Nothing links to ${this.owner.label} yet.`;
  }

  /** Settles what an aggregate needs and gives. */
  private typed(syntax: Syntax & { node: 'call' }, made: Aggregate, second: Expression | null): Expression {
    const { name, of } = made;
    const at = syntax.args[0]?.at ?? syntax.at;
    const needs = (is: ValueType['is'], type: ValueType): Expression =>
      of?.type.is === is
        ? { ...made, type }
        : this.fail(
            at,
            `${name} needs a ${is}; this is ${of ? `a ${typeWord(of.type)}` : 'a set of records'}.`,
            'Take one of their fields.',
          );
    switch (name) {
      case 'count':
        return made.distinct && !of
          ? { ...made, distinct: false, type: { is: 'number' } }
          : { ...made, type: { is: 'number' } };
      case 'exists':
        return { ...made, of: null, type: { is: 'boolean' } };
      case 'share':
        return made.filter || of?.type.is === 'boolean'
          ? { ...made, type: { is: 'number' } }
          : this.fail(at, 'share needs a condition.', 'Write share(…) filter (where …).');
      case 'sum':
        return of?.type.is === 'duration' || of?.type.is === 'money'
          ? { ...made, type: of.type }
          : needs('number', { is: 'number' });
      case 'avg':
        return of?.type.is === 'money' ? { ...made, type: of.type } : needs('number', { is: 'number' });
      case 'bool_and':
      case 'bool_or':
      case 'every':
        return needs('boolean', { is: 'boolean' });
      case 'min':
      case 'max':
        return of && ['number', 'text', 'date', 'boolean', 'timestamp', 'duration'].includes(of.type.is)
          ? { ...made, type: of.type }
          : needs('number', { is: 'number' });
      case 'first':
      case 'last':
        return of && of.type.is !== 'records' && of.type.is !== 'record'
          ? { ...made, type: of.type }
          : needs('number', { is: 'number' });
      case 'string_agg': {
        const text = of && this.turn(of, { is: 'text' }, at);
        if (!text) return needs('text', { is: 'text' });
        if (second && !isText(second))
          return this.fail(syntax.args[1]?.at ?? at, 'The separator is a text in quotes.', "Write ', '.");
        if (made.distinct && made.order.some(({ by }) => JSON.stringify(by) !== JSON.stringify(of)))
          return this.fail(
            syntax.at,
            'With distinct the order can only be that of the values themselves.',
            'Order by the same field.',
          );
        return {
          ...made,
          of: text,
          order: made.distinct ? made.order.map((one) => ({ ...one, by: text })) : made.order,
          separator: isText(second) ? String(second.value) : ', ',
          type: { is: 'text' },
        };
      }
    }
  }
}

const isText = (expression: Expression | null): expression is Expression & { do: 'value' } =>
  expression?.do === 'value' && expression.type.is === 'text';

function commonPrefix(a: readonly string[], b: readonly string[]): number {
  let length = 0;
  while (length < a.length && length < b.length && a[length] === b[length]) length++;
  return length;
}
