import type { SortPart } from '../types/view';

/**
 * A stretch by its first day or number: of 5 from 10 on `10 – 15`; `2026-05-01` is the month `2026-05`, the quarter `2026, 2nd quarter`, the week
 * `week of 2026-05-01`.
 */
export function stretchWords(day: string, by: NonNullable<SortPart['by']>): string {
  if (typeof by === 'number') return `${day} – ${Number((Number(day) + by).toFixed(12))}`;
  const [year = '', month = ''] = day.split('-');
  switch (by) {
    case 'year':
      return year;
    case 'quarter':
      return `${year}, ${['1st', '2nd', '3rd', '4th'][Math.floor((Number(month) - 1) / 3)] ?? ''} quarter`;
    case 'month':
      return `${year}-${month}`;
    case 'week':
      return `week of ${day}`;
    default:
      return day;
  }
}
