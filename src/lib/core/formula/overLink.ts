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

/** Nothing of a record but what it shows over one link: that the link is there, and that others are not. */
const truth = (value: boolean): Expression => ({ do: 'value', type: { is: 'boolean' }, value });

/** Thrown where a formula reads anything else of the record. */
class ReadsMore extends Error {}

/**
 * The other way round: a formula over a record that has this link, and none of `others`, as the same over the record
 * that the link leads to. Null where it reads anything else of the record.
 */
export function underLink(link: FieldId, others: ReadonlySet<FieldId>, expression: Expression): Expression | null {
  const blank = (part: Expression): Expression => ({ do: 'value', type: part.type, value: null });
  function inside(part: Expression): Expression {
    if (part.do !== 'field' || part.place > 0) return mapped(part, (place) => place - 1, inside);
    return outside(part);
  }
  function outside(part: Expression): Expression {
    switch (part.do) {
      case 'field': {
        const [first, ...rest] = part.through;
        if (first === link) return { ...part, through: rest };
        if (others.has(first ?? part.field)) return blank(part);
        throw new ReadsMore();
      }
      case 'call': {
        const [of] = part.args;
        const asks = part.name === 'is null' || part.name === 'is not null';
        if (asks && of?.do === 'field' && of.through.length === 0) {
          if (of.field === link) return truth(part.name === 'is not null');
          if (others.has(of.field)) return truth(part.name === 'is null');
        }
        return mapped(part, (place) => place, outside);
      }
      case 'case':
        return caseUnder(part);
      case 'aggregate': {
        const [first, ...set] = part.set;
        if (first !== link || set.length === 0) throw new ReadsMore();
        return {
          ...part,
          set,
          of: part.of && inside(part.of),
          filter: part.filter && inside(part.filter),
          order: part.order.map((one) => ({ ...one, by: inside(one.by) })),
        };
      }
      case 'value':
        return part;
    }
  }
  /** Cases that never hold are left out, and those behind one that always does. */
  function caseUnder(part: Expression & { readonly do: 'case' }): Expression {
    const whens: { when: Expression; then: Expression }[] = [];
    for (const one of part.whens) {
      const when = outside(one.when);
      if (when.do === 'value' && when.value !== true) continue;
      const then = outside(one.then);
      if (when.do === 'value' && whens.length === 0) return then;
      whens.push({ when, then });
      if (when.do === 'value') return { ...part, whens, otherwise: null };
    }
    const otherwise = part.otherwise && outside(part.otherwise);
    return whens.length > 0 ? { ...part, whens, otherwise } : (otherwise ?? blank(part));
  }
  try {
    return outside(expression);
  } catch (error) {
    if (error instanceof ReadsMore) return null;
    throw error;
  }
}
