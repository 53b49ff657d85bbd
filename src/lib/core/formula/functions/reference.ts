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
  ['count(records)', 'How many records, or with a field how many values.', '0 of none'],
  ['sum(x)', 'The sum of numbers or durations.', '0 of none'],
  ['avg(x)', 'The mean, to 20 significant digits.', 'blank of none'],
  ['min(x), max(x)', 'The least and the greatest.', 'blank of none'],
  ["string_agg(x, ', ' order by …)", 'The texts, one behind the other.', 'blank of none'],
  ['first(x order by …), last(x order by …)', 'The value of the first or last record in that order.', 'blank of none'],
  ['bool_and(c), every(c), bool_or(c)', 'Whether it holds for all, or for one.', 'blank of none'],
  ['share(records) filter (where …)', 'The share of records for which it holds.', 'blank of none'],
  ['exists(records) filter (where …)', 'Whether there is such a record.', 'never blank'],
];

const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', ' ');
const row = (...cells: readonly string[]): string => `| ${cells.map(cell).join(' | ')} |`;

/** The reference of all functions as Markdown, made from the one table that checker, machines and editor use. */
export function functionReference(): string {
  const lines = [
    '# Functions',
    '',
    'Made from the table of functions by `./loom reference`; each example is a test in both machines. How formulas are written: [Formulas](formulas.md).',
    '',
    'A blank argument makes the result blank unless it is said otherwise.',
    '',
    '## Gathering records',
    '',
    row('written', 'gives', 'without records'),
    row('---', '---', '---'),
    ...aggregates.map(([usage, help, blank]) => row(`\`${usage}\``, help, blank)),
    '',
  ];
  for (const [family, title] of families) {
    lines.push(`## ${title}`, '', row('written', 'gives', 'blank when', 'examples'), row('---', '---', '---', '---'));
    for (const one of functionTable.filter((found) => found.family === family)) {
      const blank = [
        ...(one.blanks === 'own' ? ['it looks at blanks itself'] : []),
        ...(one.mayBlank ? [one.mayBlank] : []),
      ].join('; ');
      lines.push(row(`\`${one.usage}\``, one.help, blank, examplesOf(one.examples)));
    }
    for (const one of rewrittenFunctions.filter((found) => found.family === family))
      lines.push(row(`\`${one.usage}\``, one.help, 'nothing holds', examplesOf(one.examples)));
    lines.push('');
  }
  return `${lines.join('\n').trimEnd()}\n`;
}

const examplesOf = (examples: FunctionDefinition['examples']): string =>
  examples.map(([formula, value]) => `\`${formula}\` → ${value === '' ? '_blank_' : `\`${value}\``}`).join(', ');
