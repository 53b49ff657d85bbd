import { addMonths, dateOfDayNumber, dayNumber, isoDate } from '../../fieldTypes/date';
import { localTime } from '../../fieldTypes/dateTime';
import { Exact } from '../../fieldTypes/number';
import { quoteText } from '../../base/sql';
import type { Scalar } from '../../types/expression';
import type { FunctionDefinition } from './definition';

/** Whole months and days of an interval value, written `months days`. */
export function intervalParts(value: Scalar): { months: number; days: number } {
  const [months = 0, days = 0] = String(value).split(' ').map(Number);
  return { months, days };
}

const units: Record<string, { months: number; days: number }> = {
  year: { months: 12, days: 0 },
  month: { months: 1, days: 0 },
  week: { months: 0, days: 7 },
  day: { months: 0, days: 1 },
};

/** Reads `3 months`, `1 year 2 days`; null when it is no interval of years, months, weeks and days. */
export function parseInterval(written: string): string | null {
  const parts = [
    ...written
      .trim()
      .toLowerCase()
      .matchAll(/([+-]?\d{1,6})\s*(year|month|week|day)s?\s*/gy),
  ];
  if (parts.length === 0 || parts.map(([whole]) => whole).join('') !== written.trim().toLowerCase()) return null;
  let [months, days] = [0, 0];
  for (const [, count, unit] of parts) {
    const { months: m, days: d } = units[unit ?? ''] ?? { months: 0, days: 0 };
    months += Number(count) * m;
    days += Number(count) * d;
  }
  return `${months} ${days}`;
}

/** Shifts by whole days (fractions are cut); blank outside the years 1 to 9999. */
function shiftDays(iso: Scalar, days: Scalar, sign: 1 | -1): Scalar {
  const whole = new Exact(String(days)).trunc();
  return whole.abs().gt(4_000_000) ? null : dateOfDayNumber(dayNumber(String(iso)) + sign * whole.toNumber());
}

/** Months first, then days, as SQL does; blank outside the years 1 to 9999. */
function shiftInterval(iso: Scalar, interval: Scalar, sign: 1 | -1): Scalar {
  const { months, days } = intervalParts(interval);
  const moved = addMonths(String(iso), sign * months);
  return moved === null || Math.abs(days) > 4_000_000 ? null : dateOfDayNumber(dayNumber(moved) + sign * days);
}

/** ISO 8601 week: the week of its Thursday. */
export function isoWeek(iso: string): number {
  const day = dayNumber(iso);
  const thursday = day - ((((day + 3) % 7) + 7) % 7) + 3;
  const year = (dateOfDayNumber(thursday) ?? iso).slice(0, 4);
  return Math.floor((thursday - dayNumber(`${year}-01-01`)) / 7) + 1;
}

const parts: Record<string, (iso: string) => number> = {
  year: (iso) => Number(iso.slice(0, 4)),
  month: (iso) => Number(iso.slice(5, 7)),
  day: (iso) => Number(iso.slice(8, 10)),
  quarter: (iso) => Math.ceil(Number(iso.slice(5, 7)) / 3),
  week: isoWeek,
  isodow: (iso) => ((((dayNumber(iso) + 3) % 7) + 7) % 7) + 1,
};
const timeParts = ['hour', 'minute', 'second'];
/** What can be extracted of a day; of a moment the parts of its time, too. */
export const partNames = (is: 'date' | 'timestamp'): readonly string[] =>
  is === 'date' ? Object.keys(parts) : [...Object.keys(parts), ...timeParts];

const part = (name: 'year' | 'month' | 'day', example: string): FunctionDefinition => ({
  name,
  family: 'dates',
  usage: `${name}(d)`,
  help: `The ${name} of a date.`,
  signatures: [{ takes: ['date'], gives: 'number' }],
  blanks: 'spreads',
  evaluate: ([d]) => String(parts[name]?.(String(d))),
  sql: ([d]) => `extract(${name} from ${d})`,
  examples: [[`${name}(date '2026-05-16')`, example]],
});

const difference = (name: string, usage: string, example: string): FunctionDefinition => ({
  name,
  family: 'dates',
  usage,
  help: 'The days from e to d.',
  signatures: [{ takes: ['date', 'date'], gives: 'number' }],
  blanks: 'spreads',
  evaluate: ([d, e]) => String(dayNumber(String(d)) - dayNumber(String(e))),
  sql: ([d, e]) => `(${d} - ${e})::numeric`,
  examples: [[example, '28']],
});

export const dates: readonly FunctionDefinition[] = [
  {
    name: 'today',
    family: 'dates',
    usage: 'today()',
    help: "The workspace's day.",
    signatures: [{ takes: [], gives: 'date' }],
    blanks: 'spreads',
    evaluate: (_, { today }) => today,
    sql: (_, { today }) => today,
    examples: [['today() = today()', 'true']],
  },
  {
    name: 'date',
    family: 'dates',
    usage: 'date(year, month, day)',
    help: 'The date with these parts; blank when the calendar has none.',
    signatures: [{ takes: ['number', 'number', 'number'], gives: 'date' }],
    blanks: 'spreads',
    mayBlank: 'the calendar has no such day',
    evaluate([y, m, d]) {
      const [year, month, day] = [y, m, d].map((value) => new Exact(String(value)));
      if (!year || !month || !day || ![year, month, day].every((value) => value.isInteger() && value.abs().lt(100_000)))
        return null;
      return isoDate(year.toNumber(), month.toNumber(), day.toNumber());
    },
    sql: ([y, m, d]) => `loom.date_of(${y}, ${m}, ${d})`,
    examples: [
      ['date(2026, 2, 28)', '2026-02-28'],
      ['date(2026, 2, 30)', ''],
    ],
  },
  difference('days between', 'd - e', "date '2026-03-01' - date '2026-02-01'"),
  // A function of its own, not a second name: printed with the sign, a blank would be read as a number.
  difference('days', 'days(d, e)', "days(date '2026-03-01', date '2026-02-01')"),
  {
    name: 'days later',
    family: 'dates',
    usage: 'd + n',
    help: 'The date n days later.',
    signatures: [{ takes: ['date', 'number'], gives: 'date' }],
    blanks: 'spreads',
    mayBlank: 'it leaves the years 1 to 9999',
    evaluate: ([d, n]) => shiftDays(d ?? null, n ?? null, 1),
    sql: ([d, n]) => `loom.shift_days(${d}, ${n})`,
    examples: [["date '2026-02-27' + 2", '2026-03-01']],
  },
  {
    name: 'days earlier',
    family: 'dates',
    usage: 'd - n',
    help: 'The date n days earlier.',
    signatures: [{ takes: ['date', 'number'], gives: 'date' }],
    blanks: 'spreads',
    mayBlank: 'it leaves the years 1 to 9999',
    evaluate: ([d, n]) => shiftDays(d ?? null, n ?? null, -1),
    sql: ([d, n]) => `loom.shift_days(${d}, - ${n})`,
    examples: [["date '2026-03-01' - 1", '2026-02-28']],
  },
  {
    name: 'interval later',
    family: 'dates',
    usage: "d + interval '1 month'",
    help: 'The date that much later; the day is held to the month.',
    signatures: [{ takes: ['date', 'interval'], gives: 'date' }],
    blanks: 'spreads',
    mayBlank: 'it leaves the years 1 to 9999',
    evaluate: ([d, i]) => shiftInterval(d ?? null, i ?? null, 1),
    sql: ([d, i]) => `loom.shift_interval(${d}, ${i})`,
    examples: [["date '2026-01-31' + interval '1 month'", '2026-02-28']],
  },
  {
    name: 'interval earlier',
    family: 'dates',
    usage: "d - interval '1 month'",
    help: 'The date that much earlier; the day is held to the month.',
    signatures: [{ takes: ['date', 'interval'], gives: 'date' }],
    blanks: 'spreads',
    mayBlank: 'it leaves the years 1 to 9999',
    evaluate: ([d, i]) => shiftInterval(d ?? null, i ?? null, -1),
    sql: ([d, i]) => `loom.shift_interval(${d}, - ${i})`,
    examples: [["date '2024-02-29' - interval '1 year'", '2023-02-28']],
  },
  {
    name: 'extract',
    family: 'dates',
    usage: 'extract(part from d)',
    help: 'year, quarter, month, week, day or isodow of a day; of a moment on the workspace’s clocks hour, minute and second, too.',
    signatures: [
      { takes: ['text', 'date'], gives: 'number' },
      { takes: ['text', 'timestamp'], gives: 'number' },
    ],
    blanks: 'spreads',
    evaluate([name, d], { zone = 'UTC' }, types) {
      if (types[1]?.is !== 'timestamp') return String(parts[String(name)]?.(String(d)));
      const { day, time } = localTime(d ?? null, zone);
      const clock = timeParts.indexOf(String(name));
      return clock >= 0 ? String(Number(time.split(':')[clock])) : String(parts[String(name)]?.(day));
    },
    sql([name, d], { zone }, types) {
      // The checker lets only the names of parts through, so the literal can stand bare.
      const part = String(name).replace(/[^a-z]|text/g, '');
      if (types[1]?.is !== 'timestamp') return `extract(${part} from ${d})`;
      return `trunc(extract(${part} from ${d} at time zone ${quoteText(zone)}))`;
    },
    examples: [
      ["extract(quarter from date '2026-05-16')", '2'],
      ["extract(week from date '2027-01-01')", '53'],
      ["extract(minute from timestamp '2026-05-16 14:30:00Z')", '30'],
    ],
  },
  part('year', '2026'),
  part('month', '5'),
  part('day', '16'),
];
