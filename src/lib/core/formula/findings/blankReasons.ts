import { fieldOf } from '../../model/model';
import type { Model } from '../../types/model';
import { outerPartsOf, type Expression } from '../../types/expression';
import { findFunction } from '../functions/table';

/**
 * Why a formula's value can be blank, in words; empty when it never is. Each reason once, the first five. Aggregates
 * pass over blanks, so what stands inside one makes nothing blank.
 */
export function blankReasons(
  model: Model,
  expression: Expression,
  seen: ReadonlySet<Expression> = new Set(),
): string[] {
  if (seen.has(expression)) return [];
  const reasons = new Set<string>();
  for (const part of outerPartsOf(expression)) {
    if (part.do === 'field')
      for (const id of [...part.through, part.field]) {
        const { field } = fieldOf(model, id);
        if (!field.required && field.type.kind !== 'formula') reasons.add(`“${field.label}” may be blank`);
        if (field.type.kind === 'formula')
          for (const reason of blankReasons(model, field.type.formula, new Set([...seen, expression])))
            reasons.add(reason);
      }
    if (
      part.do === 'aggregate' &&
      ['min', 'max', 'avg', 'first', 'last', 'string_agg', 'share', 'bool_and', 'bool_or', 'every'].includes(part.name)
    )
      reasons.add(`${part.name} of no records is blank`);
    if (part.do === 'call') {
      if (part.name === 'coalesce' && part.args.at(-1)?.do === 'value' && part === expression) return [];
      const why = findFunction(part.name)?.mayBlank;
      if (why) reasons.add(why);
    }
    if (part.do === 'case' && !part.otherwise) reasons.add('no case may hold');
  }
  return [...reasons].slice(0, 5);
}
