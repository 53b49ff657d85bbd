import { shownNumber } from './measure';
import { fieldOf } from '../model/model';
import type { Expression, ValueType } from '../types/expression';
import type { Model } from '../types/model';
import type { Field, FieldKind, FieldType } from '../types/field';

/** The type a field's values are shown, compared and edited as: a formula by its result. */
export function shownType(model: Model, field: Field): FieldType {
  if (field.type.kind !== 'formula') return systemShown[field.type.kind] ?? field.type;
  const { formula, result } = field.type;
  // A formula that reads itself over a hierarchy says by its result alone what it is.
  return formula.do === 'field' && formula.field === field.id
    ? shownResult(model, formula, result)
    : shownFormula(model, formula, result);
}

/** The type that the values of a formula are shown as. */
export const shownFormula = (model: Model, formula: Expression, result = formula.type): FieldType =>
  // A plain look-up is shown as the field it looks up.
  formula.do === 'field' ? shownType(model, fieldOf(model, formula.field).field) : shownResult(model, formula, result);

function shownResult(model: Model, formula: Expression, result: ValueType): FieldType {
  switch (result.is) {
    case 'number':
      return shownNumber(model, formula);
    case 'boolean':
      return { kind: 'yesNo' };
    case 'date':
    case 'duration':
    case 'member':
    case 'place':
    case 'files':
      return { kind: result.is };
    case 'timestamp':
      return { kind: 'dateTime' };
    case 'money':
      return { kind: 'money', currency: null, digits: 2 };
    case 'option':
    case 'options':
      return fieldOf(model, result.field).field.type;
    default:
      return { kind: 'text' };
  }
}

const systemShown: Partial<Record<FieldKind, FieldType>> = {
  createdAt: { kind: 'dateTime' },
  changedAt: { kind: 'dateTime' },
  createdBy: { kind: 'member' },
  changedBy: { kind: 'member' },
};
