import { addMonths, dateOfDayNumber, dayNumber } from './date';
import { Exact } from './number';

const day = /^(\d{4})-(\d{2})-(\d{2})$/;
const plainNumber = /^[+-]?\d+(?:\.\d+)?$/;
const counted = /^(.*?)(\d+)(\D*)$/s;

/**
 * The day so many steps on; a step is what lies between two days, in whole months where both fall on the same day of
 * the month.
 */
function daysOn(first: string, second: string, last: string, times: number): string | null {
  const [, y1, m1, d1] = (day.exec(first) ?? []).map(Number);
  const [, y2, m2, d2] = (day.exec(second) ?? []).map(Number);
  const months = ((y2 ?? 0) - (y1 ?? 0)) * 12 + (m2 ?? 0) - (m1 ?? 0);
  if (d1 === d2 && months !== 0) return addMonths(last, months * times);
  return dateOfDayNumber(dayNumber(last) + (dayNumber(second) - dayNumber(first)) * times);
}

/**
 * How a column of texts goes on: numbers and days by the step between the last two (one alone by one), texts that end
 * in a number by counting it with its leading zeros; whatever else is repeated as it stands.
 */
export function continued(given: readonly string[], more: number): string[] {
  const filled = given.map((text) => text.trim());
  const last = filled.at(-1) ?? '';
  const before = filled.at(-2);
  const all = (pattern: RegExp) => filled.every((text) => pattern.test(text));
  const times = Array.from({ length: more }, (_, index) => index + 1);
  if (filled.length === 0) return times.map(() => '');
  if (all(day)) {
    const [first, second] = before === undefined ? ['2000-01-01', '2000-01-02'] : [before, last];
    return times.map((n) => daysOn(first, second, last, n) ?? '');
  }
  if (all(plainNumber) && (before !== undefined || !/^[+-]?0\d/.test(last))) {
    const step = before === undefined ? new Exact(1) : new Exact(last).minus(before);
    const digits = Math.max(0, ...filled.map((text) => text.split('.')[1]?.length ?? 0));
    if (!filled.some((text) => /^[+-]?0\d/.test(text)))
      return times.map((n) => new Exact(last).plus(step.times(n)).toFixed(digits));
  }
  const [, head = '', number, tail = ''] = counted.exec(last) ?? [];
  const [, headBefore, numberBefore, tailBefore] = (before === undefined ? null : counted.exec(before)) ?? [];
  if (number !== undefined && (before === undefined || (head === headBefore && tail === tailBefore))) {
    const step = numberBefore === undefined ? 1n : BigInt(number) - BigInt(numberBefore);
    const at = (n: number) => BigInt(number) + step * BigInt(n);
    if (times.every((n) => at(n) >= 0n))
      return times.map(
        (n) => `${head}${String(at(n)).padStart(number.startsWith('0') ? number.length : 0, '0')}${tail}`,
      );
  }
  return times.map((n) => given[(n - 1) % given.length] ?? '');
}
