import { type Reading, plainReading } from './kind';
import { parseValue, type EnteredType } from './registry';

/**
 * How a column of texts is to be read, and whether another order of day and month would read it as well but as other
 * days.
 */
export interface ColumnReading {
  readonly reading: Pick<Reading, 'decimal' | 'dateOrder'>;
  readonly either: boolean;
}

/** So many texts decide; a column is written by one hand. */
const mostLooked = 2000;

const ways: Partial<Record<EnteredType['kind'], readonly Pick<Reading, 'decimal' | 'dateOrder'>[]>> = {
  number: [plainReading, { ...plainReading, decimal: ',' }],
  money: [plainReading, { ...plainReading, decimal: ',' }],
  percent: [plainReading, { ...plainReading, decimal: ',' }],
  progress: [plainReading, { ...plainReading, decimal: ',' }],
  date: [plainReading, { ...plainReading, dateOrder: 'dmy' }, { ...plainReading, dateOrder: 'mdy' }],
  dateTime: [plainReading, { ...plainReading, dateOrder: 'dmy' }, { ...plainReading, dateOrder: 'mdy' }],
};

/** The decimal sign and the order of dates by which most texts of a column are values of its type. */
export function readingOfColumn(
  texts: readonly string[],
  type: EnteredType,
  given: Reading = plainReading,
): ColumnReading {
  const possible = ways[type.kind];
  if (!possible) return { reading: plainReading, either: false };
  const looked = texts.filter((text) => text.trim() !== '').slice(0, mostLooked);
  const tried = possible.map((reading) => {
    const values = looked.map((text) => parseValue(text, type, { ...given, ...reading }));
    return { reading, values, fit: values.filter(({ ok }) => ok).length };
  });
  const most = Math.max(...tried.map(({ fit }) => fit));
  const [best, ...others] = tried.filter(({ fit }) => fit === most);
  if (!best) return { reading: plainReading, either: false };
  const values = JSON.stringify(best.values);
  return { reading: best.reading, either: most > 0 && others.some((other) => JSON.stringify(other.values) !== values) };
}
