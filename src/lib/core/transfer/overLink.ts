import type { Expression } from '../types/expression';
import type { FieldId } from '../types/identity';

/**
 * A formula over a record as the same over a record that links to it. Inside an aggregate the record itself is one step
 * along the set by then; outside it is reached through the link.
 */
export function overLink(link: FieldId, expression: Expression): Expression {
  const inside = (part: Expression): Expression => mapped(part, (place) => place + 1, inside);
  const outside = (part: Expression): Expression => {
    if (part.do === 'field') return { ...part, through: [link, ...part.through] };
    if (part.do !== 'aggregate') return mapped(part, (place) => place, outside);
    return {
      ...part,
      set: [link, ...part.set],
      of: part.of && inside(part.of),
      filter: part.filter && inside(part.filter),
      order: part.order.map((one) => ({ ...one, by: inside(one.by) })),
    };
  };
  return outside(expression);
}

/** An expression with its places and its parts made anew; aggregates do not stand in each other. */
function mapped(
  part: Expression,
  placeOf: (place: number) => number,
  each: (part: Expression) => Expression,
): Expression {
  switch (part.do) {
    case 'field':
      return { ...part, place: placeOf(part.place) };
    case 'call':
      return { ...part, args: part.args.map(each) };
    case 'case':
      return {
        ...part,
        whens: part.whens.map(({ when, then }) => ({ when: each(when), then: each(then) })),
        otherwise: part.otherwise && each(part.otherwise),
      };
    case 'value':
    case 'aggregate':
      return part;
  }
}
