import { addMonths, dateOfDayNumber, dayNumber } from '../fieldTypes/date';
import { isSamePath } from '../query/query';
import type { Period, Span } from '../types/summary';
import type { SortPart } from '../types/view';

/** Days from the first to before the last, ISO 8601. */
interface Stretch {
  readonly from: string;
  readonly until: string;
}

/** A period as it lies on a day. */
export interface Lying extends Stretch {
  /** What it is held against. */
  readonly against: Stretch | null;
  /** How far the one is from the other, as PostgreSQL writes an interval. */
  readonly shift: string;
  /** The period is not over: it is held against the same days of the other alone. */
  readonly toDate: boolean;
}

const [firstDay, lastDay] = ['0001-01-01', '9999-12-31'];
const plusDays = (day: string, days: number): string =>
  dateOfDayNumber(dayNumber(day) + days) ?? (days < 0 ? firstDay : lastDay);
const plusMonths = (day: string, months: number): string => addMonths(day, months) ?? (months < 0 ? firstDay : lastDay);

const monthsOf: Partial<Record<Span, number>> = { month: 1, quarter: 3, year: 12 };

/** The day a span begins on: weeks on Monday (ISO 8601). */
function startOf(span: Span, day: string): string {
  switch (span) {
    case 'day':
      return day;
    case 'week':
      // 1970-01-01 was a Thursday.
      return plusDays(day, -((((dayNumber(day) + 3) % 7) + 7) % 7));
    case 'month':
      return `${day.slice(0, 7)}-01`;
    case 'quarter': {
      const month = Number(day.slice(5, 7));
      return `${day.slice(0, 4)}-${String(month - ((month - 1) % 3)).padStart(2, '0')}-01`;
    }
    case 'year':
      return `${day.slice(0, 4)}-01-01`;
  }
}

/** So many spans later. */
export function plusSpans(span: Span, day: string, count: number): string {
  const months = monthsOf[span];
  return months === undefined ? plusDays(day, (span === 'week' ? 7 : 1) * count) : plusMonths(day, months * count);
}

/** How far what a period is held against lies back. */
function shiftOf({ span, count, against }: Period): { readonly months: number; readonly days: number } {
  const months = monthsOf[span];
  if (months !== undefined) return { months: against === 'yearBefore' ? 12 : months * count, days: 0 };
  // The same weekday a year before.
  if (against === 'yearBefore') return span === 'week' ? { months: 0, days: 364 } : { months: 12, days: 0 };
  return { months: 0, days: (span === 'week' ? 7 : 1) * count };
}

/**
 * Where a period lies on a day, and what it is held against. One that is not over is held against the same days of the
 * other alone, unless its days are told apart by `groups` anyway.
 */
export function lyingOn(period: Period, day: string, groups: readonly SortPart[] = []): Lying {
  const { span, count, back, against } = period;
  const last = plusSpans(span, startOf(span, day), -back);
  const from = plusSpans(span, last, 1 - count);
  const until = plusSpans(span, last, 1);
  const { months, days } = shiftOf(period);
  const shifted = (one: string) => plusDays(plusMonths(one, -months), -days);
  const isApart = groups.some((part) => isSamePath(part, period.field));
  const today = plusDays(day, 1);
  const toDate = against !== null && !isApart && today < until;
  const other = shifted(toDate ? today : until);
  return {
    from,
    until,
    // A stretch never reaches into the one that it is held against.
    against: against && { from: shifted(from), until: other < from ? other : from },
    shift: months > 0 ? `${months} months` : `${days} days`,
    toDate,
  };
}

const spanWords: Record<Span, readonly [string, string]> = {
  day: ['day', 'days'],
  week: ['week', 'weeks'],
  month: ['month', 'months'],
  quarter: ['quarter', 'quarters'],
  year: ['year', 'years'],
};

/** What a period is called: `this year`, `the last 30 days`, `the month before last`. */
export function periodWords({ span, count, back }: Pick<Period, 'span' | 'count' | 'back'>): string {
  const [one, many] = spanWords[span];
  if (count > 1)
    return `${count} ${many}${back === 0 ? ` up to ${span === 'day' ? 'today' : `this ${one}`}` : ` up to ${back} ${back === 1 ? one : many} ago`}`;
  if (span === 'day') return back === 0 ? 'today' : back === 1 ? 'yesterday' : `${back} days ago`;
  return back === 0 ? `this ${one}` : back === 1 ? `last ${one}` : `${back} ${many} ago`;
}

/** What it is held against, in words. */
export function againstWords(period: Period): string {
  const { span, count, back, against } = period;
  if (against === null) return '';
  if (against === 'before' && count === 1) return periodWords({ span, count, back: back + 1 });
  if (against === 'before') return `the ${count} ${spanWords[span][1]} before`;
  return span === 'year' && count === 1 ? periodWords({ span, count, back: back + 1 }) : 'a year before';
}

/** A day as far back as one stretch lies from the other. */
export function shiftedBack(day: string, shift: string): string {
  const [count, unit] = shift.split(' ');
  return unit === 'months' ? plusMonths(day, -Number(count)) : plusDays(day, -Number(count));
}
