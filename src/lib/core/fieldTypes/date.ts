import type { NoSettings } from '../types/field';
import { bad, good, type Result } from '../base/problem';
import { plainReading, type Reading, type ValueKind } from './kind';
import { monthLetters, monthOf } from './months';
import { shorten } from './text';

const monthLengths = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

const isLeapYear = (year: number): boolean => (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0;

export const daysInMonth = (year: number, month: number): number =>
  month === 2 && isLeapYear(year) ? 29 : (monthLengths[month - 1] ?? 0);

const two = (n: number) => String(n).padStart(2, '0');

/** ISO 8601, or null where the calendar has no such day in the years 1 to 9999. */
export function isoDate(year: number, month: number, day: number): string | null {
  if (year < 1 || year > 9999 || month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month)) return null;
  return `${String(year).padStart(4, '0')}-${two(month)}-${two(day)}`;
}

/** Days since 1970-01-01 in the proleptic Gregorian calendar (ISO 8601). */
export function dayNumber(iso: string): number {
  const utc = new Date(0);
  utc.setUTCFullYear(Number(iso.slice(0, 4)), Number(iso.slice(5, 7)) - 1, Number(iso.slice(8, 10)));
  return utc.getTime() / 86_400_000;
}

/** The date that many days after 1970-01-01, or null outside the years 1 to 9999. */
export function dateOfDayNumber(days: number): string | null {
  if (Math.abs(days) > 4_000_000) return null;
  const utc = new Date(days * 86_400_000);
  return isoDate(utc.getUTCFullYear(), utc.getUTCMonth() + 1, utc.getUTCDate());
}

/** Shifts by whole months; the day is held back to the month's last, as SQL's intervals do. */
export function addMonths(iso: string, months: number): string | null {
  const index = Number(iso.slice(0, 4)) * 12 + Number(iso.slice(5, 7)) - 1 + months;
  const [year, month] = [Math.floor(index / 12), (((index % 12) + 12) % 12) + 1];
  return isoDate(year, month, Math.min(Number(iso.slice(8, 10)), daysInMonth(year, month)));
}

/** The day it is now in a time zone, ISO 8601. */
export function dayIn(zone: string, now: Date): string {
  const parts = new Intl.DateTimeFormat('en-CA', { timeZone: zone, year: 'numeric', month: '2-digit', day: '2-digit' });
  return parts.format(now);
}

/** A day as letters have it in a language: 16 May 2026. */
export function writtenDay(iso: string, locale?: string): string {
  const day = new Date(dayNumber(iso) * 86_400_000);
  return new Intl.DateTimeFormat(locale, { dateStyle: 'long', timeZone: 'UTC' }).format(day);
}

const isoShape = /^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})$/;
/** As programs write it, in the years in which they do: eight digits of any other kind are a number or a code. */
const compactShape = /^((?:19|20)\d{2})(\d{2})(\d{2})$/;
const numericShape = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4})$/;
const shortShape = /^(\d{1,2})[./](\d{1,2})[./](\d{2})$/;
const dayFirst = new RegExp(`^(\\d{1,2})(?:st|nd|rd|th)?[. -]* *([${monthLetters}]{3,10})\\.?,?[ -]+(\\d{4})$`);
const monthFirst = new RegExp(`^([${monthLetters}]{3,10})\\.? +(\\d{1,2})(?:st|nd|rd|th)?,? +(\\d{4})$`);

/** Years of two digits are 1969 to 2068 (POSIX, strptime). */
const wholeYear = (short: number): number => (short < 69 ? 2000 : 1900) + short;

/** Year, month and day as a text writes them, whatever the calendar says; null where it is written as no date. */
function partsOf(written: string, dateOrder: Reading['dateOrder']): [number, number, number] | null {
  const iso = isoShape.exec(written) ?? compactShape.exec(written);
  if (iso) return [Number(iso[1]), Number(iso[2]), Number(iso[3])];
  if (/[^\d./-]/.test(written)) {
    const small = written.toLowerCase();
    const named = dayFirst.exec(small);
    if (named) return [Number(named[3]), monthOf(named[2] ?? '') ?? 0, Number(named[1])];
    const other = monthFirst.exec(small);
    return other ? [Number(other[3]), monthOf(other[1] ?? '') ?? 0, Number(other[2])] : null;
  }
  if (dateOrder === 'ymd') return null;
  const numeric = numericShape.exec(written);
  const short = numeric ? null : shortShape.exec(written);
  const [a, b, year] = (numeric ?? short ?? []).slice(1).map(Number);
  if (a === undefined || b === undefined || year === undefined) return null;
  const whole = short ? wholeYear(year) : year;
  return dateOrder === 'dmy' ? [whole, b, a] : [whole, a, b];
}

declare module '../types/field' {
  interface FieldTypes {
    readonly date: NoSettings;
  }
}

export const date: ValueKind<'date'> = {
  text: (value, _, { written, locale }) => (written ? writtenDay(String(value), locale) : String(value)),
  word: 'date',
  valueType: () => ({ is: 'date' }),
  canBeUnique: true,
  looksLike: 'days',
  parse(written, _, { dateOrder }): Result<string> {
    const parts = partsOf(written, dateOrder);
    if (!parts) return bad(`“${shorten(written)}” is no date.`, 'Write year-month-day, such as 2026-05-16.');
    const found = isoDate(...parts);
    return found ? good(found) : bad(`“${shorten(written)}” is not in the calendar.`, 'Correct the day or the month.');
  },
  take: (value, type) =>
    typeof value === 'string'
      ? date.parse(value.trim(), type, plainReading)
      : bad('This is no date.', 'Write it as text, such as "2026-05-16".'),
  print: (value) => String(value),
  compare: (a, b) => (String(a) < String(b) ? -1 : a === b ? 0 : 1),
  sample: (random) => dateOfDayNumber(20_454 + Math.floor(random() * 365)) ?? '2026-01-01',
};
