import { addMonths, dateOfDayNumber, dayNumber } from '$core/fieldTypes/date';

/** Weeks run from Monday to Sunday (ISO 8601). */
const weekdayOf = (day: string): number => (dayNumber(day) + 3) % 7;

export const plusDays = (day: string, days: number): string => dateOfDayNumber(dayNumber(day) + days) ?? day;

export type CalendarSpan = 'month' | 'week';

/** The days a calendar shows around one of them: whole weeks, of its month or just its own. */
export function daysShown(around: string, span: CalendarSpan): string[] {
  const from = span === 'week' ? around : `${around.slice(0, 7)}-01`;
  const first = plusDays(from, -weekdayOf(from));
  if (span === 'week') return Array.from({ length: 7 }, (_, index) => plusDays(first, index));
  const next = addMonths(`${around.slice(0, 7)}-01`, 1) ?? around;
  const weeks = Math.ceil((dayNumber(next) - dayNumber(first)) / 7);
  return Array.from({ length: weeks * 7 }, (_, index) => plusDays(first, index));
}

export const turned = (around: string, span: CalendarSpan, by: number): string =>
  span === 'week' ? plusDays(around, 7 * by) : (addMonths(`${around.slice(0, 7)}-01`, by) ?? around);

/** A record on a calendar: its first and last day. */
export interface Dated<T> {
  readonly record: T;
  readonly from: string;
  readonly to: string;
}

/** A record’s piece of one week: the column it begins in, how many days it covers, and its line among the others. */
export interface WeekPiece<T> {
  readonly record: T;
  readonly column: number;
  readonly days: number;
  readonly line: number;
  /** It goes on from the week before, or into the next one. */
  readonly fromBefore: boolean;
  readonly goesOn: boolean;
}

/**
 * Lays the records of one week out in lines, so that none covers another: the earliest first, the longest of those
 * before the others.
 */
export function weekPieces<T>(dated: readonly Dated<T>[], monday: string): WeekPiece<T>[] {
  const first = dayNumber(monday);
  const free: number[] = [];
  return dated
    .map((one) => ({
      ...one,
      start: dayNumber(one.from) - first,
      end: dayNumber(one.to < one.from ? one.from : one.to) - first,
    }))
    .filter(({ start, end }) => start <= 6 && end >= 0)
    .sort((a, b) => Math.max(0, a.start) - Math.max(0, b.start) || b.end - b.start - (a.end - a.start))
    .map(({ record, start, end }) => {
      const column = Math.max(0, start);
      const days = Math.min(6, end) - column + 1;
      let line = free.findIndex((until) => until <= column);
      if (line < 0) line = free.length;
      free[line] = column + days;
      return { record, column, days, line, fromBefore: start < 0, goesOn: end > 6 };
    });
}
