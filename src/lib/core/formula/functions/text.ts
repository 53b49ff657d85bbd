import { Exact } from '../../fieldTypes/number';
import type { Scalar } from '../../types/expression';
import type { FunctionDefinition, Signature } from './definition';

const string = (value: Scalar | undefined) => String(value);
const textToText: Signature = { takes: ['text'], gives: 'text' };
const clamp = 1_000_000_000;

/** A count of characters: fractions are cut, sizes beyond any text are held at a billion. */
const count = (value: Scalar | undefined) =>
  Exact.max(-clamp, Exact.min(clamp, new Exact(String(value)).trunc())).toNumber();
const countSql = (sql: string | undefined) => `loom.clamp(${sql}, ${clamp})`;

/** `%` stands for any characters, `_` for one; there is no escape. */
function likeness(pattern: string): RegExp {
  const source = pattern
    .replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')
    .replaceAll('%', '.*')
    .replaceAll('_', '.');
  return new RegExp(`^${source}$`, 'su');
}

/** Replacing within what was replaced multiplies lengths, so they have a limit (see loom.replaced). */
function replaced(x: string, old: string, now: string): string | null {
  if (old === '') return x;
  const parts = x.split(old);
  const length = [...x].length + (parts.length - 1) * ([...now].length - [...old].length);
  return length <= 1_000_000 ? parts.join(now) : null;
}

export const text: readonly FunctionDefinition[] = [
  {
    name: '||',
    family: 'text',
    usage: 'a || b',
    help: 'Both texts joined; blank when one is blank.',
    signatures: [{ takes: ['text', 'text'], gives: 'text' }],
    blanks: 'spreads',
    evaluate: ([a, b]) => string(a) + string(b),
    sql: ([a, b]) => `(${a} || ${b})`,
    examples: [["'Low' || ' ' || 'Meadow'", 'Low Meadow']],
  },
  {
    name: 'concatenate',
    family: 'text',
    usage: 'concatenate(a, b, …)',
    help: 'All texts joined; blanks are passed over.',
    signatures: [{ takes: ['text'], rest: 'text', gives: 'text' }],
    blanks: 'own',
    evaluate: (args) => args.map((arg) => arg ?? '').join(''),
    sql: (args) => `concat(${args.join(', ')})`,
    examples: [["concatenate('H-', null, '7')", 'H-7']],
  },
  {
    name: 'lower',
    family: 'text',
    usage: 'lower(x)',
    help: 'In small letters.',
    signatures: [textToText],
    blanks: 'spreads',
    evaluate: ([a]) => string(a).toLowerCase(),
    sql: ([a]) => `loom.lower(${a})`,
    examples: [["lower('ÄPFEL')", 'äpfel']],
  },
  {
    name: 'upper',
    family: 'text',
    usage: 'upper(x)',
    help: 'In capitals.',
    signatures: [textToText],
    blanks: 'spreads',
    evaluate: ([a]) => string(a).toUpperCase(),
    sql: ([a]) => `loom.upper(${a})`,
    examples: [["upper('straße')", 'STRASSE']],
  },
  {
    name: 'trim',
    family: 'text',
    usage: 'trim(x)',
    help: 'Without spaces at both ends.',
    signatures: [textToText],
    blanks: 'spreads',
    evaluate: ([a]) => string(a).replace(/^ +| +$/g, ''),
    sql: ([a]) => `btrim(${a}, ' ')`,
    examples: [["trim('  fell ')", 'fell']],
  },
  {
    name: 'char_length',
    family: 'text',
    usage: 'char_length(x)',
    help: 'How many characters.',
    signatures: [{ takes: ['text'], gives: 'number' }],
    blanks: 'spreads',
    evaluate: ([a]) => String([...string(a)].length),
    sql: ([a]) => `char_length(${a})::numeric`,
    examples: [["char_length('brood')", '5']],
  },
  {
    name: 'substring',
    family: 'text',
    usage: 'substring(x from start for length)',
    help: 'A part of the text; the first character is 1.',
    signatures: [{ takes: ['text', 'number', 'number'], optional: 1, gives: 'text' }],
    blanks: 'spreads',
    evaluate([a, start, length]) {
      const first = count(start);
      const end = length === undefined ? Infinity : first + Math.max(0, count(length));
      return [...string(a)].slice(Math.max(0, first - 1), Math.max(0, end - 1)).join('');
    },
    sql: ([a, start, length]) =>
      length === undefined
        ? `substring(${a} from ${countSql(start)})`
        : `substring(${a} from ${countSql(start)} for loom.not_below_zero(${countSql(length)}))`,
    examples: [
      ["substring('H-0042' from 3)", '0042'],
      ["substring('honey' from 2 for 3)", 'one'],
    ],
  },
  {
    name: 'left',
    family: 'text',
    usage: 'left(x, n)',
    help: 'The first n characters.',
    signatures: [{ takes: ['text', 'number'], gives: 'text' }],
    blanks: 'spreads',
    mayBlank: 'n is negative',
    evaluate: ([a, n]) => (count(n) < 0 ? null : [...string(a)].slice(0, count(n)).join('')),
    sql: ([a, n]) => `(case when ${countSql(n)} >= 0 then left(${a}, ${countSql(n)}) end)`,
    examples: [["left('LM-03', 2)", 'LM']],
  },
  {
    name: 'right',
    family: 'text',
    usage: 'right(x, n)',
    help: 'The last n characters.',
    signatures: [{ takes: ['text', 'number'], gives: 'text' }],
    blanks: 'spreads',
    mayBlank: 'n is negative',
    evaluate: ([a, n]) => (count(n) < 0 ? null : count(n) === 0 ? '' : [...string(a)].slice(-count(n)).join('')),
    sql: ([a, n]) => `(case when ${countSql(n)} >= 0 then right(${a}, ${countSql(n)}) end)`,
    examples: [["right('LM-03', 2)", '03']],
  },
  {
    name: 'replace',
    family: 'text',
    usage: 'replace(x, old, new)',
    help: 'Every occurrence of a text put as another; blank where that has more than a million characters.',
    signatures: [{ takes: ['text', 'text', 'text'], gives: 'text' }],
    blanks: 'spreads',
    mayBlank: 'it is too long',
    evaluate: ([a, old, now]) => replaced(string(a), string(old), string(now)),
    sql: ([a, old, now]) => `loom.replaced(${a}, ${old}, ${now})`,
    examples: [["replace('a-b-c', '-', '/')", 'a/b/c']],
  },
  {
    name: 'position',
    family: 'text',
    usage: 'position(part in x)',
    help: 'Where the part begins, counted from 1; 0 when it is not there.',
    signatures: [{ takes: ['text', 'text'], gives: 'number' }],
    blanks: 'spreads',
    evaluate([part, x]) {
      const found = string(x).indexOf(string(part));
      return String(found < 0 ? 0 : [...string(x).slice(0, found)].length + 1);
    },
    sql: ([part, x]) => `strpos(${x}, ${part})::numeric`,
    examples: [["position('-' in 'H-12')", '2']],
  },
  {
    name: 'like',
    family: 'text',
    usage: 'x like pattern',
    help: 'Whether the text has this shape: % any characters, _ one character.',
    signatures: [{ takes: ['text', 'text'], gives: 'boolean' }],
    blanks: 'spreads',
    evaluate: ([x, pattern]) => likeness(string(pattern)).test(string(x)),
    sql: ([x, pattern]) => `(${x} like ${pattern} escape '')`,
    examples: [["'H-0042' like 'H-%'", 'true']],
  },
  {
    name: 'mid',
    family: 'text',
    usage: 'mid(x, start, n)',
    help: 'n characters from start on; the first character is 1.',
    signatures: [{ takes: ['text', 'number', 'number'], gives: 'text' }],
    blanks: 'spreads',
    mayBlank: 'start is below 1 or n is negative',
    evaluate: ([a, start, n]) =>
      count(start) < 1 || count(n) < 0
        ? null
        : [...string(a)].slice(count(start) - 1, count(start) - 1 + count(n)).join(''),
    sql: ([a, start, n]) =>
      `(case when ${countSql(start)} >= 1 and ${countSql(n)} >= 0 then substring(${a} from ${countSql(start)} for ${countSql(n)}) end)`,
    examples: [["mid('K-014', 3, 2)", '01']],
  },
  {
    name: 'find',
    family: 'text',
    usage: 'find(part, x, start)',
    help: 'Where the part begins, from start on; blank when it is not there.',
    signatures: [{ takes: ['text', 'text', 'number'], optional: 1, gives: 'number' }],
    blanks: 'spreads',
    mayBlank: 'the part is not there',
    evaluate([part, x, start]) {
      const from = start === undefined ? 1 : count(start);
      const rest = [...string(x)].slice(from - 1).join('');
      const found = from < 1 ? -1 : rest.indexOf(string(part));
      return found < 0 ? null : String(from + [...rest.slice(0, found)].length);
    },
    sql([part, x, start]) {
      const from = start === undefined ? '1' : countSql(start);
      return `(case when ${from} >= 1 then nullif(strpos(substr(${x}, ${from}), ${part}), 0) + ${from} - 1 end)::numeric`;
    },
    examples: [
      ["find('-', 'LOT-2026-003')", '4'],
      ["find('-', 'LOT-2026-003', 5)", '9'],
      ["find('x', 'honey')", ''],
    ],
  },
  {
    name: 'proper',
    family: 'text',
    usage: 'proper(x)',
    help: 'Each word with a capital, the rest in small letters.',
    signatures: [textToText],
    blanks: 'spreads',
    evaluate([a]) {
      let inWord = false;
      return [...string(a)]
        .map((letter) => {
          const cased = letter.toLowerCase() !== letter.toUpperCase();
          const shown = cased && !inWord ? letter.toUpperCase() : letter.toLowerCase();
          inWord = cased;
          return shown;
        })
        .join('');
    },
    sql: ([a]) => `loom.proper(${a})`,
    examples: [["proper('low MEADOW')", 'Low Meadow']],
  },
  {
    name: 'textjoin',
    family: 'text',
    usage: 'textjoin(between, pass_over, a, b, …)',
    help: 'All texts with something between them; blanks are passed over when the second says so.',
    signatures: [{ takes: ['text', 'boolean', 'text'], rest: 'text', gives: 'text' }],
    blanks: 'own',
    evaluate: ([between, passOver, ...parts]) =>
      (passOver === true ? parts.filter((part) => part !== null) : parts.map((part) => part ?? '')).join(
        between === null ? '' : string(between),
      ),
    sql: ([between, passOver, ...parts]) =>
      `(case when ${passOver} then concat_ws(coalesce(${between}, ''), ${parts.join(', ')}) else concat_ws(coalesce(${between}, ''), ${parts.map((part) => `coalesce(${part}, '')`).join(', ')}) end)`,
    examples: [
      ["textjoin(', ', true, 'Low Meadow', null, 'Fell Gate')", 'Low Meadow, Fell Gate'],
      ["textjoin('-', false, 'a', null, 'b')", 'a--b'],
    ],
  },
];
