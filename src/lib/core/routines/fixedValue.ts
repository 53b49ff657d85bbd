import { good, type Result } from '../base/problem';
import { quoteText } from '../base/sql';
import { plainReading, type Reading } from '../fieldTypes/kind';
import { valueTypeOf } from '../model/model';
import { typedLiteral } from '../query/conditions';
import type { Field } from '../types/field';
import type { Model } from '../types/model';

const literals = [/^'((?:[^']|'')*)'$/, /^(-?\d+(?:\.\d+)?)$/, /^(?:date|timestamp) '([^']*)'$/];

/** The value that a formula is that reads nothing, as text; null for every other formula. */
export function fixedValue(formula: string): string | null {
  const found = literals.map((literal) => literal.exec(formula.trim())).find((match) => match !== null);
  return found ? (found[1] ?? '').replaceAll("''", "'") : null;
}

/** The formula that is a value, as a person wrote it for a field. */
export function asFixedValue(
  model: Model,
  field: Field,
  text: string,
  reading: Reading = plainReading,
): Result<string> {
  const { is } = valueTypeOf(field);
  const isWords = is === 'text' || is === 'option' || is === 'options';
  return isWords ? good(quoteText(text)) : typedLiteral(model, field, text, reading);
}
