import { valueTypeOf, type Field } from '$core/model/model';

/** The shapes in which most rules come; each makes a condition in the formula language. */
export type RuleShape = 'range' | 'length' | 'pattern' | 'allowed' | 'formula' | 'unique';

export interface RuleParts {
  readonly least: string;
  readonly greatest: string;
  readonly words: string;
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`;
const is = (field: Field): string => valueTypeOf(field).is;
const listOf = (words: string): string[] =>
  words
    .split(',')
    .map((word) => word.trim())
    .filter(Boolean);

function between({ least, greatest }: RuleParts): string {
  return least && greatest ? `between ${least} and ${greatest}` : least ? `at least ${least}` : `at most ${greatest}`;
}

export const ruleShapes: Record<
  RuleShape,
  { readonly name: string; readonly fits: (field: Field) => boolean; readonly message: (field: Field, parts: RuleParts) => string }
> = {
  range: {
    name: 'A range of numbers or days',
    fits: (field) => ['number', 'date', 'timestamp', 'duration'].includes(is(field)),
    message: (field, parts) => `${field.label} must be ${between(parts)}.`,
  },
  length: { name: 'A length', fits: (field) => is(field) === 'text', message: (field, parts) => `${field.label} must have ${between(parts)} characters.` },
  pattern: { name: 'A shape', fits: (field) => is(field) === 'text', message: (field, { words }) => `${field.label} must look like ${words}.` },
  allowed: {
    name: 'Certain values only',
    fits: (field) => ['text', 'option', 'number'].includes(is(field)),
    message: (field, { words }) => `${field.label} must be one of ${words}.`,
  },
  formula: { name: 'A condition over several fields', fits: () => true, message: () => '' },
  unique: { name: 'Several fields unique together', fits: () => true, message: () => '' },
};

/** The condition that a shape makes of its parts; empty while something is missing. */
export function ruleCondition(shape: RuleShape, field: Field, parts: RuleParts): string {
  const { least, greatest, words } = parts;
  const type = is(field);
  const value = (text: string) =>
    type === 'date' ? `date ${quoted(text)}` : type === 'timestamp' ? `timestamp ${quoted(text)}` : type === 'duration' ? quoted(text) : text;
  const bounds = (what: string, write: (text: string) => string) =>
    [least && `${what} >= ${write(least)}`, greatest && `${what} <= ${write(greatest)}`].filter(Boolean).join(' and ');
  switch (shape) {
    case 'range':
      return bounds(field.key, value);
    case 'length':
      return bounds(`char_length(${field.key})`, (text) => text);
    case 'pattern':
      return words ? `${field.key} like ${quoted(words)}` : '';
    case 'allowed':
      return listOf(words).length > 0
        ? `${field.key} in (${listOf(words)
            .map((word) => (type === 'number' ? word : quoted(word)))
            .join(', ')})`
        : '';
    case 'formula':
    case 'unique':
      return '';
  }
}
