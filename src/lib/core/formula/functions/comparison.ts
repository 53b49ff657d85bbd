import { dayNumber } from '../../fieldTypes/date';
import { Exact } from '../../fieldTypes/number';
import { optionIds } from '../../fieldTypes/options';
import { compareCodePoints } from '../../fieldTypes/text';
import type { Scalar, ValueType } from '../../types/expression';
import type { FunctionDefinition, Signature } from './definition';

/** Order of two values that are not blank: numbers by size, texts by code point, dates by day, no before yes. */
export function compareScalars(a: Scalar, b: Scalar, type: ValueType): number {
  switch (type.is) {
    case 'number':
      return new Exact(String(a)).comparedTo(new Exact(String(b)));
    case 'date':
      return dayNumber(String(a)) - dayNumber(String(b));
    case 'boolean':
    case 'record':
    case 'member':
    case 'duration':
      return Number(a) - Number(b);
    default:
      return compareCodePoints(String(a), String(b));
  }
}

/** Texts are ordered by code point in formulas, whatever the database's own order for people is. */
export const ordered = (sql: string, type: ValueType | undefined): string =>
  type?.is === 'text' || type?.is === 'option' ? `${sql} collate "C"` : sql;

const same: Signature = { takes: ['same', 'same'], gives: 'boolean' };
const inOrder: Signature = { takes: ['ordered', 'ordered'], gives: 'boolean' };
const anyType: ValueType = { is: 'text' };

const compared = (
  name: string,
  help: string,
  holds: (order: number) => boolean,
  examples: FunctionDefinition['examples'],
): FunctionDefinition => ({
  name,
  family: 'comparison',
  usage: `a ${name} b`,
  help,
  signatures: [name === '=' || name === '<>' ? same : inOrder],
  blanks: 'spreads',
  evaluate: ([a, b], _, types) => holds(compareScalars(a ?? null, b ?? null, types[0] ?? anyType)),
  sql: ([a, b], _, types) => `(${a} ${name} ${ordered(String(b), types[0])})`,
  examples,
});

const extreme = (name: 'greatest' | 'least', sign: 1 | -1, help: string): FunctionDefinition => ({
  name,
  family: 'comparison',
  usage: `${name}(a, b, …)`,
  help,
  signatures: [{ takes: ['ordered'], rest: 'ordered', gives: 'same' }],
  blanks: 'own',
  evaluate(args, _, types) {
    const type = types[0] ?? anyType;
    return args.reduce<Scalar>(
      (best, value) =>
        value === null ? best : best === null || compareScalars(value, best, type) * sign > 0 ? value : best,
      null,
    );
  },
  sql: (args, _, types) => `${name}(${args.map((arg) => ordered(arg, types[0])).join(', ')})`,
  examples: [[`${name}(3, null, 12)`, sign > 0 ? '12' : '3']],
});

export const comparison: readonly FunctionDefinition[] = [
  compared('=', 'Whether both are the same.', (order) => order === 0, [
    ["'a' = 'A'", 'false'],
    ['1.0 = 1', 'true'],
  ]),
  compared('<>', 'Whether they differ.', (order) => order !== 0, [['1 <> 2', 'true']]),
  compared('<', 'Whether a comes before b.', (order) => order < 0, [
    ["'Z' < 'a'", 'true'],
    ['null < 1', ''],
  ]),
  compared('<=', 'Whether a comes before b or is the same.', (order) => order <= 0, [['2 <= 2', 'true']]),
  compared('>', 'Whether a comes after b.', (order) => order > 0, [["date '2026-05-02' > date '2026-04-30'", 'true']]),
  compared('>=', 'Whether a comes after b or is the same.', (order) => order >= 0, [['3 >= 4', 'false']]),
  {
    name: 'between',
    family: 'comparison',
    usage: 'x between a and b',
    help: 'Whether x lies from a to b, both included.',
    signatures: [{ takes: ['ordered', 'ordered', 'ordered'], gives: 'boolean' }],
    blanks: 'own',
    evaluate([x, a, b], _, types) {
      const type = types[0] ?? anyType;
      const above = x == null || a == null ? null : compareScalars(x, a, type) >= 0;
      const below = x == null || b == null ? null : compareScalars(x, b, type) <= 0;
      return above === false || below === false ? false : above === null || below === null ? null : true;
    },
    sql: ([x, a, b], _, types) => `(${x} between ${ordered(String(a), types[0])} and ${ordered(String(b), types[0])})`,
    examples: [
      ['5 between 1 and 5', 'true'],
      ['9 between null and 5', 'false'],
    ],
  },
  {
    name: 'in',
    family: 'comparison',
    usage: 'x in (a, b, …)',
    help: 'Whether x is one of the list.',
    signatures: [{ takes: ['same', 'same'], rest: 'same', gives: 'boolean' }],
    blanks: 'own',
    evaluate([x, ...list], _, types) {
      if (x == null) return null;
      if (list.some((item) => item !== null && compareScalars(x, item, types[0] ?? anyType) === 0)) return true;
      return list.includes(null) ? null : false;
    },
    sql: ([x, ...list]) => `(${x} in (${list.join(', ')}))`,
    examples: [
      ["'seen' in ('seen', 'taken')", 'true'],
      ['3 in (1, null)', ''],
    ],
  },
  {
    name: 'in options',
    family: 'comparison',
    usage: 'x in (options)',
    help: 'Whether an option is among the chosen ones.',
    signatures: [{ takes: ['any', 'options'], gives: 'boolean' }],
    blanks: 'spreads',
    evaluate: ([x, set]) => optionIds(set ?? null).includes(String(x)),
    sql: ([x, set]) => `(${x} = any(${set}))`,
    examples: [],
  },
  {
    name: 'is null',
    family: 'comparison',
    usage: 'x is null',
    help: 'Whether x is blank.',
    signatures: [{ takes: ['any'], gives: 'boolean' }],
    blanks: 'own',
    evaluate: ([x]) => x === null,
    sql: ([x]) => `(${x} is null)`,
    examples: [['null is null', 'true']],
  },
  {
    name: 'is not null',
    family: 'comparison',
    usage: 'x is not null',
    help: 'Whether x is filled.',
    signatures: [{ takes: ['any'], gives: 'boolean' }],
    blanks: 'own',
    evaluate: ([x]) => x !== null,
    sql: ([x]) => `(${x} is not null)`,
    examples: [['1 is not null', 'true']],
  },
  {
    name: 'isblank',
    family: 'comparison',
    usage: 'isblank(x)',
    help: 'Whether x is blank.',
    signatures: [{ takes: ['any'], gives: 'boolean' }],
    blanks: 'own',
    evaluate: ([x]) => x === null,
    sql: ([x]) => `(${x} is null)`,
    examples: [["isblank('')", 'false']],
  },
  {
    name: 'coalesce',
    family: 'comparison',
    usage: 'coalesce(a, b, …)',
    help: 'The first that is not blank.',
    signatures: [{ takes: ['same'], rest: 'same', gives: 'same' }],
    blanks: 'own',
    evaluate: (args) => args.find((arg) => arg !== null) ?? null,
    sql: (args) => `coalesce(${args.join(', ')})`,
    examples: [['coalesce(null, 2, 3)', '2']],
  },
  {
    name: 'nullif',
    family: 'comparison',
    usage: 'nullif(a, b)',
    help: 'a, but blank when it is the same as b.',
    signatures: [{ takes: ['same', 'same'], gives: 'same' }],
    blanks: 'own',
    mayBlank: 'both sides are the same',
    evaluate: ([a, b], _, types) =>
      a == null || (b != null && compareScalars(a, b, types[0] ?? anyType) === 0) ? null : a,
    sql: ([a, b]) => `nullif(${a}, ${b})`,
    examples: [
      ['nullif(0, 0)', ''],
      ['nullif(4, 0)', '4'],
    ],
  },
  extreme('greatest', 1, 'The greatest of several; blanks are passed over.'),
  extreme('least', -1, 'The least of several; blanks are passed over.'),
];
