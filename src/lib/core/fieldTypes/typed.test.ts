import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { habitOf, readTyped, typedText, type Habit } from './typed';
import type { EnteredType } from './registry';

const english: Habit = { decimal: '.', dateOrder: 'mdy' };
const german: Habit = { decimal: ',', dateOrder: 'dmy' };
const date: EnteredType = { kind: 'date' };
const number: EnteredType = { kind: 'number', digits: null };
const percent: EnteredType = { kind: 'percent', digits: null };

describe('what a person types is read as files are', () => {
  test.each<[string, EnteredType, Habit, unknown]>([
    ['31/12/2025', date, english, '2025-12-31'],
    ['5.9.26', date, english, '2026-09-05'],
    ['9 Aug 2026', date, english, '2026-08-09'],
    ['5/9/2026', date, english, '2026-05-09'],
    ['5/9/2026', date, german, '2026-09-05'],
    ['2026-05-09', date, german, '2026-05-09'],
    ['2,75', number, english, '2.75'],
    ['2,75', number, german, '2.75'],
    ['2.75', number, german, '2.75'],
    ['1,234', number, english, '1234'],
    ['1,234', number, german, '1.234'],
    ['1.234', number, german, '1234'],
    ['1.234,5', number, english, '1234.5'],
    ['40', percent, english, '0.4'],
    ['12,5', percent, german, '0.125'],
    ['12.5 %', percent, german, '0.125'],
    ['12,50 EUR', { kind: 'money', currency: 'EUR', digits: 2 }, english, '12.5'],
    ['', number, english, null],
  ])('%s', (written, type, habit, value) => {
    expect(readTyped(written, type, habit)).toEqual({ ok: true, value });
  });

  test('what is no value says why, and what to write in the person’s own way', () => {
    expect(readTyped('soon', date, german)).toMatchObject({
      ok: false,
      problem: { fix: 'Write 16.5.2026, or 16 May 2026.' },
    });
    expect(readTyped('many', number, german)).toMatchObject({
      ok: false,
      problem: { fix: 'Write digits, such as 12,5.' },
    });
    expect(readTyped('31.2.2026', date, english)).toMatchObject({
      ok: false,
      problem: { message: expect.stringContaining('calendar') },
    });
  });

  test('an editor begins with what is read as the same value again', () => {
    const scalar = fc
      .integer({ min: -10_000_000, max: 10_000_000 })
      .chain((n) => fc.integer({ min: 0, max: 5 }).map((digits) => String(n / 10 ** digits)));
    fc.assert(
      fc.property(scalar, fc.constantFrom(english, german), fc.constantFrom(number, percent), (value, habit, type) => {
        const read = readTyped(typedText(value, type, habit), type, habit);
        expect(read.ok && Number(read.value)).toBe(Number(value));
      }),
    );
  });

  test.each([
    ['en-US', english],
    ['de-AT', german],
    ['sv-SE', { decimal: ',', dateOrder: 'ymd' }],
    ['en-GB', { decimal: '.', dateOrder: 'dmy' }],
  ])('the habit of %s', (locale, habit) => expect(habitOf(locale)).toEqual(habit));
});
