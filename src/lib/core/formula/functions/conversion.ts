import { quoteText } from '../../base/sql';
import { date } from '../../fieldTypes/date';
import { dateTime, dayOf, instantOf } from '../../fieldTypes/dateTime';
import { duration } from '../../fieldTypes/duration';
import { plainReading } from '../../fieldTypes/kind';
import { number } from '../../fieldTypes/number';
import type { FunctionDefinition } from './definition';
import type { Scalar } from '../../types/expression';

const read = (kind: 'number' | 'date', value: Scalar | undefined): Scalar => {
  const reading = { decimal: '.', dateOrder: 'ymd' } as const;
  const written = String(value).replace(/^ +| +$/g, '');
  const parsed =
    kind === 'number' ? number.parse(written, { kind, digits: null }, reading) : date.parse(written, { kind }, reading);
  return parsed.ok ? parsed.value : null;
};

/** What `cast(x as type)` becomes; the last word is the wanted type. */
export const conversion: readonly FunctionDefinition[] = [
  {
    name: 'to text',
    family: 'conversion',
    usage: 'cast(x as text)',
    help: 'The value as text.',
    blanks: 'spreads',
    signatures: [
      { takes: ['number'], gives: 'text' },
      { takes: ['date'], gives: 'text' },
      { takes: ['boolean'], gives: 'text' },
      { takes: ['text'], gives: 'text' },
      { takes: ['timestamp'], gives: 'text' },
      { takes: ['duration'], gives: 'text' },
    ],
    evaluate([x], { zone = 'UTC' }, types) {
      if (types[0]?.is === 'timestamp')
        return dateTime.print(x ?? null, { kind: 'dateTime' }, { ...plainReading, zone });
      return types[0]?.is === 'duration' ? duration.print(x ?? null, { kind: 'duration' }, plainReading) : String(x);
    },
    sql([x], { zone }, types) {
      switch (types[0]?.is) {
        case 'number':
          return `trim_scale(${x})::text`;
        case 'timestamp':
          return `loom.instant_text(${x}, ${quoteText(zone)})`;
        case 'duration':
          return `loom.duration_text(${x})`;
        default:
          return `(${x})::text`;
      }
    },
    examples: [['cast(1.50 as text)', '1.5']],
  },
  {
    name: 'to number',
    also: ['value'],
    family: 'conversion',
    usage: 'cast(x as number), value(x)',
    help: 'The number a text says; blank when it says none.',
    blanks: 'spreads',
    mayBlank: 'the text is no number',
    signatures: [
      { takes: ['text'], gives: 'number' },
      { takes: ['number'], gives: 'number' },
    ],
    evaluate: ([x]) => read('number', x),
    sql: ([x], _, types) => (types[0]?.is === 'number' ? String(x) : `loom.read_number(btrim(${x}, ' '), '.')`),
    examples: [
      ["cast('12.50' as number)", '12.5'],
      ["cast('many' as number)", ''],
      ["value('3')", '3'],
    ],
  },
  {
    name: 'to date',
    also: ['datevalue'],
    family: 'conversion',
    usage: 'cast(x as date), datevalue(x)',
    help: 'The date a text says; blank when it says none.',
    blanks: 'spreads',
    mayBlank: 'the text is no date',
    signatures: [
      { takes: ['text'], gives: 'date' },
      { takes: ['date'], gives: 'date' },
      { takes: ['timestamp'], gives: 'date' },
    ],
    evaluate: ([x], { zone = 'UTC' }, types) =>
      types[0]?.is === 'timestamp' ? dayOf(x ?? null, zone) : read('date', x),
    sql: ([x], { zone }, types) =>
      types[0]?.is === 'date'
        ? String(x)
        : types[0]?.is === 'timestamp'
          ? `loom.day_of(${x}, ${quoteText(zone)})`
          : `loom.read_date(btrim(${x}, ' '), 'ymd')`,
    examples: [
      ["cast('2026-05-16' as date)", '2026-05-16'],
      ["cast('2026-02-30' as date)", ''],
    ],
  },
  {
    name: 'to timestamp',
    family: 'conversion',
    usage: 'cast(x as timestamp)',
    help: 'The moment at which a day begins.',
    blanks: 'spreads',
    signatures: [
      { takes: ['date'], gives: 'timestamp' },
      { takes: ['timestamp'], gives: 'timestamp' },
    ],
    evaluate: ([x], { zone = 'UTC' }, types) =>
      types[0]?.is === 'timestamp' ? (x ?? null) : instantOf(`${String(x)}T00:00:00`, zone),
    sql: ([x], { zone }, types) =>
      types[0]?.is === 'timestamp' ? String(x) : `loom.day_start(${x}, ${quoteText(zone)})`,
    examples: [["cast(date '2026-05-16' as timestamp)", '2026-05-16T00:00:00Z']],
  },
  {
    name: 'isnumber',
    family: 'conversion',
    usage: 'isnumber(x)',
    help: 'Whether it is a number, or a text that says one.',
    blanks: 'own',
    signatures: [{ takes: ['any'], gives: 'boolean' }],
    evaluate: ([x], _, types) =>
      x !== null &&
      x !== undefined &&
      (types[0]?.is === 'number' || (types[0]?.is === 'text' && read('number', x) !== null)),
    sql: ([x], _, types) =>
      types[0]?.is === 'number'
        ? `(${x} is not null)`
        : types[0]?.is === 'text'
          ? `(loom.read_number(btrim(${x}, ' '), '.') is not null)`
          : 'false',
    examples: [
      ["isnumber('12.5')", 'true'],
      ["isnumber('many')", 'false'],
    ],
  },
];
