import { textOfJson } from '../fieldTypes/registry';
import { stretchWords } from '../query/stretchWords';
import { roundedAs } from './asked';
import type { Reading } from './chart/series';

/** How values and stretches of days read in a language (BCP 47; one’s own unless said); instants on the clocks of the zone. */
export function readingIn(zone: string, locale?: string): Reading {
  const written = (options: Intl.DateTimeFormatOptions) => {
    const format = new Intl.DateTimeFormat(locale, { ...options, timeZone: 'UTC' });
    return (day: string) => format.format(new Date(`${day}T00:00:00Z`));
  };
  const months = written({ month: 'short', year: 'numeric' });
  const bareMonths = written({ month: 'short' });
  const bareDays = written({ day: 'numeric', month: 'short' });
  const wording = { zone, ...(locale === undefined ? {} : { locale }) };
  return {
    value: (value, type) => textOfJson(roundedAs(value, type), type, wording),
    stretch: (day, by) => (by === 'month' ? months(day) : stretchWords(day, by)),
    stretchOfYear: (day, by) => {
      if (by === 'quarter') return stretchWords(day, by).replace(/^\d+, /, '');
      return by === 'year' ? day.slice(0, 4) : by === 'month' ? bareMonths(day) : bareDays(day);
    },
  };
}

/** How programs read the same: numbers bare, days as ISO 8601. */
export const bareReading: Reading = {
  value: (value) => (typeof value === 'object' ? JSON.stringify(value) : String(value)),
  stretch: (day) => day,
  stretchOfYear: (day) => day,
};
