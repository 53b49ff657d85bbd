import { ExactSum, reads } from './classify';
import { isPlainlyBlank, mayBeBlank } from './blankWords';
import { besideNumber, further, unitOf } from './furtherKinds';
import type { ColumnProfile, ColumnType } from '../intake';
import { decide } from './decide';
import { evidenceOf } from './evidence';
import { patternOf } from './pattern';
import { SeenOnce } from './seenOnce';
import { severalIn } from './severalValues';
import { misspellingsIn } from './spellings';
import { bitsOf, furtherBit, waysOf, watched, type WaysOfReading } from './waysOfReading';

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
/** The most frequent values that are kept: all that options may be made of, many codes, else a few. */
const mostKept = 200;
const fewKept = 20;
const longestCode = 12;

const plainNumber = /^[+-]?\d{1,30}(?:\.\d{1,30})?$/;
const plainDate = /^\d{4}-\d{2}-\d{2}$/;

interface Known {
  readonly text: string;
  count: number;
  readonly bits: number;
}

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
    const ways = waysOf([...this.tallies.values()], this.either, this.shapes, delimiter);
    const values = this.values
      ? [...this.values].map(([text, { count }]) => ({ text, count })).sort((a, b) => b.count - a.count)
      : [];
    const [units, currencies] = [this.besideNumbers(false), this.besideNumbers(true)];
    const fits = ways.fits(this.filled, units[0]?.count ?? 0);
    const isSplit = values.length > 1 && values.length <= mostSplit;
    const several = isSplit ? severalIn(values.filter(({ text }) => !mayBeBlank(text))) : null;
    const spelled = this.blankWords();
    const { type, reasons } = this.decided(ways, fits, spelled, several, units[0]?.unit);
    const asWords = type === 'text' || type === 'option' || type === 'options';
    const blankWords = spelled
      .filter(([text]) => (asWords ? isPlainlyBlank(text) : !(this.values?.get(text)?.bits ?? 0)))
      .map(([text, count]) => ({ text, count }));
    const taken = blankWords.reduce((sum, { count }) => sum + count, 0);
    const { decimal, order, leadingZeros } = ways;
    const common = {
      misfits: asWords ? 0 : this.filled - fits[type] - taken,
      leadingZeros,
      ambiguous: type === 'number' ? ways.eitherSign : (type === 'date' || type === 'dateTime') && ways.eitherOrder,
      longest: this.longest,
      units,
      blankWords,
    };
    const isCode = asWords && this.longest <= longestCode;
    const pattern = type === 'text' ? patternOf(this.shapes) : null;
    const range = this.rangeOf(reasons.length > 0 && type !== 'yesNo' ? 'number' : type, decimal, values);
    const missed = this.misfits.get(ways.bits[type] ?? 0) ?? [];
    return {
      name: this.name,
      type,
      reading: { decimal, dateOrder: order },
      digits: type === 'number' || type === 'money' ? this.decimals : null,
      filled: this.filled,
      blanks: this.blanks,
      distinct: this.values?.size ?? (this.once && this.mayBeKey ? this.filled : null),
      fits,
      ...common,
      misfitSamples: missed.filter((text) => type !== 'number' || unitOf(text) !== units[0]?.unit),
      samples: this.samples,
      values: values.slice(0, values.length > mostKept && !isCode ? fewKept : mostKept),
      plain: type === 'number' && this.plainNumbers ? 'number' : type === 'date' && this.plainDates ? 'date' : null,
      sum: this.sumOf(decimal, type === 'money' ? currencies : units.slice(0, 1)),
      evidence: evidenceOf(type, {
        ...common,
        filled: this.filled - taken,
        fitting: fits[type],
        decimals: this.decimals,
        decimal,
        order,
        distinct: this.values ? values.length : null,
        pattern,
        several,
        reasons,
      }),
      currencies,
      ...(reasons.length > 0 ? { reasons } : {}),
      ...(pattern ? { pattern } : {}),
      ...(range ? { range } : {}),
      ...(several && asWords ? { several: { ...several, values: several.values.slice(0, mostKept) } } : {}),
      ...(type === 'option' || type === 'options'
        ? {
            misspellings: misspellingsIn(
              (type === 'options' ? (several?.values ?? []) : values).filter(({ text }) => !isPlainlyBlank(text)),
            ),
          }
        : {}),
    };
  }

  private decided(
    ways: WaysOfReading,
    fits: Record<ColumnType, number>,
    spelled: readonly [string, number][],
    several: ReturnType<typeof severalIn>,
    unit: string | undefined,
  ) {
    const counted = this.values ? [...this.values.values()] : this.early;
    const takenBy = (kind: ColumnType) => (ways.bits[kind] ?? 0) | (kind === 'date' ? reads.compactDay : 0);
    return decide({
      name: this.name,
      first: this.first,
      filled: this.filled,
      blanks: this.blanks,
      meant: this.filled - spelled.reduce((sum, [, count]) => sum + count, 0),
      // Other units are mixed in by mistake.
      fits: { ...fits, number: ways.numbers + ways.united },
      numbers: ways.numbers,
      yesNoWords: ways.yesNoWords,
      leadingZeros: ways.leadingZeros,
      several,
      values: counted,
      allCounted: this.values !== null,
      unique: this.mayBeKey,
      longest: this.longest,
      restOf: (kind) =>
        counted.filter(
          ({ text, bits }) =>
            (bits & takenBy(kind)) === 0 && !mayBeBlank(text) && !(kind === 'number' && unitOf(text) === unit),
        ),
    });
  }

  /** Units, or currencies, with how often each stands beside a number, the most frequent first. */
  private besideNumbers(money: boolean): { readonly unit: string; readonly count: number }[] {
    return [...this.beside]
      .flatMap(([unit, one]) => (one.money === money ? [{ unit, count: one.count }] : []))
      .sort((a, b) => b.count - a.count);
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

  /** The smallest and the largest of numbers and days, where all values are known. */
  private rangeOf(
    type: ColumnType,
    decimal: '.' | ',',
    values: readonly { readonly text: string }[],
  ): ColumnProfile['range'] | null {
    const keyOf =
      type === 'number'
        ? (text: string) =>
            Number(decimal === ',' ? text.replaceAll('.', '').replace(',', '.') : text.replaceAll(',', ''))
        : type === 'date' && this.plainDates
          ? (text: string) => text
          : null;
    if (!keyOf) return null;
    const keys = values.map(({ text }) => keyOf(text)).filter((key) => typeof key === 'string' || Number.isFinite(key));
    const [first] = keys;
    if (first === undefined) return null;
    let [least, most] = [first, first];
    for (const key of keys) {
      if (key < least) least = key;
      if (key > most) most = key;
    }
    return { least: String(least), most: String(most) };
  }
}
