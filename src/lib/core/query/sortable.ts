import { shownType } from '../formula/shownType';
import { isToMany, valueTypeOf } from '../model/model';
import type { Field } from '../types/field';
import type { Model } from '../types/model';
import type { SortStep } from '../types/view';

/** Whether records can be put in an order by a field. */
export const isSortable = ({ type }: Field): boolean => type.kind !== 'counterpart';

/** How a field's records can be grouped: `null` by the values themselves. */
export function groupSteps(model: Model, field: Field): readonly (SortStep | null)[] {
  if (isToMany(field)) return ['each'];
  if (!isSortable(field)) return [];
  const { is } = valueTypeOf(field);
  if (is === 'options') return ['each', null];
  if (is === 'date' || is === 'timestamp') return ['day', 'week', 'month', 'quarter', 'year'];
  if (is === 'files' || shownType(model, field).kind === 'longText') return [];
  return [null];
}
