import { valueTypeOf } from '$core/model/model';
import type { Model } from '$core/types/model';
import type { Field } from '$core/types/field';
import { bad, good, type Result } from '$core/base/problem';
import { typedLiteral } from '$core/query/conditions';
import { plainReading, type Reading } from '$core/fieldTypes/kind';

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
  // In the words of the person who wrote them.
  return least && greatest ? `between ${least} and ${greatest}` : least ? `at least ${least}` : `at most ${greatest}`;
}

/** A share is read in hundredths also where nobody wrote so; the sentence says it. */
const shareOf = (text: string): string => (text === '' || text.includes('%') ? text : `${text} %`);
const worded = (field: Field, parts: RuleParts): RuleParts =>
  ['percent', 'progress'].includes(field.type.kind)
    ? { ...parts, least: shareOf(parts.least), greatest: shareOf(parts.greatest) }
    : parts;

export const ruleShapes: Record<
  RuleShape,
  {
    readonly name: string;
    readonly fits: (field: Field) => boolean;
    readonly message: (field: Field, parts: RuleParts) => string;
  }
> = {
  range: {
    name: 'Minimum and maximum',
    fits: (field) => ['number', 'date', 'timestamp', 'duration'].includes(is(field)),
    message: (field, parts) => `${field.label} must be ${between(worded(field, parts))}.`,
  },
  length: {
    name: 'Length of the text',
    fits: (field) => is(field) === 'text',
    message: (field, parts) => `${field.label} must have ${between(parts)} characters.`,
  },
  pattern: {
    name: 'Text pattern',
    fits: (field) => is(field) === 'text',
    message: (field, { words }) => `${field.label} must look like ${words}.`,
  },
  allowed: {
    name: 'Allowed values',
    fits: (field) => ['text', 'option', 'number'].includes(is(field)),
    message: (field, { words }) => `${field.label} must be one of ${words}.`,
  },
  formula: { name: 'Condition over several fields', fits: () => true, message: () => '' },
  unique: { name: 'Unique together', fits: () => true, message: () => '' },
};

/**
 * The condition that a shape makes of its parts, each read as the field's editor reads it; empty while something is
 * missing, and the problem of the first part that is no value.
 */
export function ruleCondition(
  model: Model,
  shape: RuleShape,
  field: Field,
  parts: RuleParts,
  reading: Reading = plainReading,
): Result<string> {
  const { least, greatest, words } = parts;
  const bounds = (what: string, write: (text: string) => Result<string>): Result<string> => {
    const written: string[] = [];
    for (const [sign, text] of [['>=', least] as const, ['<=', greatest] as const]) {
      if (!text.trim()) continue;
      const literal = write(text);
      if (!literal.ok) return literal;
      written.push(`${what} ${sign} ${literal.value}`);
    }
    return good(written.join(' and '));
  };
  const literal = (text: string) => typedLiteral(model, field, text, reading);
  switch (shape) {
    case 'range':
      return bounds(field.key, literal);
    case 'length':
      return bounds(`char_length(${field.key})`, (text) =>
        /^\d{1,6}$/.test(text.trim()) ? good(text.trim()) : bad(`“${text}” is no whole number.`, 'Write digits alone.'),
      );
    case 'pattern':
      return good(words ? `${field.key} like ${quoted(words)}` : '');
    case 'allowed': {
      const allowed: string[] = [];
      for (const word of listOf(words)) {
        const one = is(field) === 'number' ? literal(word) : good(quoted(word));
        if (!one.ok) return one;
        allowed.push(one.value);
      }
      return good(allowed.length > 0 ? `${field.key} in (${allowed.join(', ')})` : '');
    }
    case 'formula':
    case 'unique':
      return good('');
  }
}
