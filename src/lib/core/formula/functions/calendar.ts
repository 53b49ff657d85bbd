import { addMonths, dateOfDayNumber, dayNumber, daysInMonth, isoDate } from '../../fieldTypes/date';
import { Exact } from '../../fieldTypes/number';
import type { Scalar } from '../../types/expression';
import { isoWeek } from './dates';
import type { FunctionDefinition, Signature } from './definition';

/** Days since Monday, 0001-01-01, so that whole weeks are multiples of 7. */
const sinceMonday = (iso: Scalar | undefined) => dayNumber(String(iso)) - dayNumber('0001-01-01');
/** Mondays to Fridays among the first n days since then. */
const workingDays = (n: number) => Math.floor(n / 7) * 5 + Math.min(n % 7, 5);
const whole = (value: Scalar | undefined) => new Exact(String(value)).trunc();

function monthsLater(iso: Scalar | undefined, months: Scalar | undefined): string | null {
  const n = whole(months);
  return n.abs().lt(200_000) ? addMonths(String(iso), n.toNumber()) : null;
}

function workday(d: Scalar | undefined, days: Scalar | undefined): Scalar {
  const exact = new Exact(String(days));
  const n = exact.trunc();
  if (n.isZero()) return String(d);
  if (exact.abs().gt(4_000_000)) return null;
  const from = sinceMonday(d);
  const k = n.gt(0) ? workingDays(from + 1) + n.toNumber() : workingDays(from) + n.toNumber() + 1;
  return k < 1 ? null : dateOfDayNumber(dayNumber('0001-01-01') + Math.floor((k - 1) / 5) * 7 + ((k - 1) % 5));
}

const monthly: Signature = { takes: ['date', 'number'], gives: 'date' };
const outside = 'it leaves the years 1 to 9999';

/** What OpenFormula has for calendars where SQL has nothing. Working days are Mondays to Fridays. */
export const calendar: readonly FunctionDefinition[] = [
  {
    name: 'edate',
    family: 'dates',
    usage: 'edate(d, months)',
    help: 'The date so many months later; the day is held to the month.',
    signatures: [monthly],
    blanks: 'spreads',
    mayBlank: outside,
    evaluate: ([d, n]) => monthsLater(d, n),
    sql: ([d, n]) => `loom.shift_months(${d}, ${n})`,
    examples: [["edate(date '2026-01-31', 1)", '2026-02-28']],
  },
  {
    name: 'eomonth',
    family: 'dates',
    usage: 'eomonth(d, months)',
    help: 'The last day of the month so many months later.',
    signatures: [monthly],
    blanks: 'spreads',
    mayBlank: outside,
    evaluate([d, n]) {
      const moved = monthsLater(d, n);
      if (moved === null) return null;
      const [year, month] = [Number(moved.slice(0, 4)), Number(moved.slice(5, 7))];
      return isoDate(year, month, daysInMonth(year, month));
    },
    sql: ([d, n]) => `loom.month_end(${d}, ${n})`,
    examples: [["eomonth(date '2026-01-15', 1)", '2026-02-28']],
  },
  {
    name: 'workday',
    family: 'dates',
    usage: 'workday(d, n)',
    help: 'The n-th working day after d, or before it when n is negative.',
    signatures: [monthly],
    blanks: 'spreads',
    mayBlank: outside,
    evaluate: ([d, n]) => workday(d, n),
    sql: ([d, n]) => `loom.work_day(${d}, ${n})`,
    examples: [
      ["workday(date '2026-05-15', 1)", '2026-05-18'],
      ["workday(date '2026-05-17', -1)", '2026-05-15'],
    ],
  },
  {
    name: 'networkdays',
    family: 'dates',
    usage: 'networkdays(d, e)',
    help: 'The working days from d to e, both counted.',
    signatures: [{ takes: ['date', 'date'], gives: 'number' }],
    blanks: 'spreads',
    evaluate([d, e]) {
      const [a, b] = [sinceMonday(d), sinceMonday(e)];
      return String(b >= a ? workingDays(b + 1) - workingDays(a) : workingDays(b) - workingDays(a + 1));
    },
    sql: ([d, e]) => `loom.net_work_days(${d}, ${e})`,
    examples: [
      ["networkdays(date '2026-05-15', date '2026-05-18')", '2'],
      ["networkdays(date '2026-05-18', date '2026-05-15')", '-2'],
    ],
  },
  {
    name: 'weekday',
    family: 'dates',
    usage: 'weekday(d, from)',
    help: 'The day of the week: from Sunday = 1; with 2 from Monday = 1, with 3 from Monday = 0.',
    signatures: [{ takes: ['date', 'number'], optional: 1, gives: 'number' }],
    blanks: 'spreads',
    mayBlank: 'from is neither 1, 2 nor 3',
    evaluate([d, from]) {
      const monday = sinceMonday(d) % 7;
      const kind = from === undefined ? 1 : new Exact(String(from)).toNumber();
      return kind === 1
        ? String(((monday + 1) % 7) + 1)
        : kind === 2
          ? String(monday + 1)
          : kind === 3
            ? String(monday)
            : null;
    },
    sql: ([d, from]) => {
      const sunday = `(extract(dow from ${d}) + 1)`;
      if (from === undefined) return sunday;
      return `(case ${from} when 1 then ${sunday} when 2 then extract(isodow from ${d}) when 3 then extract(isodow from ${d}) - 1 end)`;
    },
    examples: [
      ["weekday(date '2026-05-16')", '7'],
      ["weekday(date '2026-05-16', 2)", '6'],
    ],
  },
  {
    name: 'isoweeknum',
    family: 'dates',
    usage: 'isoweeknum(d)',
    help: 'The ISO 8601 week of the year: the week of its Thursday.',
    signatures: [{ takes: ['date'], gives: 'number' }],
    blanks: 'spreads',
    evaluate: ([d]) => String(isoWeek(String(d))),
    sql: ([d]) => `extract(week from ${d})`,
    examples: [["isoweeknum(date '2027-01-01')", '53']],
  },
  {
    name: 'time',
    family: 'dates',
    usage: 'time(hours, minutes, seconds)',
    help: 'A duration of these parts, to the second.',
    signatures: [{ takes: ['number', 'number', 'number'], gives: 'duration' }],
    blanks: 'spreads',
    mayBlank: 'it is too long',
    evaluate([h, m, s]) {
      const seconds = whole(h).times(3600).plus(whole(m).times(60)).plus(whole(s));
      return seconds.abs().lt(1_000_000_000) ? seconds.toString() : null;
    },
    sql: ([h, m, s]) =>
      `(select case when abs(t) < 1000000000 then make_interval(secs => t::double precision) end from (select trunc(${h}) * 3600 + trunc(${m}) * 60 + trunc(${s}) as t) x)`,
    examples: [["time(1, 30, 0) = '1:30'", 'true']],
  },
];
