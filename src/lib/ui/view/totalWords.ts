import { valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { TotalKind } from '$core/types/view';

/** What a total is called: of days the least is the earliest. */
export function totalWords(field: Field, kind: TotalKind): string {
  const { is } = valueTypeOf(field);
  const days = is === 'date' || is === 'timestamp';
  switch (kind) {
    case 'sum':
      return 'Σ';
    case 'avg':
      return 'average';
    case 'min':
      return days ? 'earliest' : 'minimum';
    case 'max':
      return days ? 'latest' : 'maximum';
    case 'distinct':
      return 'unique values';
    default:
      return kind;
  }
}
