import type { FunctionDefinition } from './definition';
import { rewrittenFunctions } from './rewritten';
import { functionTable } from './table';

const families: readonly (readonly [FunctionDefinition['family'], string])[] = [
  ['numbers', 'Numbers'],
  ['comparison', 'Comparing'],
  ['logic', 'Conditions'],
  ['text', 'Texts'],
  ['dates', 'Days and moments'],
  ['conversion', 'From one type to another'],
  ['parts', 'Parts of values'],
];

/** What gathers many records; these have a grammar of their own (`distinct`, `filter`, `order by`). */
const aggregates: readonly (readonly [usage: string, help: string, blank: string])[] = [
  ['count(records)', 'How many records, or with a field how many values.', '0'],
  ['sum(x)', 'The sum of numbers or durations.', '0'],
  ['avg(x)', 'The mean, to 20 significant digits.', 'blank'],
  ['min(x), max(x)', 'The least and the greatest.', 'blank'],
  ["string_agg(x, ', ' order by …)", 'The texts, one behind the other.', 'blank'],
  ['first(x order by …), last(x order by …)', 'The value of the first or last record in that order.', 'blank'],
  ['bool_and(c), every(c), bool_or(c)', 'Whether it holds for all, or for one.', 'blank'],
  ['share(records) filter (where …)', 'The share of records for which it holds.', 'blank'],
  ['exists(records) filter (where …)', 'Whether there is such a record.', 'false'],
];

/** In characters. */
const width = 120;

/** A line of a list, wrapped; what stands in backquotes is not taken apart. */
function item(usage: string, ...about: readonly string[]): string {
  const words = [`- \`${usage}\`:`, ...about.filter(Boolean).flatMap((part) => part.match(/`[^`]*`\S*|\S+/g) ?? [])];
  const lines: string[] = [];
  let line = '';
  for (const word of words) {
    if (line !== '' && line.length + 1 + word.length > width) {
      lines.push(line);
      line = `  ${word}`;
    } else line = line === '' ? word : `${line} ${word}`;
  }
  return [...lines, line].join('\n');
}

/** The reference of all functions as Markdown, made from the one table that checker, machines and editor use. */
export function functionReference(): string {
  const lines = [
    '# Functions',
    '',
    'Made from the table of functions by `./loom reference`; each example is a test in both machines. How formulas are',
    'written: [Formulas](formulas.md).',
    '',
    'A blank argument makes the result blank unless it is said otherwise.',
    '',
    '## Gathering records',
    '',
    ...aggregates.map(([usage, help, blank]) => item(usage, help, `Of no records: ${blank}.`)),
    '',
  ];
  for (const [family, title] of families) {
    lines.push(`## ${title}`, '');
    for (const one of functionTable.filter((found) => found.family === family)) {
      const own = one.blanks === 'own' ? 'It looks at blanks itself.' : '';
      const blank = one.mayBlank ? `Blank when ${one.mayBlank}.` : '';
      lines.push(item(one.usage, one.help, own, blank, examplesOf(one.examples)));
    }
    for (const one of rewrittenFunctions.filter((found) => found.family === family))
      lines.push(item(one.usage, one.help, 'Blank when nothing holds.', examplesOf(one.examples)));
    lines.push('');
  }
  return `${lines.join('\n').trimEnd()}\n`;
}

const examplesOf = (examples: FunctionDefinition['examples']): string =>
  examples.map(([formula, value]) => `\`${formula}\` → ${value === '' ? '_blank_' : `\`${value}\``}`).join('; ');
