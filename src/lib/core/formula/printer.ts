import { fieldOf, overOf } from '../model/model';
import type { Model } from '../types/model';
import type { Expression, Scalar, ValueType } from '../types/expression';
import { duration } from '../fieldTypes/duration';
import { plainReading } from '../fieldTypes/kind';
import { optionIds } from '../fieldTypes/options';
import { intervalParts } from './functions/dates';

/** Binding strengths as in the parser; a part that binds less than its place needs brackets. */
const signs: Record<string, { sign: string; strength: number }> = {
  or: { sign: 'or', strength: 1 },
  and: { sign: 'and', strength: 2 },
  '=': { sign: '=', strength: 4 },
  '<>': { sign: '<>', strength: 4 },
  '<': { sign: '<', strength: 4 },
  '<=': { sign: '<=', strength: 4 },
  '>': { sign: '>', strength: 4 },
  '>=': { sign: '>=', strength: 4 },
  like: { sign: 'like', strength: 4 },
  '||': { sign: '||', strength: 5 },
  '+': { sign: '+', strength: 6 },
  '-': { sign: '-', strength: 6 },
  'days later': { sign: '+', strength: 6 },
  'days earlier': { sign: '-', strength: 6 },
  'days between': { sign: '-', strength: 6 },
  'interval later': { sign: '+', strength: 6 },
  'interval earlier': { sign: '-', strength: 6 },
  '*': { sign: '*', strength: 7 },
  '/': { sign: '/', strength: 7 },
  'money plus': { sign: '+', strength: 6 },
  'money minus': { sign: '-', strength: 6 },
  'money times': { sign: '*', strength: 7 },
  'times money': { sign: '*', strength: 7 },
  'money over': { sign: '/', strength: 7 },
  'money ratio': { sign: '/', strength: 7 },
};

const casts: Record<string, string> = {
  'to text': 'text',
  'to number': 'number',
  'to date': 'date',
  'to timestamp': 'timestamp',
};

/**
 * A checked formula as text, with today's keys, or with labels in double quotes where those say which field is meant;
 * checking the text gives the same formula.
 */
export function printFormula(model: Model, expression: Expression, names: 'keys' | 'labels' = 'keys'): string {
  return print(expression, 0, []);

  function print(part: Expression, least: number, set: readonly string[]): string {
    const { text, strength } = written(part, set);
    return strength < least ? `(${text})` : text;
  }

  function written(part: Expression, set: readonly string[]): { text: string; strength: number } {
    const whole = (text: string) => ({ text, strength: 9 });
    switch (part.do) {
      case 'value':
        return whole(literal(model, part.value, part.type));
      case 'field':
        return whole(writtenPath([...set.slice(0, part.place), ...part.through, part.field]));
      case 'case': {
        const whens = part.whens.map(({ when, then }) => `when ${print(when, 0, set)} then ${print(then, 0, set)}`);
        const otherwise = part.otherwise ? ` else ${print(part.otherwise, 0, set)}` : '';
        return whole(`case ${whens.join(' ')}${otherwise} end`);
      }
      case 'aggregate': {
        const path = writtenPath(part.set);
        const of = part.of ? print(part.of, 0, part.set) : path;
        const order = part.order.map(({ by, descending }) => print(by, 0, part.set) + (descending ? ' desc' : ''));
        const filter = part.filter ? ` filter (where ${print(part.filter, 0, part.set)})` : '';
        const separator = part.separator === null ? '' : `, ${quoteText(part.separator)}`;
        return whole(
          `${part.name}(${part.distinct ? 'distinct ' : ''}${of}${separator}${order.length > 0 ? ` order by ${order.join(', ')}` : ''})${filter}`,
        );
      }
      case 'call':
        return call(part, set);
    }
  }

  function nameOf(id: string): string {
    const { field, table } = fieldOf(model, id);
    if (names === 'keys') return field.key;
    const label = field.label.toLowerCase();
    // A label that is another field's key would be read as that one.
    const shared = table.fields.some(
      (other) => other.id !== id && (other.key === label || other.label.toLowerCase() === label),
    );
    return shared || field.label.includes('"') ? field.key : `"${field.label}"`;
  }

  /** The keys of a path; the step from a pair to the far side of a link to many is not written. */
  function writtenPath(path: readonly string[]): string {
    const fields = path.map((id) => fieldOf(model, id).field);
    return fields
      .filter(({ id }, index) => overOf(fields[index - 1]) !== id)
      .map((written) => nameOf(written.id))
      .join('.');
  }

  function call(part: Expression & { do: 'call' }, set: readonly string[]): { text: string; strength: number } {
    const { name, args } = part;
    const arg = (index: number, least = 0) => {
      const found = args[index];
      return found ? print(found, least, set) : '';
    };
    if (name === 'label') return written(args[0] ?? part, set);
    const sign = signs[name];
    if (sign && args.length === 2)
      return { text: `${arg(0, sign.strength)} ${sign.sign} ${arg(1, sign.strength + 1)}`, strength: sign.strength };
    const cast = casts[name];
    if (cast) return { text: `cast(${arg(0)} as ${cast})`, strength: 9 };
    const all = args.map((_, index) => arg(index)).join(', ');
    switch (name) {
      case 'not':
        return { text: `not ${arg(0, 3)}`, strength: 3 };
      case 'negate':
      case 'money negated':
        return { text: `-${arg(0, 9)}`, strength: 8 };
      case 'is null':
      case 'is not null':
        return { text: `${arg(0, 5)} ${name}`, strength: 4 };
      case 'between':
        return { text: `${arg(0, 5)} between ${arg(1, 5)} and ${arg(2, 5)}`, strength: 4 };
      case 'in':
        return {
          text: `${arg(0, 5)} in (${args
            .slice(1)
            .map((_, index) => arg(index + 1))
            .join(', ')})`,
          strength: 4,
        };
      case 'in options':
        return { text: `${arg(0, 5)} in (${arg(1)})`, strength: 4 };
      case 'extract':
        return { text: `extract(${args[0]?.do === 'value' ? String(args[0].value) : ''} from ${arg(1)})`, strength: 9 };
      case 'position':
        return { text: `position(${arg(0, 5)} in ${arg(1)})`, strength: 9 };
      case 'substring':
        return { text: `substring(${arg(0)} from ${arg(1)}${args[2] ? ` for ${arg(2)}` : ''})`, strength: 9 };
      case 'money rounded':
        return { text: `round(${all})`, strength: 9 };
      default:
        return { text: `${name}(${all})`, strength: 9 };
    }
  }
}

const quoteText = (text: string): string => `'${text.replaceAll("'", "''")}'`;

function literal(model: Model, value: Scalar, type: ValueType): string {
  if (value === null) return 'null';
  switch (type.is) {
    case 'number':
      return String(value);
    case 'boolean':
      return value ? 'true' : 'false';
    case 'date':
      return `date ${quoteText(String(value))}`;
    case 'timestamp':
      return `timestamp ${quoteText(String(value).replace('T', ' '))}`;
    case 'interval': {
      const { months, days } = intervalParts(value);
      return `interval '${[months !== 0 || days === 0 ? `${months} months` : '', days !== 0 ? `${days} days` : ''].filter(Boolean).join(' ')}'`;
    }
    case 'duration':
      return quoteText(duration.print(value, { kind: 'duration' }, plainReading));
    case 'option':
    case 'options': {
      const { type: listed } = fieldOf(model, type.field).field;
      const options = listed.kind === 'option' || listed.kind === 'options' ? listed.options : [];
      const labels = optionIds(value).map((id) => options.find((one) => one.id === id)?.label ?? id);
      // Labels that hold a separator themselves would be read as several: then the ids are written.
      const plain = type.is === 'option' || labels.length === 1 || !labels.some((label) => /[;,]/.test(label));
      return quoteText((plain ? labels : optionIds(value)).join('; '));
    }
    default:
      return quoteText(String(value));
  }
}
