import type { SortStep } from '$core/types/view';

/**
 * A stretch of days by its first one: `2026-05-01` is the month `2026-05`, the quarter `2026, 2nd quarter`, the week
 * `week of 2026-05-01`.
 */
export function stretchWords(day: string, by: SortStep): string {
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
