import type { NoSettings } from '../types/field';
import { Temporal } from 'temporal-polyfill';
import { bad, good, type Result } from '../base/problem';
import { date, writtenDay } from './date';
import type { Scalar } from '../types/expression';
import { plainReading, type Reading, type ValueKind } from './kind';
import { compareCodePoints, shorten } from './text';

const shape =
  /^(\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[./-]\d{1,2}[./-]\d{4}|\d{1,2}[./]\d{1,2}[./]\d{2}|\d{1,2}(?:st|nd|rd|th)?[. -]* *[a-zäéû]{3,10}\.?,?[ -]+\d{4}|[a-zäéû]{3,10}\.? +\d{1,2}(?:st|nd|rd|th)?,? +\d{4})(?:(?:[ ]+|T|, ?)(\d{1,2}):(\d{2})(?::(\d{2})(?:\.\d{1,9})?)?)? ?(Z|[+-]\d{2}:?\d{2})?$/i;

/**
 * The instant of a local time in a zone, RFC 3339 in UTC; null outside the years 1 to 9999. A time that the clock
 * passes twice is the later one, one that it leaps over is shifted forward: PostgreSQL's reading.
 */
export function instantOf(local: string, zone: string): string | null {
  const instant = Temporal.PlainDateTime.from(local).toZonedDateTime(zone, { disambiguation: 'later' }).toInstant();
  return canonicalInstant(instant.epochMilliseconds);
}

/** RFC 3339 in UTC to the second. */
export function canonicalInstant(milliseconds: number): string | null {
  const written = new Date(Math.floor(milliseconds / 1000) * 1000).toISOString();
  return /^(?!0000)\d{4}-/.test(written) ? `${written.slice(0, 19)}Z` : null;
}

/** Day and time of an instant on the clocks of a zone: `2026-05-16` and `14:30:00`. */
export function localTime(instant: Scalar, zone: string): { day: string; time: string } {
  const local = Temporal.Instant.from(String(instant)).toZonedDateTimeISO(zone).toPlainDateTime();
  return { day: local.toPlainDate().toString(), time: local.toPlainTime().toString({ smallestUnit: 'second' }) };
}

/** The day an instant falls on by the clocks of a zone; null outside the years 1 to 9999. */
export function dayOf(instant: Scalar, zone: string): string | null {
  const { day } = localTime(instant, zone);
  return /^(?!0000)\d{4}-/.test(day) ? day : null;
}

/** Reads a day with or without a time and an offset from UTC; a day alone is its beginning. */
export function readInstant(written: string, { dateOrder, zone = 'UTC' }: Reading): Result<Scalar> {
  const found = shape.exec(written);
  const refused = bad(`“${shorten(written)}” is no date and time.`, 'Write it as 2026-05-16 14:30.');
  if (!found) return refused;
  const day = date.parse(found[1] ?? '', { kind: 'date' }, { ...plainReading, dateOrder });
  const [hour, minute, second] = [Number(found[2] ?? 0), Number(found[3] ?? 0), Number(found[4] ?? 0)];
  if (!day.ok && !/calendar/.test(day.problem.message)) return refused;
  if (!day.ok || hour > 23 || minute > 59 || second > 59)
    return bad(`“${shorten(written)}” is not in the calendar or on the clock.`, 'Correct the day or the time.');
  const two = (n: number) => String(n).padStart(2, '0');
  const local = `${String(day.value)}T${two(hour)}:${two(minute)}:${two(second)}`;
  const offset = found[5]?.toUpperCase();
  if (offset && offset !== 'Z' && (Number(offset.slice(1, 3)) > 15 || Number(offset.slice(-2)) > 59)) return refused;
  const shift =
    !offset || offset === 'Z'
      ? 0
      : (offset.startsWith('-') ? -1 : 1) * (Number(offset.slice(1, 3)) * 60 + Number(offset.slice(-2)));
  const instant = offset ? canonicalInstant(Date.parse(`${local}Z`) - shift * 60_000) : instantOf(local, zone);
  return instant === null ? bad(`“${shorten(written)}” is outside the years 1 to 9999.`) : good(instant);
}

declare module '../types/field' {
  interface FieldTypes {
    /** An instant, to the second; shown and read in the workspace's zone. */
    readonly dateTime: NoSettings;
  }
}

/** An instant, held in UTC; printed and read on the clocks of the reading's zone. */
export const dateTime: ValueKind<'dateTime'> = {
  text: (value, type, { zone, written, locale }) => {
    const shown = dateTime.print(String(value), type, { ...plainReading, zone });
    const [day = '', time = ''] = shown.split(' ');
    return written ? `${writtenDay(day, locale)}, ${time}` : shown;
  },
  word: 'date and time',
  valueType: () => ({ is: 'timestamp' }),
  canBeUnique: true,
  looksLike: 'days',
  parse: (written, _, reading) => readInstant(written, reading),
  take: (value, _, reading) =>
    typeof value === 'string'
      ? readInstant(value.trim(), reading)
      : bad('This is no date and time.', 'Write it as RFC 3339, such as "2026-05-16T14:30:00Z".'),
  print(value, _, { zone = 'UTC' }) {
    const { day, time } = localTime(value, zone);
    return `${day} ${time.endsWith(':00') ? time.slice(0, 5) : time}`;
  },
  compare: (a, b) => compareCodePoints(String(a), String(b)),
  sample: (random) => canonicalInstant(1_767_225_600_000 + Math.floor(random() * 365 * 24 * 4) * 900_000),
};
