import { date, daysInMonth } from '../../fieldTypes/date';
import { plainReading } from '../../fieldTypes/kind';
import { readNumber } from '../../fieldTypes/number';
import { noWords, yesWords } from '../../fieldTypes/yesNo';

/** What a text could be read as, as bits; cheap enough to ask of every cell. Agrees with the kinds' `parse`. */
export const reads = {
  numberPoint: 1,
  numberComma: 2,
  ymd: 4,
  dmy: 8,
  mdy: 16,
  yesNo: 32,
  leadingZero: 64,
  yesNoWord: 128,
  /** Year, month and day as eight digits: a number as well. */
  compactDay: 256,
} as const;

const words = new Set<string>([...yesWords, ...noWords]);
const pointNumber = /^[+\-−]?(?:\d{1,30}(?:\.\d{0,30})?|\.\d{1,30}|\d{1,3}(?:,\d{3})+(?:\.\d{1,30})?)$/;
const commaNumber = /^[+\-−]?(?:\d{1,30}(?:,\d{0,30})?|,\d{1,30}|\d{1,3}(?:\.\d{3})+(?:,\d{1,30})?)$/;
const isoDay = /^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})$/;
const numericDay = /^(\d{1,2})(?:[./-](\d{1,2})[./-](\d{4})|[./](\d{1,2})[./](\d{2}))$/;
/** A month by its name, with a day and a year around it. */
const namedDay =
  /^(?:\d{1,2}(?:st|nd|rd|th)?[. -]* *[a-zäéû]{3,10}\.?,?[ -]+\d{4}|[a-zäéû]{3,10}\.? +\d{1,2}(?:st|nd|rd|th)?,? +\d{4})$/i;
/** An exponent, or the brackets of accounts around what is less than nothing. */
const furtherNumber = /^[+\-−]?\d[\d.,]*[eE][+-]?\d{1,2}$|^\([\d., ]+\)$/;

const inCalendar = (year: number, month: number, day: number) =>
  year > 0 && month > 0 && month < 13 && day > 0 && day <= daysInMonth(year, month);

/** In the years that people write in this way. */
function compactDay(text: string): boolean {
  const found = /^((?:19|20)\d\d)(\d\d)(\d\d)$/.exec(text);
  return found !== null && inCalendar(Number(found[1]), Number(found[2]), Number(found[3]));
}

/** The ways in which a date with the name of its month is read: every order of day and month, or none. */
const namedBits = (text: string): number =>
  namedDay.test(text) && date.parse(text, { kind: 'date' }, plainReading).ok ? reads.ymd | reads.dmy | reads.mdy : 0;

const isE = (text: string, at: number) => (text.charCodeAt(at) | 32) === 101;

/** Whether a text may have an exponent, or the brackets of accounts around it, by its first and last characters. */
function mayBeFurther(text: string): boolean {
  const { length } = text;
  const last = text.charCodeAt(length - 1);
  if (last === 41) return text.charCodeAt(0) === 40;
  return last >= 48 && last <= 57 && (isE(text, length - 2) || isE(text, length - 3) || isE(text, length - 4));
}

function furtherNumberBits(text: string): number {
  if (!mayBeFurther(text) || !furtherNumber.test(text)) return 0;
  const as = (decimal: '.' | ',') => readNumber(text, null, { decimal }).ok;
  return (as('.') ? reads.numberPoint : 0) | (as(',') ? reads.numberComma : 0);
}

/**
 * The decimal signs with which a text is a number. For most texts one look at their characters is enough; the others
 * are matched with the patterns.
 */
function numberBits(text: string, digitFirst: boolean): number {
  const { length } = text;
  if (digitFirst && length <= 30) {
    let sign = 0;
    let at = -1;
    let i = 1;
    for (; i < length; i++) {
      const code = text.charCodeAt(i);
      if (code >= 48 && code <= 57) continue;
      if (sign !== 0 || (code !== 46 && code !== 44)) break;
      [sign, at] = [code, i];
    }
    if (i === length) {
      if (sign === 0) return reads.numberPoint | reads.numberComma;
      // One sign with three digits behind it may as well keep thousands apart.
      const grouped = at <= 3 && length - at === 4;
      if (sign === 46) return reads.numberPoint | (grouped ? reads.numberComma : 0);
      return reads.numberComma | (grouped ? reads.numberPoint : 0);
    }
    // Letters within make it no number; only further signs of numbers are worth the patterns.
    const code = text.charCodeAt(i);
    if (code !== 46 && code !== 44) return 0;
  }
  return (pointNumber.test(text) ? reads.numberPoint : 0) | (commaNumber.test(text) ? reads.numberComma : 0);
}

/** The ways a trimmed, filled text can be read. */
export function readingsOf(text: string): number {
  if (text.length > 64) return 0;
  const first = text.charCodeAt(0);
  const digitFirst = first >= 48 && first <= 57;
  let bits = 0;
  // + − - . and , begin numbers as well.
  if (digitFirst || first === 43 || first === 45 || first === 46 || first === 44 || first === 0x2212) {
    bits |= numberBits(text, digitFirst);
    if (bits !== 0 && first === 48 && text.length > 1 && text.charCodeAt(1) >= 48 && text.charCodeAt(1) <= 57)
      bits |= reads.leadingZero;
    if (digitFirst && text.length === 8 && compactDay(text)) bits |= reads.compactDay;
  }
  const { length } = text;
  const last = text.charCodeAt(length - 1);
  bits |= furtherNumberBits(text);
  // Each way to write a date with its month's name ends in a year of four digits, set off by a space or a hyphen.
  if (last >= 48 && last <= 57 && length >= 9 && length <= 24) {
    const before = text.charCodeAt(length - 5);
    if (before === 32 || before === 45) bits |= namedBits(text);
  }
  if (digitFirst && text.length >= 6 && text.length <= 10) {
    const iso = isoDay.exec(text);
    // A year-month-day date reads the same in every order.
    if (iso && inCalendar(Number(iso[1]), Number(iso[2]), Number(iso[3]))) bits |= reads.ymd | reads.dmy | reads.mdy;
    const numeric = iso ? null : numericDay.exec(text);
    if (numeric) {
      const short = Number(numeric[5]);
      const [a, b] = [Number(numeric[1]), Number(numeric[2] ?? numeric[4])];
      const year = numeric[3] === undefined ? (short < 69 ? 2000 : 1900) + short : Number(numeric[3]);
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

  /** Adds a number `times` over, in any way of writing that `readingsOf` takes for one with this decimal sign. */
  add(text: string, decimal: '.' | ',', times = 1): void {
    if (mayBeFurther(text)) {
      const read = readNumber(text, null, { decimal });
      this.addPlain(read.ok ? read.value : '0', '.', times);
    } else this.addPlain(text, decimal, times);
  }

  /** `text` has digits, at most one decimal sign and perhaps grouping signs. */
  private addPlain(text: string, decimal: '.' | ',', times: number): void {
    const sign = decimal.charCodeAt(0);
    let at = -1;
    if (text.length <= 15 && text.charCodeAt(0) < 128) {
      // The decimals as whole units: few digits, so the product is exact as long as it stays below 2^53.
      let whole = 0;
      for (let i = 0; i < text.length; i++) {
        const code = text.charCodeAt(i);
        if (code >= 48 && code <= 57) whole = whole * 10 + code - 48;
        else if (code === sign) at = i;
      }
      const decimals = at < 0 ? 0 : text.length - at - 1;
      const sum = (this.units[decimals] ?? 0) + (text.charCodeAt(0) === 45 ? -whole : whole) * times;
      if (sum < 8e15 && sum > -8e15) {
        this.units[decimals] = sum;
        return;
      }
    }
    at = text.lastIndexOf(decimal);
    const decimals = at < 0 ? 0 : text.length - at - 1;
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
