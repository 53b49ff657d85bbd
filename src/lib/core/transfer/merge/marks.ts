import { fieldOf } from '../../model/model';
import type { Expression } from '../../types/expression';
import type { FieldId } from '../../types/identity';
import type { Model } from '../../types/model';

/** That a record comes from one of the tables: `place` is the record's, along the set of an aggregate. */
export function marked(model: Model, mark: FieldId, option: string, place = 0, is: '=' | '<>' = '='): Expression {
  const { field } = fieldOf(model, mark);
  const type = { is: 'option', field: field.id } as const;
  return {
    do: 'call',
    name: is,
    args: [
      { do: 'field', place, through: [], field: field.id, type },
      { do: 'value', type, value: option },
    ],
    type: { is: 'boolean' },
  };
}

const joined =
  (name: 'and' | 'or') =>
  (all: readonly Expression[]): Expression | null => {
    const [first, ...others] = all;
    return first
      ? others.reduce<Expression>(
          (one, other) => ({ do: 'call', name, args: [one, other], type: { is: 'boolean' } }),
          first,
        )
      : null;
  };

export const allOf = joined('and');
export const anyOf = joined('or');
