import type { ColumnType } from '../intake';
import type { Reason } from './meaning';
import type { SeveralValues } from './severalValues';

/** What is told of a column in its sentence of evidence. */
export interface Met {
  readonly filled: number;
  readonly fitting: number;
  readonly misfits: number;
  readonly decimals: number;
  readonly decimal: '.' | ',';
  readonly order: 'ymd' | 'dmy' | 'mdy';
  readonly leadingZeros: boolean;
  readonly ambiguous: boolean;
  /** Null where there are too many to count. */
  readonly distinct: number | null;
  readonly longest: number;
  readonly pattern: string | null;
  readonly units: readonly { readonly unit: string; readonly count: number }[];
  readonly several: SeveralValues | null;
  readonly blankWords: readonly { readonly text: string; readonly count: number }[];
  /** Why digits are no numbers, or are. */
  readonly reasons: readonly Reason[];
}

const orders = { ymd: 'year-month-day', dmy: 'day-month-year', mdy: 'month-day-year' } as const;
const separatorWords: Readonly<Record<string, string>> = {
  ';': 'semicolons',
  ',': 'commas',
  '\n': 'line breaks',
  '|': 'bars',
};
const n = (count: number) => count.toLocaleString('en');

const plurals: Partial<Record<ColumnType, string>> = {
  percent: 'percents',
  money: 'amounts of money',
  duration: 'durations',
  email: 'email addresses',
  url: 'web addresses',
  phone: 'telephone numbers',
};

/** What speaks for it, the strongest first. */
const saying = (reasons: readonly Reason[]): string =>
  reasons
    .filter(({ weight }) => weight > 0)
    .sort((a, b) => b.weight - a.weight)
    .slice(0, 2)
    .map(({ says }) => says)
    .join(', ');

/** Why a column is taken for this type, in a sentence. */
export function evidenceOf(type: ColumnType, met: Met): string {
  if (met.filled === 0) return 'every row is blank';
  const rest = met.misfits > 0 ? `; ${n(met.misfits)} ${met.misfits === 1 ? 'does' : 'do'} not fit` : '';
  const blank =
    met.blankWords.length > 0
      ? `; ${met.blankWords
          .slice(0, 3)
          .map(({ text }) => `“${text}”`)
          .join(', ')} ${met.blankWords.length === 1 ? 'stands' : 'stand'} for blank`
      : '';
  const share = `${n(met.fitting)} of ${n(met.filled)}`;
  const dates = met.ambiguous ? 'day-month or month-day: please choose' : orders[met.order];
  switch (type) {
    case 'number': {
      const [unit, ...others] = met.units;
      const mixed =
        others.length > 0
          ? `; other units are mixed in: ${others
              .slice(0, 3)
              .map((one) => `${one.unit} ${n(one.count)}`)
              .join(', ')}`
          : '';
      const sign = met.decimal === ',' ? 'comma' : 'point';
      const shape = met.ambiguous
        ? `, read with a decimal ${sign}; the sign could also keep thousands apart: please look`
        : met.decimals > 0
          ? ` with decimal ${sign}`
          : ', all whole';
      return `${share} are numbers${unit ? ` in ${unit.unit}` : shape}${mixed}${rest}${blank}`;
    }
    case 'date':
      return `${share} are dates, ${dates}${rest}${blank}`;
    case 'dateTime':
      return `${share} are days with a time, ${dates}${rest}${blank}`;
    case 'yesNo':
      return met.reasons.length > 0 ? `${met.reasons[0]?.says}${blank}` : `${share} say yes or no${rest}${blank}`;
    case 'option':
      return `${n(met.distinct ?? 0)} different values in ${n(met.filled)} rows${blank}`;
    case 'options':
      return `${n(met.several?.cells ?? 0)} cells hold several values, apart by ${separatorWords[met.several?.separator ?? ''] ?? `“${met.several?.separator ?? ''}”`}: ${n(met.several?.values.length ?? 0)} different ones${blank}`;
    case 'text': {
      if (met.reasons.length > 0) return `digits that are codes: ${saying(met.reasons)}${blank}`;
      if (met.leadingZeros) return `digits with leading zeros, kept as they are written${blank}`;
      const distinct = met.distinct === null ? 'many' : n(met.distinct);
      return `${distinct} different texts, ${met.pattern ? `written as ${met.pattern}` : `up to ${n(met.longest)} characters`}${blank}`;
    }
    default:
      return `${share} are ${plurals[type] ?? type}${rest}${blank}`;
  }
}
