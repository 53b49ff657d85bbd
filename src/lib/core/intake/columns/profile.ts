import { ExactSum, readingsOf, reads } from './classify';
import { isPlainlyBlank, mayBeBlank } from './blankWords';
import { besideNumber, further, furtherReadingsOf, unitOf } from './furtherKinds';
import type { ColumnProfile, ColumnType } from '../intake';
import { decide } from './decide';
import { evidenceOf } from './evidence';
import { patternOf } from './pattern';
import { SeenOnce } from './seenOnce';
import { severalIn } from './severalValues';
import { misspellingsIn } from './spellings';

/** Values are counted exactly up to this many different ones. */
const distinctLimit = 10_000;
const sampleCount = 5;
const patternSamples = 300;
/** So many units and currencies are counted in one column. */
const mostBeside = 50;
/** So many values are looked at for what they mean where there are too many to count. */
const mostLookedAt = 2_000;
const recentPlaces = 512;
/** Beyond this many different values no separator is looked for. */
const mostSplit = 3_000;

const plainNumber = /^[+-]?\d{1,30}(?:\.\d{1,30})?$/;
const plainDate = /^\d{4}-\d{2}-\d{2}$/;

/** Bits of the further readings stand above those of `reads`. */
const furtherShift = 9;

/** One counter for each way of reading: those of `reads` in the lower bits, those of `further` above. */
const bitsOf = (text: string): number => {
  const bits = readingsOf(text);
  return (bits & ~(reads.leadingZero | reads.yesNo | reads.yesNoWord)) === 0
    ? bits | (furtherReadingsOf(text) << furtherShift)
    : bits;
};
const furtherBit = (bit: number) => bit << furtherShift;

interface Known {
  readonly text: string;
  count: number;
  readonly bits: number;
}

const watched = [
  reads.numberPoint,
  reads.numberComma,
  reads.ymd,
  reads.dmy,
  reads.mdy,
  reads.yesNo,
  reads.compactDay,
  ...Object.values(further).map(furtherBit),
] as const;

/** Learns what a column is while its rows go by; memory stays bounded whatever their number. */
export class ColumnProfiler {
  private filled = 0;
  private blanks = 0;
  private longest = 0;
  private decimals = 0;
  private values: Map<string, Known> | null = new Map();
  /** The first values, once there are too many to count. */
  private early: readonly Known[] = [];
  /** Values met lately, by a few of their signs: comparing two texts costs less than looking one up. */
  private readonly recent: Known[] = [];
  /** No value came twice so far. */
  private singles = true;
  /** Goes on asking that when there are too many values to count. */
  private once: SeenOnce | null = null;
  /** Rows by the ways their text can be read: one counter for each combination of bits. */
  private readonly tallies = new Map<number, { readonly bits: number; count: number }>();
  /** Numbers that read with a decimal point and with a decimal comma, by the sign they have. */
  private readonly either = { comma: 0, point: 0 };
  private tally = { bits: -1, count: 0 };
  private readonly misfits = new Map<number, string[]>();
  /** The ways of reading for which misfits are still collected. */
  private open: number = watched.reduce<number>((all, bit) => all | bit, 0);
  private readonly samples: string[] = [];
  private readonly shapes: string[] = [];
  private readonly spelled = new Map<string, number>();
  /** What stands beside numbers: units, currencies, with how often and the sums of those numbers. */
  private readonly beside = new Map<
    string,
    { count: number; readonly money: boolean; readonly point: ExactSum; readonly comma: ExactSum }
  >();
  private least: number | string | null = null;
  private most: number | string | null = null;
  private plainNumbers = true;
  private plainDates = true;
  private readonly pointSum = new ExactSum();
  private readonly commaSum = new ExactSum();
  private readonly wholeSum = new ExactSum();

  /** `first`: it is the first column of its sheet. */
  constructor(
    private readonly name: string,
    private readonly first = false,
  ) {}

  /** Takes the next row's trimmed text. */
  take(text: string): void {
    if (text === '') {
      this.blanks++;
      return;
    }
    this.filled++;
    if (this.values) {
      const { length } = text;
      const place =
        (length * 5 + text.charCodeAt(0) * 31 + text.charCodeAt(length >> 1) * 7 + text.charCodeAt(length - 1)) &
        (recentPlaces - 1);
      const recent = this.recent[place];
      const known = recent?.text === text ? recent : this.values.get(text);
      if (known) {
        // While values are counted, all that is told of them waits for the end: once a value, times its count.
        known.count++;
        this.singles = false;
        this.recent[place] = known;
        return;
      }
    }
    const bits = bitsOf(text);
    this.remember(text, bits);
    if (this.values) {
      this.values.set(text, { text, count: 1, bits });
      if (this.values.size > distinctLimit) this.stopCounting(this.values);
      return;
    }
    if (mayBeBlank(text)) this.spelled.set(text, (this.spelled.get(text) ?? 0) + 1);
    if (this.once) this.seeOnce(this.once, text);
    this.tell(text, bits, 1);
  }

  private stopCounting(values: ReadonlyMap<string, Known>): void {
    this.tellKnown(values);
    for (const [text, { count }] of values) if (mayBeBlank(text)) this.spelled.set(text, count);
    if (this.mayBeKey) {
      this.once = new SeenOnce();
      for (const value of values.keys()) this.once.add(value);
    }
    this.early = [...values.values()].slice(0, mostLookedAt);
    this.values = null;
  }

  private seeOnce(once: SeenOnce, text: string): void {
    if (!once.add(text)) this.singles = false;
    if (!this.singles || once.isFull) this.once = null;
  }

  private tellKnown(values: ReadonlyMap<string, Known>): void {
    for (const [text, { count, bits }] of values) this.tell(text, bits, count);
  }

  /** Adds a text that was met so many times to the counts and the sums. */
  private tell(text: string, bits: number, times: number): void {
    // One value reads mostly as the one before it, so the last counter is mostly the right one.
    if (this.tally.bits !== bits) {
      this.tally = this.tallies.get(bits) ?? { bits, count: 0 };
      this.tallies.set(bits, this.tally);
    }
    this.tally.count += times;
    if (bits === 0) return;
    if (bits & reads.numberPoint) this.pointSum.add(text, '.', times);
    // What reads the same with either sign is a whole number, summed once for both.
    if (bits & reads.numberComma && (text.includes(',') || text.includes('.'))) {
      this.commaSum.add(text, ',', times);
      // `164,000` may be read with either sign.
      if (bits & reads.numberPoint) this.either[text.includes(',') ? 'comma' : 'point'] += times;
    } else if (bits & reads.numberComma) this.wholeSum.add(text, ',', times);
    if (bits & furtherBit(further.unit | further.money))
      this.sumBeside(text, (bits & furtherBit(further.money)) !== 0, times);
  }

  private sumBeside(text: string, money: boolean, times: number): void {
    const { words, number } = besideNumber(text);
    const known = this.beside.get(words) ?? { count: 0, money, point: new ExactSum(), comma: new ExactSum() };
    if (this.beside.size >= mostBeside && !this.beside.has(words)) return;
    this.beside.set(words, known);
    known.count += times;
    known.point.add(number, '.', times);
    known.comma.add(number, ',', times);
  }

  /** What is told of a text the first time it is met. */
  private remember(text: string, bits: number): void {
    if (text.length > this.longest) this.longest = text.length;
    if (this.samples.length < sampleCount && !this.samples.includes(text)) this.samples.push(text);
    if (this.plainNumbers && !plainNumber.test(text)) this.plainNumbers = false;
    if (this.plainDates && !(bits & reads.ymd && plainDate.test(text))) this.plainDates = false;
    if (this.shapes.length < patternSamples) this.shapes.push(text);
    const missed = this.open & ~bits;
    // A text that could stand for nothing says little about what does not fit, so it comes last.
    if (missed !== 0 && !mayBeBlank(text))
      for (const bit of watched) {
        if (!(missed & bit)) continue;
        const found = this.misfits.get(bit) ?? [];
        found.push(text);
        this.misfits.set(bit, found);
        if (found.length >= sampleCount) this.open &= ~bit;
      }
    if (bits === 0) return;
    const number =
      bits & (reads.numberPoint | reads.numberComma)
        ? text
        : bits & furtherBit(further.unit | further.money)
          ? besideNumber(text).number
          : '';
    const at = Math.max(number.lastIndexOf('.'), number.lastIndexOf(','));
    if (at >= 0) this.decimals = Math.max(this.decimals, number.length - at - 1);
  }

  /** The sum of the numbers so far, with a decimal point where either sign would do. */
  sumSoFar(): number {
    const all = new ExactSum();
    for (const [text, { count, bits }] of this.values ?? [])
      if (bits & (reads.numberPoint | reads.numberComma)) all.add(text, bits & reads.numberPoint ? '.' : ',', count);
    all.include(this.pointSum);
    return Number(String(all));
  }

  /** Whether every row so far could still have a value of its own. */
  get mayBeKey(): boolean {
    return this.blanks === 0 && this.filled > 0 && this.singles;
  }

  /** Rows that can be read in each of the watched ways, from one pass over the counters. */
  private counts(): ReadonlyMap<number, number> {
    const sums = new Map<number, number>([...watched, reads.leadingZero, reads.yesNoWord].map((bit) => [bit, 0]));
    for (const { bits, count } of this.tallies.values())
      for (const [bit, sum] of sums) if (bits & bit) sums.set(bit, sum + count);
    return sums;
  }

  private blankWords(): [string, number][] {
    return this.values
      ? [...this.values].filter(([text]) => mayBeBlank(text)).map(([text, { count }]) => [text, count])
      : [...this.spelled];
  }

  /**
   * What the column is, from everything that went by; called once, at the end. `delimiter` is what keeps the cells of
   * its file apart.
   */
  profile(delimiter?: string): ColumnProfile {
    if (this.values) this.tellKnown(this.values);
    this.commaSum.include(this.wholeSum);
    const counts = this.counts();
    const of = (bit: number) => counts.get(bit) ?? 0;
    const ofFurther = (bit: number) => of(furtherBit(bit));
    const { comma, point } = this.either;
    // No number says which sign it is: where commas do not keep the cells apart, they are those of decimals.
    const eitherSign = comma + point > 0 && of(reads.numberComma) === of(reads.numberPoint);
    const decimal = eitherSign
      ? comma > point && delimiter !== undefined && delimiter !== ','
        ? ','
        : '.'
      : of(reads.numberComma) > of(reads.numberPoint)
        ? ','
        : this.decimalOfOthers();
    const spelled = this.blankWords();
    const meant = this.filled - spelled.reduce((sum, [, count]) => sum + count, 0);
    const days = { ymd: of(reads.ymd), dmy: of(reads.dmy), mdy: of(reads.mdy) };
    const instants = {
      ymd: ofFurther(further.instantYmd),
      dmy: ofFurther(further.instantDmy),
      mdy: ofFurther(further.instantMdy),
    };
    const timed = Math.max(...Object.values(instants)) > Math.max(...Object.values(days));
    const orders = timed ? instants : days;
    const most = Math.max(orders.dmy, orders.mdy);
    const order =
      (orders.ymd > 0 && orders.ymd >= most) || of(reads.compactDay) > most
        ? 'ymd'
        : orders.mdy > orders.dmy
          ? 'mdy'
          : 'dmy';
    const instantBit = { ymd: further.instantYmd, dmy: further.instantDmy, mdy: further.instantMdy }[order];
    const leadingZeros = of(reads.leadingZero) > 0;
    const ambiguous = order === 'dmy' && orders.dmy === orders.mdy && orders.ymd < orders.dmy;
    const values = this.values
      ? [...this.values].map(([text, { count }]) => ({ text, count })).sort((a, b) => b.count - a.count)
      : [];
    const beside = (money: boolean) =>
      [...this.beside]
        .flatMap(([unit, one]) => (one.money === money ? [{ unit, count: one.count }] : []))
        .sort((a, b) => b.count - a.count);
    const [units, currencies] = [beside(false), beside(true)];
    const numberBit = reads[decimal === ',' ? 'numberComma' : 'numberPoint'];
    const bits: Partial<Record<ColumnType, number>> = {
      number: numberBit,
      date: reads[order],
      yesNo: reads.yesNo,
      percent: furtherBit(further.percent),
      money: furtherBit(further.money),
      dateTime: furtherBit(instantBit),
      duration: furtherBit(further.duration),
      email: furtherBit(further.email),
      url: furtherBit(further.url),
      phone: furtherBit(further.phone),
    };
    const united = ofFurther(further.unit);
    const fits: Record<ColumnType, number> = {
      text: this.filled,
      option: this.filled,
      options: this.filled,
      number: of(numberBit) + (units[0]?.count ?? 0),
      yesNo: of(reads.yesNo),
      date: days[order] + of(reads.compactDay),
      // A day alone is the day's beginning.
      dateTime: instants[order] + (instants[order] > 0 ? days[order] : 0),
      percent: ofFurther(further.percent),
      money: ofFurther(further.money),
      duration: ofFurther(further.duration),
      email: ofFurther(further.email),
      url: ofFurther(further.url),
      phone: ofFurther(further.phone),
    };
    const several =
      values.length > 1 && values.length <= mostSplit
        ? severalIn(values.filter(({ text }) => !mayBeBlank(text)))
        : null;
    const counted = this.values ? [...this.values.values()] : this.early;
    const takenBy = (kind: ColumnType) => (bits[kind] ?? 0) | (kind === 'date' ? reads.compactDay : 0);
    const { type, reasons } = decide({
      name: this.name,
      first: this.first,
      filled: this.filled,
      blanks: this.blanks,
      meant,
      // Other units are mixed in by mistake.
      fits: { ...fits, number: of(numberBit) + united },
      numbers: of(numberBit),
      yesNoWords: of(reads.yesNoWord),
      leadingZeros,
      several,
      values: counted,
      allCounted: this.values !== null,
      unique: this.mayBeKey,
      longest: this.longest,
      restOf: (kind) =>
        counted.filter(
          ({ text, bits: own }) =>
            (own & takenBy(kind)) === 0 && !mayBeBlank(text) && !(kind === 'number' && unitOf(text) === units[0]?.unit),
        ),
    });
    const asWords = type === 'text' || type === 'option' || type === 'options';
    const blankWords = spelled
      .filter(([text]) => (asWords ? isPlainlyBlank(text) : !(this.values?.get(text)?.bits ?? 0)))
      .map(([text, count]) => ({ text, count }));
    const taken = blankWords.reduce((sum, { count }) => sum + count, 0);
    const misfits = asWords ? 0 : this.filled - fits[type] - taken;
    const pattern = type === 'text' ? patternOf(this.shapes) : null;
    this.range(reasons.length > 0 && type !== 'yesNo' ? 'number' : type, decimal, values);
    const met = {
      filled: this.filled - taken,
      fitting: fits[type],
      misfits,
      decimals: this.decimals,
      decimal,
      order,
      leadingZeros,
      ambiguous: type === 'number' ? eitherSign : ambiguous,
      distinct: this.values ? values.length : null,
      longest: this.longest,
      pattern,
      units,
      several,
      blankWords,
      reasons,
    } as const;
    return {
      name: this.name,
      type,
      reading: { decimal, dateOrder: order },
      digits: type === 'number' || type === 'money' ? this.decimals : null,
      filled: this.filled,
      blanks: this.blanks,
      distinct: this.values?.size ?? (this.once && this.mayBeKey ? this.filled : null),
      fits,
      misfits,
      misfitSamples: (this.misfits.get(bits[type] ?? 0) ?? []).filter(
        (text) => type !== 'number' || unitOf(text) !== units[0]?.unit,
      ),
      samples: this.samples,
      values: values.slice(0, 200),
      leadingZeros,
      ...(reasons.length > 0 ? { reasons } : {}),
      plain: type === 'number' && this.plainNumbers ? 'number' : type === 'date' && this.plainDates ? 'date' : null,
      longest: this.longest,
      ambiguous: type === 'number' ? eitherSign : (type === 'date' || type === 'dateTime') && ambiguous,
      sum: this.sumOf(decimal, type === 'money' ? currencies : units.slice(0, 1)),
      evidence: evidenceOf(type, met),
      blankWords,
      units,
      currencies,
      ...(pattern ? { pattern } : {}),
      ...(this.least !== null && this.most !== null
        ? { range: { least: String(this.least), most: String(this.most) } }
        : {}),
      ...(several && asWords ? { several: { ...several, values: several.values.slice(0, 200) } } : {}),
      ...(type === 'option' || type === 'options'
        ? {
            misspellings: misspellingsIn(
              (type === 'options' ? (several?.values ?? []) : values).filter(({ text }) => !isPlainlyBlank(text)),
            ),
          }
        : {}),
    };
  }

  /** The sum of what was read as numbers, those with these words beside them included. */
  private sumOf(decimal: '.' | ',', words: readonly { readonly unit: string }[]): string {
    const all = new ExactSum();
    all.include(decimal === ',' ? this.commaSum : this.pointSum);
    for (const { unit } of words) {
      const known = this.beside.get(unit);
      if (known) all.include(decimal === ',' ? known.comma : known.point);
    }
    return String(all);
  }

  /** The decimal sign of percents, amounts and numbers with units, where there are no plain numbers to tell it. */
  private decimalOfOthers(): '.' | ',' {
    const ends = (sign: RegExp) => this.shapes.filter((text) => sign.test(text)).length;
    return ends(/,\d{1,2}(?![\d.,])/) > ends(/\.\d{1,2}(?![\d.,])/) ? ',' : '.';
  }

  /** The smallest and the largest of numbers and days, where all values are known. */
  private range(type: ColumnType, decimal: '.' | ',', values: readonly { readonly text: string }[]): void {
    const keyOf =
      type === 'number'
        ? (text: string) =>
            Number(decimal === ',' ? text.replaceAll('.', '').replace(',', '.') : text.replaceAll(',', ''))
        : type === 'date' && this.plainDates
          ? (text: string) => text
          : null;
    if (!keyOf) return;
    for (const { text } of values) {
      const key = keyOf(text);
      if (typeof key === 'number' && !Number.isFinite(key)) continue;
      if (this.least === null || key < this.least) this.least = key;
      if (this.most === null || key > this.most) this.most = key;
    }
  }
}
