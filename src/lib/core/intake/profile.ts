import type { ColumnProfile, ColumnType } from './intake';
import { SeenOnce } from './seenOnce';
import { ExactSum, readingsOf, reads } from './classify';

/** Values are counted exactly up to this many different ones. */
export const distinctLimit = 10_000;
const sampleCount = 5;
/** At most this many different values make a list of options. */
const mostOptions = 40;
const longestOption = 40;
/** A type is proposed when it takes at least this share of what is filled. */
const typeShare = 0.9;

const plainNumber = /^[+-]?\d{1,30}(?:\.\d{1,30})?$/;
const plainDate = /^\d{4}-\d{2}-\d{2}$/;

interface Known {
  count: number;
  readonly bits: number;
}

const bitNames = ['numberPoint', 'numberComma', 'ymd', 'dmy', 'mdy', 'yesNo', 'leadingZero', 'yesNoWord'] as const;

/** Learns what a column is while its rows go by; memory stays bounded whatever their number. */
export class ColumnProfiler {
  private filled = 0;
  private blanks = 0;
  private longest = 0;
  private decimals = 0;
  private values: Map<string, Known> | null = new Map();
  /** No value came twice so far. */
  private singles = true;
  /** Goes on asking that when there are too many values to count. */
  private once: SeenOnce | null = null;
  /** Rows by the ways their text can be read: one counter for each combination of bits. */
  private readonly tallies = new Float64Array(256);
  private readonly misfits = new Map<number, Set<string>>();
  private readonly samples: string[] = [];
  private plainNumbers = true;
  private plainDates = true;
  private readonly pointSum = new ExactSum();
  private readonly commaSum = new ExactSum();
  private readonly wholeSum = new ExactSum();

  constructor(private readonly name: string) {}

  /** Takes the next row's trimmed text. */
  take(text: string): void {
    if (text === '') {
      this.blanks++;
      return;
    }
    this.filled++;
    if (text.length > this.longest) this.longest = text.length;
    if (this.samples.length < sampleCount && !this.samples.includes(text)) this.samples.push(text);
    const known = this.values?.get(text);
    if (known) {
      known.count++;
      this.singles = false;
      this.tally(known.bits);
      return;
    }
    const bits = readingsOf(text);
    this.tally(bits);
    this.remember(text, bits);
    if (!this.values) {
      if (this.once) this.seeOnce(this.once, text);
      return this.sum(text, bits, 1);
    }
    this.values.set(text, { count: 1, bits });
    if (this.values.size > distinctLimit) {
      this.sumKnown(this.values);
      if (this.mayBeKey) {
        this.once = new SeenOnce();
        for (const value of this.values.keys()) this.once.add(value);
      }
      this.values = null;
    }
  }

  private tally(bits: number): void {
    this.tallies[bits] = (this.tallies[bits] ?? 0) + 1;
  }

  private seeOnce(once: SeenOnce, text: string): void {
    if (!once.add(text)) this.singles = false;
    if (!this.singles || once.isFull) this.once = null;
  }

  /** While values are counted, sums wait: each value is added once, times its count. */
  private sumKnown(values: ReadonlyMap<string, Known>): void {
    for (const [text, { count, bits }] of values) this.sum(text, bits, count);
  }

  private sum(text: string, bits: number, times: number): void {
    if (bits & reads.numberPoint) this.pointSum.add(text, '.', times);
    // What reads the same with either sign is a whole number, summed once for both.
    if (bits & reads.numberComma && (text.includes(',') || text.includes('.'))) this.commaSum.add(text, ',', times);
    else if (bits & reads.numberComma) this.wholeSum.add(text, ',', times);
  }

  private remember(text: string, bits: number): void {
    if (this.plainNumbers && !plainNumber.test(text)) this.plainNumbers = false;
    if (this.plainDates && !(bits & reads.ymd && plainDate.test(text))) this.plainDates = false;
    for (const bit of [reads.numberPoint, reads.numberComma, reads.ymd, reads.dmy, reads.mdy, reads.yesNo]) {
      if (bits & bit) continue;
      const found = this.misfits.get(bit) ?? new Set<string>();
      if (found.size < sampleCount) this.misfits.set(bit, found.add(text));
    }
    if (bits & (reads.numberPoint | reads.numberComma)) {
      const at = Math.max(text.lastIndexOf('.'), text.lastIndexOf(','));
      if (at >= 0) this.decimals = Math.max(this.decimals, text.length - at - 1);
    }
  }

  /** Whether every row so far could still have a value of its own. */
  get mayBeKey(): boolean {
    return this.blanks === 0 && this.filled > 0 && this.singles;
  }

  private rowsThatRead(bit: number): number {
    let sum = 0;
    this.tallies.forEach((count, bits) => bits & bit && (sum += count));
    return sum;
  }

  /** What the column is, from everything that went by; called once, at the end. */
  profile(): ColumnProfile {
    if (this.values) this.sumKnown(this.values);
    this.commaSum.include(this.wholeSum);
    const counts = Object.fromEntries(bitNames.map((name) => [name, this.rowsThatRead(reads[name])])) as Record<(typeof bitNames)[number], number>;
    const decimal = counts.numberComma > counts.numberPoint ? ',' : '.';
    const order = counts.ymd > 0 && counts.ymd >= Math.max(counts.dmy, counts.mdy) ? 'ymd' : counts.mdy > counts.dmy ? 'mdy' : 'dmy';
    const orderBit = reads[order];
    const dates = counts[order];
    const numbers = decimal === ',' ? counts.numberComma : counts.numberPoint;
    const leadingZeros = counts.leadingZero > 0;
    const ambiguous = order === 'dmy' && counts.dmy === counts.mdy && counts.ymd < counts.dmy;
    const values = this.values ? [...this.values].map(([text, { count }]) => ({ text, count })).sort((a, b) => b.count - a.count) : [];
    const few = this.values !== null && values.length <= mostOptions && values.length * 5 <= this.filled && this.longest <= longestOption;
    const enough = (count: number) => this.filled > 0 && count >= this.filled * typeShare;
    const type: ColumnType = enough(counts.yesNoWord)
      ? 'yesNo'
      : enough(dates)
        ? 'date'
        : enough(numbers) && !leadingZeros
          ? 'number'
          : few && this.filled >= 10
            ? 'option'
            : 'text';
    const fits = { text: this.filled, number: numbers, yesNo: counts.yesNo, date: dates, option: this.filled };
    const bit = type === 'number' ? reads[decimal === ',' ? 'numberComma' : 'numberPoint'] : type === 'date' ? orderBit : type === 'yesNo' ? reads.yesNo : 0;
    return {
      name: this.name,
      type,
      reading: { decimal, dateOrder: order },
      digits: type === 'number' ? this.decimals : null,
      filled: this.filled,
      blanks: this.blanks,
      distinct: this.values?.size ?? (this.once && this.mayBeKey ? this.filled : null),
      fits,
      misfits: this.filled - fits[type],
      misfitSamples: bit === 0 ? [] : [...(this.misfits.get(bit) ?? [])],
      samples: this.samples,
      values: values.slice(0, 200),
      leadingZeros,
      plain: type === 'number' && this.plainNumbers ? 'number' : type === 'date' && this.plainDates ? 'date' : null,
      longest: this.longest,
      ambiguous: type === 'date' && ambiguous,
      sum: String(decimal === ',' ? this.commaSum : this.pointSum),
      evidence: this.evidence(type, fits[type], { decimal, order, leadingZeros, ambiguous, distinct: values.length }),
    };
  }

  private evidence(
    type: ColumnType,
    fitting: number,
    met: { decimal: string; order: string; leadingZeros: boolean; ambiguous: boolean; distinct: number },
  ): string {
    const orders: Record<string, string> = { ymd: 'year-month-day', dmy: 'day-month-year', mdy: 'month-day-year' };
    const n = (count: number) => count.toLocaleString('en');
    const misfits = this.filled - fitting;
    const rest = misfits > 0 ? `; ${n(misfits)} ${misfits === 1 ? 'does' : 'do'} not fit` : '';
    if (this.filled === 0) return 'every row is blank';
    switch (type) {
      case 'number':
        return `${n(fitting)} of ${n(this.filled)} are numbers${this.decimals > 0 ? ` with decimal ${met.decimal === ',' ? 'comma' : 'point'}` : ', all whole'}${rest}`;
      case 'date':
        return `${n(fitting)} of ${n(this.filled)} are dates, ${met.ambiguous ? 'day-month or month-day: please choose' : orders[met.order]}${rest}`;
      case 'yesNo':
        return `${n(fitting)} of ${n(this.filled)} say yes or no${rest}`;
      case 'option':
        return `${n(met.distinct)} different values in ${n(this.filled)} rows`;
      case 'text':
        return met.leadingZeros
          ? 'digits with leading zeros, kept as they are written'
          : `${this.values ? n(met.distinct) : `more than ${n(distinctLimit)}`} different texts, up to ${this.longest} characters`;
    }
  }
}
