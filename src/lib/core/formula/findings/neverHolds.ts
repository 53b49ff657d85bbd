import type { Problem } from '../../base/problem';
import type { Expression } from '../../types/expression';
import { compareScalars } from '../functions/comparison';

/** What all of a condition's parts that are joined by `and` ask of one value. */
interface Asked {
  least: { readonly value: Expression & { do: 'value' }; readonly open: boolean } | null;
  most: { readonly value: Expression & { do: 'value' }; readonly open: boolean } | null;
  filled: boolean;
  blank: boolean;
}

/**
 * Why a condition can never hold, where that can be seen without any record: it compares with a blank, asks one value
 * to be two things at once, or to be blank and filled. Says nothing of conditions it does not understand.
 */
export function neverHolds(condition: Expression): Problem | null {
  if (condition.do === 'value')
    return condition.value === true ? null : { message: 'This never holds.', fix: 'Compare a field with something.' };
  if (condition.do === 'call' && condition.name === 'or')
    return condition.args.every(neverHolds) ? neverHolds(condition.args[0] ?? condition) : null;
  const asked = new Map<string, Asked>();
  const askedOf = (part: Expression): Asked => {
    const key = JSON.stringify(part);
    const known = asked.get(key) ?? { least: null, most: null, filled: false, blank: false };
    asked.set(key, known);
    return known;
  };
  for (const part of conjuncts(condition)) {
    if (part.do === 'value' && part.value !== true)
      return { message: 'A part of this never holds.', fix: 'Take the false or blank part out.' };
    if (part.do !== 'call') continue;
    const comparison = asComparison(part);
    if (comparison?.value.value === null)
      return {
        message: 'Nothing is ever equal to a blank, so this never holds.',
        fix: 'Write “is null” or “is not null”.',
      };
    // Whatever is compared has to be filled, also where both sides are read from records.
    if (!comparison && compared.has(part.name))
      for (const side of part.args) {
        const ask = askedOf(side);
        ask.filled = true;
        if (ask.blank) return both;
      }
    if (!comparison && part.name !== 'is null' && part.name !== 'is not null') continue;
    const known = askedOf(comparison?.of ?? part.args[0] ?? part);
    if (part.name === 'is null') known.blank = true;
    else known.filled = true;
    if (comparison) narrow(known, comparison);
    if (known.blank && known.filled) return both;
    if (isEmpty(known))
      return {
        message: 'No value meets both of these comparisons, so this never holds.',
        fix: 'Join them with “or”, or turn a sign round.',
      };
  }
  return null;
}

const both: Problem = {
  message: 'This asks one value to be blank and not blank, so it never holds.',
  fix: 'Join the two with “or”.',
};

const compared = new Set(['=', '<>', '<', '<=', '>', '>=', 'like']);

const conjuncts = (part: Expression): readonly Expression[] =>
  part.do === 'call' && part.name === 'and' ? part.args.flatMap(conjuncts) : [part];

type Comparison = {
  readonly sign: '=' | '<' | '<=' | '>' | '>=';
  readonly of: Expression;
  readonly value: Expression & { do: 'value' };
};

const turned = { '=': '=', '<': '>', '<=': '>=', '>': '<', '>=': '<=' } as const;

/** A comparison of something with a written value, the value on the right. */
function asComparison({ name, args }: Expression & { do: 'call' }): Comparison | null {
  const [a, b] = args;
  if (!(name in turned) || !a || !b) return null;
  const sign = name as keyof typeof turned;
  if (b.do === 'value') return a.do === 'value' ? null : { sign, of: a, value: b };
  return a.do === 'value' ? { sign: turned[sign], of: b, value: a } : null;
}

/** Values that `compareScalars` puts in the order both machines have. */
const ordered = new Set(['number', 'text', 'date', 'option']);

function narrow(known: Asked, { sign, value }: Comparison): void {
  if (!ordered.has(value.type.is) || (value.type.is === 'option' && sign !== '=')) return;
  const compare = (other: Expression & { do: 'value' }) => compareScalars(value.value, other.value, value.type);
  const open = sign === '<' || sign === '>';
  if (
    sign !== '<' &&
    sign !== '<=' &&
    (!known.least || compare(known.least.value) > 0 || (compare(known.least.value) === 0 && open))
  )
    known.least = { value, open };
  if (
    sign !== '>' &&
    sign !== '>=' &&
    (!known.most || compare(known.most.value) < 0 || (compare(known.most.value) === 0 && open))
  )
    known.most = { value, open };
}

function isEmpty({ least, most }: Asked): boolean {
  if (!least || !most) return false;
  const difference = compareScalars(least.value.value, most.value.value, least.value.type);
  return difference > 0 || (difference === 0 && (least.open || most.open));
}
