import { bad, good, type Result } from '../problem';
import { longestText } from '../values/text';
import { currencies } from '../values/money';
import { mostDecimals } from '../values/number';
import { mostSteps } from '../values/rating';
import { readPattern } from '../values/runningNumber';
import type { Field, FieldKind, FieldType, Option } from '../types/field';

/** Kinds whose values can be told apart well enough to stand only once. */
const uniqueKinds: ReadonlySet<FieldKind> = new Set([
  'text',
  'number',
  'date',
  'dateTime',
  'option',
  'link',
  'member',
  'url',
  'email',
  'phone',
  'money',
  'percent',
  'duration',
  'runningNumber',
]);

const mostOptions = 1000;

function checkOptions(label: string, options: readonly Option[]): Result<true> {
  if (options.length > mostOptions)
    return bad(
      `“${label}” has ${options.length} options; ${mostOptions} is the most.`,
      'Make a table of them and link to it.',
    );
  const labels = new Set<string>();
  for (const option of options) {
    const small = option.label.trim().toLowerCase();
    if (small === '') return bad(`An option of “${label}” has no label.`, 'Write what people will read.');
    if (labels.has(small))
      return bad(`“${label}” has the option “${option.label}” twice.`, 'Merge them or rename one.');
    labels.add(small);
  }
  return good(true);
}

const digitsWithin = (label: string, digits: number | null): Result<true> =>
  digits === null || (Number.isInteger(digits) && digits >= 0 && digits <= mostDecimals)
    ? good(true)
    : bad(`“${label}” cannot keep ${digits} decimals.`, `Choose 0 to ${mostDecimals}.`);

/** Whether values of this type can be asked to be there once each. */
export const canBeUnique = (type: FieldType): boolean => uniqueKinds.has(type.kind);

/** What a field's type asks of itself; what it asks of other fields and tables is checked by the changes. */
export function checkFieldType({ label, type, unique }: Field): Result<true> {
  if (unique && !uniqueKinds.has(type.kind))
    return bad(`“${label}” cannot be unique.`, 'Only single values such as texts, numbers and dates can.');
  switch (type.kind) {
    case 'text': {
      const { maxLength } = type;
      return maxLength === undefined || (Number.isInteger(maxLength) && maxLength >= 1 && maxLength <= longestText)
        ? good(true)
        : bad(
            `“${label}” cannot have a length of ${maxLength} characters.`,
            `Choose 1 to ${longestText.toLocaleString('en')}.`,
          );
    }
    case 'number':
    case 'percent':
      return digitsWithin(label, type.digits);
    case 'money':
      if (type.currency !== null && !(type.currency in currencies))
        return bad(
          `“${type.currency}” is no currency known here.`,
          `Use one of ${Object.keys(currencies).join(', ')}.`,
        );
      return digitsWithin(label, type.digits);
    case 'options': {
      const parted = type.options.find((option) => option.label.includes(';'));
      return parted
        ? bad(
            `The option “${parted.label}” of “${label}” holds a semicolon, which stands between several.`,
            'Write it otherwise.',
          )
        : checkOptions(label, type.options);
    }
    case 'option':
      return checkOptions(label, type.options);
    case 'rating':
      return Number.isInteger(type.most) && type.most >= 2 && type.most <= mostSteps
        ? good(true)
        : bad(`“${label}” cannot have ${type.most} steps.`, `Choose 2 to ${mostSteps}.`);
    case 'runningNumber': {
      const pattern = readPattern(type.pattern);
      return pattern.ok ? good(true) : pattern;
    }
    default:
      return good(true);
  }
}
