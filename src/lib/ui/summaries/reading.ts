import type { Reading } from '$core/summaries/chart/series';
import { roundedAs } from '$core/summaries/asked';
import { stretchWords } from '$core/query/stretchWords';
import { textOf } from '../values/show';

const bareMonths = new Intl.DateTimeFormat(undefined, { month: 'short', timeZone: 'UTC' });
const bareDays = new Intl.DateTimeFormat(undefined, { day: 'numeric', month: 'short', timeZone: 'UTC' });
const months = new Intl.DateTimeFormat(undefined, { month: 'short', year: 'numeric', timeZone: 'UTC' });

/** How values and stretches of days read at this browser; instants on the clocks of the zone. */
export const readingIn = (zone: string): Reading => ({
  value: (value, type) => textOf(roundedAs(value, type), type, zone),
  stretch: (day, by) => (by === 'month' ? months.format(new Date(`${day}T00:00:00Z`)) : stretchWords(day, by)),
  stretchOfYear: (day, by) => {
    if (by === 'quarter') return stretchWords(day, by).replace(/^\d+, /, '');
    const written = by === 'month' ? bareMonths : bareDays;
    return by === 'year' ? day.slice(0, 4) : written.format(new Date(`${day}T00:00:00Z`));
  },
});

/** How programs read the same: numbers bare, days as ISO 8601. */
export const bareReading: Reading = {
  value: (value) => (typeof value === 'object' ? JSON.stringify(value) : String(value)),
  stretch: (day) => day,
  stretchOfYear: (day) => day,
};
