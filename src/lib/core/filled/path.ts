import { valueTypeOf } from '../model/model';
import type { Expression } from '../types/expression';
import type { Field } from '../types/field';
import type { FieldId } from '../types/identity';

/** A field of a record, or of one that links lead to, as a formula. */
export const pathTo = (field: Field, through: readonly FieldId[] = []): Expression => ({
  do: 'field',
  place: 0,
  through,
  field: field.id,
  type: valueTypeOf(field),
});
