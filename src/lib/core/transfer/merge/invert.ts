import { valueTypeOf } from '../../model/model';
import type { Expression } from '../../types/expression';
import type { Field } from '../../types/field';
import type { FieldId } from '../../types/identity';
import { pathTo } from '../../filled/path';
import type { ReadAt } from '../rewrite';

/** The field that a formula turns, and how it is found again from what the formula gives; null for any other formula. */
interface Turned {
  readonly field: FieldId;
  readonly back: (now: Expression) => Expression;
}

const call = (name: string, args: readonly Expression[], type: Expression['type']): Expression => ({
  do: 'call',
  name,
  args,
  type,
});

const isNumber = (expression: Expression | undefined): expression is Expression =>
  expression?.do === 'value' && expression.type.is === 'number' && Number(expression.value) !== 0;

/** What undoes an operation with a written number on its right. */
const opposite: Readonly<Record<string, string>> = { '+': '-', '-': '+', '*': '/', '/': '*' };

/** A sign, a factor or an amount that is added can be undone: `-kg`, `kg * 1000`, `kg / 1.2`, `degrees - 32`. */
export function turned(formula: Expression): Turned | null {
  if (formula.do === 'field')
    return formula.place === 0 && formula.through.length === 0 ? { field: formula.field, back: (now) => now } : null;
  if (formula.do !== 'call') return null;
  const [left, right] = formula.args;
  if ((formula.name === 'negate' || formula.name === 'money negated') && left) {
    const inner = turned(left);
    return inner && { field: inner.field, back: (now) => inner.back(call(formula.name, [now], now.type)) };
  }
  const back = opposite[formula.name];
  if (back === undefined || !left) return null;
  if (isNumber(right)) {
    const inner = turned(left);
    return inner && { field: inner.field, back: (now) => inner.back(call(back, [now, right], now.type)) };
  }
  if (isNumber(left) && right && (formula.name === '*' || formula.name === '+')) {
    const inner = turned(right);
    return inner && { field: inner.field, back: (now) => inner.back(call(back, [now, left], now.type)) };
  }
  return null;
}

/** What gives a field's value from the field that it went to. */
export const readBack =
  (now: Field, { back }: Turned) =>
  ({ place, through }: ReadAt): Expression =>
    back({ ...pathTo(now, through), place, type: valueTypeOf(now) } as Expression);
