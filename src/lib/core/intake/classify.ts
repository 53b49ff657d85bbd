import { daysInMonth } from '../values/date';
import { noWords, yesWords } from '../values/yesNo';

/** What a text could be read as, as bits; cheap enough to ask of every cell. Agrees with the kinds' `parse`. */
export const reads = { numberPoint: 1, numberComma: 2, ymd: 4, dmy: 8, mdy: 16, yesNo: 32, leadingZero: 64, yesNoWord: 128 } as const;

const words = new Set<string>([...yesWords, ...noWords]);
const plainNumber = /^[+-]?\d+$/;
const pointNumber = /^[+\-−]?(?:\d{1,30}(?:\.\d{0,30})?|\.\d{1,30}|\d{1,3}(?:,\d{3})+(?:\.\d{1,30})?)$/;
const commaNumber = /^[+\-−]?(?:\d{1,30}(?:,\d{0,30})?|,\d{1,30}|\d{1,3}(?:\.\d{3})+(?:,\d{1,30})?)$/;
const isoDay = /^(\d{4})-(\d{1,2})-(\d{1,2})$/;
const numericDay = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4})$/;

const inCalendar = (year: number, month: number, day: number) => year > 0 && month > 0 && month < 13 && day > 0 && day <= daysInMonth(year, month);

/** The ways a trimmed, filled text can be read. */
export function readingsOf(text: string): number {
  if (text.length > 64) return 0;
  const first = text.charCodeAt(0);
  const digitFirst = first >= 48 && first <= 57;
  let bits = 0;
  // + − - . and , begin numbers as well.
  if (digitFirst || first === 43 || first === 45 || first === 46 || first === 44 || first === 0x2212) {
    if (pointNumber.test(text)) bits |= reads.numberPoint;
    if (commaNumber.test(text)) bits |= reads.numberComma;
    if (first === 48 && text.length > 1 && text.charCodeAt(1) >= 48 && text.charCodeAt(1) <= 57) bits |= reads.leadingZero;
  }
  if (digitFirst && text.length >= 8 && text.length <= 10) {
    const iso = isoDay.exec(text);
    // A year-month-day date reads the same in every order.
    if (iso && inCalendar(Number(iso[1]), Number(iso[2]), Number(iso[3]))) bits |= reads.ymd | reads.dmy | reads.mdy;
    const numeric = iso ? null : numericDay.exec(text);
    if (numeric) {
      const [a, b, year] = [Number(numeric[1]), Number(numeric[2]), Number(numeric[3])];
      if (inCalendar(year, b, a)) bits |= reads.dmy;
      if (inCalendar(year, a, b)) bits |= reads.mdy;
    }
  }
  if (text.length <= 5 && words.has(text.toLowerCase())) bits |= reads.yesNo | (digitFirst ? 0 : reads.yesNoWord);
  return bits;
}

/** Sums decimal texts exactly: whole units per number of decimals, kept as safe integers. */
export class ExactSum {
  private readonly units: number[] = [];
  private readonly spilled: bigint[] = [];

  /** Adds a number `times` over. `text` has digits, at most one decimal sign and perhaps grouping signs. */
  add(text: string, decimal: '.' | ',', times = 1): void {
    const at = text.lastIndexOf(decimal);
    const decimals = at < 0 ? 0 : text.length - at - 1;
    if (text.length <= 15 && text.charCodeAt(0) < 128) {
      // The decimals as whole units: few digits, so the product is exact as long as it stays below 2^53.
      const whole = Number(at < 0 && plainNumber.test(text) ? text : text.replace(/[.,]/g, ''));
      const sum = (this.units[decimals] ?? 0) + whole * times;
      if (Math.abs(sum) < 8e15) {
        this.units[decimals] = sum;
        return;
      }
    }
    const digits = text.replace(/[.,+]/g, '').replace('−', '-');
    this.spilled[decimals] = (this.spilled[decimals] ?? 0n) + BigInt(digits) * BigInt(times);
  }

  /** Adds what another sum holds. */
  include(other: ExactSum): void {
    other.units.forEach((units, decimals) => (this.spilled[decimals] = (this.spilled[decimals] ?? 0n) + BigInt(units)));
    other.spilled.forEach((units, decimals) => (this.spilled[decimals] = (this.spilled[decimals] ?? 0n) + units));
  }

  /** The sum as plain decimal text. */
  toString(): string {
    const most = Math.max(this.units.length, this.spilled.length) - 1;
    let total = 0n;
    for (let decimals = 0; decimals <= most; decimals++) {
      const units = BigInt(this.units[decimals] ?? 0) + (this.spilled[decimals] ?? 0n);
      total += units * 10n ** BigInt(most - decimals);
    }
    if (most <= 0) return String(total);
    const negative = total < 0n;
    const text = String(negative ? -total : total).padStart(most + 1, '0');
    const fraction = text.slice(-most).replace(/0+$/, '');
    return `${negative ? '-' : ''}${text.slice(0, -most)}${fraction === '' ? '' : `.${fraction}`}`;
  }
}
