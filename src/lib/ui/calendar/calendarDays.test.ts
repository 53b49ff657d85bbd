import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { dayNumber } from '$core/fieldTypes/date';
import { daysShown, plusDays, turned, weekPieces, type Dated } from './calendarDays';

describe('the days of a calendar', () => {
  test.each([
    ['2026-05-16', 'month', '2026-04-27', '2026-05-31', 35],
    ['2026-02-10', 'month', '2026-01-26', '2026-03-01', 35],
    ['2027-02-10', 'month', '2027-02-01', '2027-02-28', 28],
    ['2026-08-31', 'month', '2026-07-27', '2026-09-06', 42],
    ['2026-05-16', 'week', '2026-05-11', '2026-05-17', 7],
    ['2026-01-01', 'week', '2025-12-29', '2026-01-04', 7],
  ] as const)('around %s by %s', (around, span, first, last, count) => {
    const days = daysShown(around, span);
    expect([days[0], days.at(-1), days.length]).toEqual([first, last, count]);
  });

  test('turn by months and weeks, there and back', () => {
    expect([
      turned('2026-01-31', 'month', 1),
      turned('2026-03-15', 'month', -1),
      turned('2026-05-16', 'week', 1),
    ]).toEqual(['2026-02-01', '2026-02-01', '2026-05-23']);
  });
});

describe('records of a week', () => {
  const monday = '2026-05-11';
  const dated = fc.array(
    fc
      .record({ start: fc.integer({ min: -10, max: 12 }), length: fc.integer({ min: -1, max: 12 }) })
      .map(({ start, length }): Dated<string> => ({
        record: `${start} ${length}`,
        from: plusDays(monday, start),
        to: plusDays(monday, start + length),
      })),
    { maxLength: 20 },
  );

  test('stand on the days they have, none over another, none left out', () => {
    fc.assert(
      fc.property(dated, (records) => {
        const pieces = weekPieces(records, monday);
        const inWeek = records.filter(
          ({ from, to }) =>
            dayNumber(from) <= dayNumber(monday) + 6 && dayNumber(to < from ? from : to) >= dayNumber(monday),
        );
        expect(pieces).toHaveLength(inWeek.length);
        const taken = new Set<string>();
        for (const { column, days, line } of pieces) {
          expect(column >= 0 && days >= 1 && column + days <= 7).toBe(true);
          for (let day = column; day < column + days; day++) {
            expect(taken.has(`${day} ${line}`)).toBe(false);
            taken.add(`${day} ${line}`);
          }
        }
      }),
    );
  });

  test('say where they come from and go on', () => {
    expect(weekPieces([{ record: 'long', from: '2026-05-01', to: '2026-06-01' }], monday)).toEqual([
      { record: 'long', column: 0, days: 7, line: 0, fromBefore: true, goesOn: true },
    ]);
  });
});
