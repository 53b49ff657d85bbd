import { tableOf, valueTypeOf } from '../model/model';
import type { Expression } from '../types/expression';
import type { Field } from '../types/field';
import type { FieldId } from '../types/identity';
import type { Model } from '../types/model';

/** A field of a record, or of one that links lead to, as a formula. */
export const pathTo = (field: Field, through: readonly FieldId[] = []): Expression => ({
  do: 'field',
  place: 0,
  through,
  field: field.id,
  type: valueTypeOf(field),
});

/** A link in a text is the title of its record. */
export function titled(model: Model, expression: Expression): Expression {
  if (expression.do !== 'field' || expression.type.is !== 'record') return expression;
  const { title, fields } = tableOf(model, expression.type.table);
  const field = fields.find(({ id }) => id === title);
  return field
    ? { ...expression, through: [...expression.through, expression.field], field: field.id, type: valueTypeOf(field) }
    : expression;
}
