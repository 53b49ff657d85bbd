import { unmeasured, type Measure } from '../fieldTypes/kind';
import { measureOfType } from '../fieldTypes/registry';
import type { FieldId } from '../types/identity';
import { fieldOf } from '../model/model';
import type { Model } from '../types/model';
import type { FieldType } from '../types/field';
import type { Expression } from '../types/expression';

const plain = unmeasured;
const whole: Measure = { is: 'plain', digits: 0 };

/** How the number that a formula gives is shown: with the unit, the currency and the decimals of what it comes from. */
export function shownNumber(model: Model, expression: Expression): FieldType {
  const measure = measureOf(model, expression, new Set());
  switch (measure.is) {
    case 'unit':
      return { kind: 'number', digits: measure.digits, unit: measure.unit };
    case 'money':
      return { kind: 'money', currency: measure.currency, digits: measure.digits ?? 2 };
    case 'percent':
      return { kind: 'percent', digits: measure.digits };
    case 'any':
    case 'plain':
      return { kind: 'number', digits: measure.is === 'any' ? null : measure.digits };
  }
}

/** The currency of a number that is money of one currency; null for all others. */
export function currencyOf(model: Model, expression: Expression): string | null {
  if (expression.type.is !== 'number') return null;
  const measure = measureOf(model, expression, new Set());
  return measure.is === 'money' ? measure.currency : null;
}

function measureOf(model: Model, expression: Expression, seen: ReadonlySet<FieldId>): Measure {
  const of = (part: Expression | undefined) => (part ? measureOf(model, part, seen) : plain);
  switch (expression.do) {
    case 'value':
      return { is: 'any', digits: decimals(expression.value) };
    case 'field':
      return ofField(model, expression.field, seen);
    case 'case':
      return shared([
        ...expression.whens.map(({ then }) => of(then)),
        ...(expression.otherwise ? [of(expression.otherwise)] : []),
      ]);
    case 'aggregate':
      if (['sum', 'min', 'max', 'first', 'last'].includes(expression.name)) return of(expression.of ?? undefined);
      if (expression.name === 'avg') return { ...of(expression.of ?? undefined), digits: null };
      return expression.name === 'count' ? whole : plain;
    case 'call': {
      const [a, b] = expression.args;
      switch (expression.name) {
        case '+':
        case '-':
        case 'greatest':
        case 'least':
        case 'coalesce':
          return shared(expression.args.map(of));
        case 'if':
          return shared(expression.args.slice(1).map(of));
        case '*':
          return product(of(a), of(b));
        case '/':
          return quotient(of(a), of(b));
        case 'negate':
        case 'abs':
        case 'nullif':
        case 'mod':
          return of(a);
        case 'round':
        case 'rounddown':
        case 'roundup':
          return { ...of(a), digits: b === undefined ? 0 : b.do === 'value' ? Math.max(0, Number(b.value)) : null };
        case 'ceil':
        case 'floor':
          return { ...of(a), digits: 0 };
        default:
          return plain;
      }
    }
  }
}

function ofField(model: Model, id: FieldId, seen: ReadonlySet<FieldId>): Measure {
  const { type } = fieldOf(model, id).field;
  if (type.kind !== 'formula') return measureOfType(type);
  // Over a hierarchy a field is measured by what else goes in.
  return seen.has(id) || type.result.is !== 'number'
    ? { is: 'any', digits: 0 }
    : measureOf(model, type.formula, new Set([...seen, id]));
}

const decimals = (value: unknown): number => String(value).split('.')[1]?.length ?? 0;

const most = (digits: readonly (number | null)[]): number | null =>
  digits.includes(null) ? null : Math.max(0, ...digits.map(Number));

const sameKind = (a: Measure, b: Measure): boolean =>
  a.is === b.is &&
  (a.is !== 'unit' || a.unit === (b as typeof a).unit) &&
  (a.is !== 'money' || a.currency === (b as typeof a).currency);

/** What values that stand for each other, or are added up, measure together. */
function shared(all: readonly Measure[]): Measure {
  const spoken = all.filter(({ is }) => is !== 'any');
  const [first] = spoken;
  const digits = most(all.map((one) => one.digits));
  if (!first) return { is: 'any', digits };
  return spoken.every((one) => sameKind(one, first)) ? { ...first, digits } : { is: 'plain', digits };
}

const counts = ({ is }: Measure): boolean => is === 'any' || is === 'plain';

function product(a: Measure, b: Measure): Measure {
  const digits = a.digits === null || b.digits === null ? null : a.digits + b.digits;
  // A share of something is measured as that is; an amount at a price is money.
  if (a.is === 'money' && b.is !== 'money') return { ...a, digits: a.digits };
  if (b.is === 'money' && a.is !== 'money') return { ...b, digits: b.digits };
  if (counts(a) || a.is === 'percent')
    return { ...(b.is === 'any' ? a : b), digits: a.is === 'percent' ? null : digits };
  if (counts(b) || b.is === 'percent') return { ...a, digits: b.is === 'percent' ? null : digits };
  return { is: 'plain', digits };
}

function quotient(a: Measure, b: Measure): Measure {
  if (sameKind(a, b)) return plain;
  return counts(b) || b.is === 'percent' ? { ...a, digits: null } : plain;
}
