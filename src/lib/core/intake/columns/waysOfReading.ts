import type { ColumnType } from '../intake';
import { readingsOf, reads } from './classify';
import { further, furtherReadingsOf } from './furtherKinds';

/** Bits of the further readings stand above those of `reads`. */
const furtherShift = 9;

/** One counter for each way of reading: those of `reads` in the lower bits, those of `further` above. */
export const bitsOf = (text: string): number => {
  const bits = readingsOf(text);
  return (bits & ~(reads.leadingZero | reads.yesNo | reads.yesNoWord)) === 0
    ? bits | (furtherReadingsOf(text) << furtherShift)
    : bits;
};
export const furtherBit = (bit: number) => bit << furtherShift;

/** Ways of reading for which misfits are kept. */
export const watched = [
  reads.numberPoint,
  reads.numberComma,
  reads.ymd,
  reads.dmy,
  reads.mdy,
  reads.yesNo,
  reads.compactDay,
  ...Object.values(further).map(furtherBit),
] as const;

/** The ways in which the texts of a column can be read, with how many can. */
export interface WaysOfReading {
  readonly decimal: '.' | ',';
  readonly order: 'ymd' | 'dmy' | 'mdy';
  /** No number, or no day, says which of two it is. */
  readonly eitherSign: boolean;
  readonly eitherOrder: boolean;
  readonly leadingZeros: boolean;
  readonly numbers: number;
  /** Numbers with a unit beside them, whichever it is. */
  readonly united: number;
  readonly yesNoWords: number;
  /** The bit of each type that has a way of its own. */
  readonly bits: Partial<Record<ColumnType, number>>;
  /** How many fit each type, of so many that are filled and so many with the unit that most have. */
  readonly fits: (filled: number, withUnit: number) => Record<ColumnType, number>;
}

/**
 * Told from counters, one for each combination of bits. `either`: numbers that read with a comma as well as with a point,
 * by the sign they have. `shapes`: some of the texts.
 */
export function waysOf(
  tallies: readonly { readonly bits: number; readonly count: number }[],
  either: { readonly comma: number; readonly point: number },
  shapes: readonly string[],
  delimiter: string | undefined,
): WaysOfReading {
  const of = countsOf(tallies);
  const ofFurther = (bit: number) => of(furtherBit(bit));
  const days = { ymd: of(reads.ymd), dmy: of(reads.dmy), mdy: of(reads.mdy) };
  const instants = {
    ymd: ofFurther(further.instantYmd),
    dmy: ofFurther(further.instantDmy),
    mdy: ofFurther(further.instantMdy),
  };
  const timed = Math.max(...Object.values(instants)) > Math.max(...Object.values(days));
  const orders = timed ? instants : days;
  const order = orderOf(orders, of(reads.compactDay));
  const eitherSign = either.comma + either.point > 0 && of(reads.numberComma) === of(reads.numberPoint);
  // Where commas do not keep the cells apart, they are those of decimals.
  const decimal = eitherSign
    ? either.comma > either.point && delimiter !== undefined && delimiter !== ','
      ? ','
      : '.'
    : of(reads.numberComma) > of(reads.numberPoint)
      ? ','
      : decimalOfOthers(shapes);
  const bits = bitsOfTypes(decimal, order);
  const numbers = of(bits.number ?? 0);
  return {
    decimal,
    order,
    eitherSign,
    eitherOrder: order === 'dmy' && orders.dmy === orders.mdy && orders.ymd < orders.dmy,
    leadingZeros: of(reads.leadingZero) > 0,
    numbers,
    united: ofFurther(further.unit),
    yesNoWords: of(reads.yesNoWord),
    bits,
    fits: (filled, withUnit) => ({
      text: filled,
      option: filled,
      options: filled,
      number: numbers + withUnit,
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
    }),
  };
}

/** Rows that can be read in a way, from one pass over the counters. */
function countsOf(tallies: readonly { readonly bits: number; readonly count: number }[]): (bit: number) => number {
  const sums = new Map<number, number>([...watched, reads.leadingZero, reads.yesNoWord].map((bit) => [bit, 0]));
  for (const { bits, count } of tallies) for (const [bit, sum] of sums) if (bits & bit) sums.set(bit, sum + count);
  return (bit) => sums.get(bit) ?? 0;
}

function orderOf(days: Readonly<Record<WaysOfReading['order'], number>>, compact: number): WaysOfReading['order'] {
  const most = Math.max(days.dmy, days.mdy);
  if ((days.ymd > 0 && days.ymd >= most) || compact > most) return 'ymd';
  return days.mdy > days.dmy ? 'mdy' : 'dmy';
}

const bitsOfTypes = (decimal: '.' | ',', order: WaysOfReading['order']): Partial<Record<ColumnType, number>> => ({
  number: reads[decimal === ',' ? 'numberComma' : 'numberPoint'],
  date: reads[order],
  yesNo: reads.yesNo,
  percent: furtherBit(further.percent),
  money: furtherBit(further.money),
  dateTime: furtherBit({ ymd: further.instantYmd, dmy: further.instantDmy, mdy: further.instantMdy }[order]),
  duration: furtherBit(further.duration),
  email: furtherBit(further.email),
  url: furtherBit(further.url),
  phone: furtherBit(further.phone),
});

/** The decimal sign of percents, amounts and numbers with units, where there are no plain numbers to tell it. */
function decimalOfOthers(shapes: readonly string[]): '.' | ',' {
  const ends = (sign: RegExp) => shapes.filter((text) => sign.test(text)).length;
  return ends(/,\d{1,2}(?![\d.,])/) > ends(/\.\d{1,2}(?![\d.,])/) ? ',' : '.';
}
