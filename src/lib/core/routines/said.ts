import { dependenciesOf } from '../flow/dependencies';
import { readingOf } from '../formula/reading';
import type { Expression } from '../types/expression';
import type { Model } from '../types/model';
import type { Template } from '../types/routine';

/** A formula as it stands in the sentence of a routine: a value as it is, everything else in plain words. */
export function said(model: Model, formula: Expression): string {
  if (dependenciesOf(model, formula).missing !== undefined) return 'a field that is gone';
  if (formula.do !== 'value') return readingOf(model, formula);
  if (formula.value === null) return 'blank';
  // Numbers and days are texts, too, so that no digit is lost.
  const isWords = ['text', 'option', 'options'].includes(formula.type.is);
  return typeof formula.value !== 'string' ? readingOf(model, formula) : isWords ? `“${formula.value}”` : formula.value;
}

/** A text with fields in it, these in braces. */
export const saidTemplate = (model: Model, template: Template): string =>
  template.map((part) => (typeof part === 'string' ? part : `{${said(model, part)}}`)).join('');
