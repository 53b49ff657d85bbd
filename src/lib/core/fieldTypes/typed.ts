import type { Scalar } from '../types/expression';
import { bad, type Result } from '../base/problem';
import { readingOfColumn } from './columnReading';
import { plainReading, type Reading } from './kind';
import { canonicalNumber, Exact } from './number';
import { parseValue, type EnteredType } from './registry';

/** How a person writes numbers and days. */
export type Habit = Pick<Reading, 'decimal' | 'dateOrder'>;

/** The habit that goes with a language and country, such as `de-AT` (BCP 47). */
export function habitOf(locale: string | readonly string[]): Habit {
  const locales = typeof locale === 'string' ? locale : [...locale];
  const decimal =
    new Intl.NumberFormat(locales).formatToParts(1.5).find(({ type }) => type === 'decimal')?.value === ',' ? ',' : '.';
  const order = new Intl.DateTimeFormat(locales)
    .formatToParts(new Date(2026, 4, 16))
    .flatMap(({ type }) => (type === 'year' ? ['y'] : type === 'month' ? ['m'] : type === 'day' ? ['d'] : []))
    .join('');
  return { decimal, dateOrder: order === 'dmy' || order === 'mdy' ? order : 'ymd' };
}

const isShare = (type: EnteredType): boolean => type.kind === 'percent' || type.kind === 'progress';
const isNumeric = (type: EnteredType): boolean => ['number', 'money', 'percent', 'progress'].includes(type.kind);
const isDay = (type: EnteredType): boolean => type.kind === 'date' || type.kind === 'dateTime';

/** A text that says a share of a whole without its sign is meant in hundredths, as shares are shown and typed. */
const asShare = (written: string, type: EnteredType): string =>
  isShare(type) && written.trim() !== '' && !written.includes('%') ? `${written.trim()} %` : written;

/**
 * Reads what a person typed into a field: the very reading that pasted cells and files get. What can be read in one way
 * only is read so; where two ways give different values, the person's habit decides.
 */
export function readTyped(
  written: string,
  type: EnteredType,
  habit: Habit,
  more: Omit<Reading, keyof Habit> = {},
): Result<Scalar> {
  const text = asShare(written, type);
  const base = { ...plainReading, ...more };
  const { reading, either } = readingOfColumn([text], type, base);
  // Days with points between are day first wherever they are written.
  const order = isDay(type) && /^\d{1,2}\./.test(text.trim()) ? 'dmy' : habit.dateOrder;
  const own = parseValue(text, type, { ...base, ...habit, dateOrder: order });
  const read = either ? own : parseValue(text, type, { ...base, ...reading });
  if (read.ok) return read;
  return own.ok ? own : fixFor(own.problem.message, type, habit, own.problem.fix);
}

/** What to write instead, in the person's own way. */
function fixFor(
  message: string,
  type: EnteredType,
  { decimal, dateOrder }: Habit,
  fix: string | undefined,
): Result<never> {
  const orders = { ymd: '2026-05-16', dmy: '16.5.2026', mdy: '5/16/2026' } as const;
  if (isDay(type))
    return bad(message, `Write ${orders[dateOrder]}${type.kind === 'dateTime' ? ' 14:30' : ''}, or 16 May 2026.`);
  return bad(message, isNumeric(type) && fix ? fix.replace(/(\d)\.(\d)/g, decimal === ',' ? '$1,$2' : '$1.$2') : fix);
}

/**
 * A value as the text that an editor begins with, in the person's way of writing; `readTyped` reads it as the same
 * value.
 */
export function typedText(value: Scalar, type: EnteredType, { decimal }: Habit): string {
  if (value === null) return '';
  const number = isShare(type) ? `${canonicalNumber(new Exact(String(value)).times(100))} %` : String(value);
  return isNumeric(type) && decimal === ',' ? number.replace('.', ',') : number;
}
