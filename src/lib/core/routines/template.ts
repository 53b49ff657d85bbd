import { titled } from '../filled/path';
import { printStanding } from '../filled/written';
import { bad, good, type Result } from '../base/problem';
import { checkFormula } from '../formula/checker';
import type { Expression } from '../types/expression';
import type { Template } from '../types/routine';
import type { Scope } from './scope';

/** The pieces of a text as it is written: `Dear {keeper.name}`; `{{` stands for a brace. A formula is without its braces. */
function pieces(text: string): Result<readonly ({ readonly text: string } | { readonly formula: string })[]> {
  const found: ({ text: string } | { formula: string })[] = [];
  let plain = '';
  for (let at = 0; at < text.length; at++) {
    const char = text[at] ?? '';
    if (char !== '{' || text[at + 1] === '{') {
      plain += char;
      if (char === '{') at++;
      continue;
    }
    // A brace inside quotes belongs to the formula.
    let end = at + 1;
    for (let quote = ''; end < text.length && (quote !== '' || text[end] !== '}'); end++) {
      const one = text[end] ?? '';
      if (quote === '' ? one === "'" || one === '"' : one === quote) quote = quote === '' ? one : '';
    }
    if (end === text.length)
      return bad('A brace is opened and not closed.', 'Write } behind the field, or {{ for a brace.');
    if (plain !== '') found.push({ text: plain });
    plain = '';
    found.push({ formula: text.slice(at + 1, end) });
    at = end;
  }
  if (plain !== '') found.push({ text: plain });
  return good(found);
}

/** Reads a text with formulas in braces; the first problem. */
export function readTemplate({ model, table }: Scope, written: unknown, at: string): Result<Template> {
  const parts = pieces(String(written ?? ''));
  if (!parts.ok) return { ok: false, problem: { ...parts.problem, at } };
  const template: (string | Expression)[] = [];
  for (const part of parts.value) {
    if ('text' in part) {
      template.push(part.text);
      continue;
    }
    const { expression, problems } = checkFormula(model, table.id, part.formula);
    if (!expression) return { ok: false, problem: { ...(problems[0] ?? { message: 'This is no formula.' }), at } };
    template.push(titled(model, expression));
  }
  return good(template);
}

export const printTemplate = ({ model }: Scope, template: Template): string =>
  template
    .map((part) => (typeof part === 'string' ? part.replaceAll('{', '{{') : `{${printStanding(model, part)}}`))
    .join('');

export const formulasOf = (template: Template): readonly Expression[] =>
  template.filter((part): part is Expression => typeof part !== 'string');

export const mapTemplate = (template: Template, turned: (formula: Expression) => Expression): Template =>
  template.map((part) => (typeof part === 'string' ? part : turned(part)));
