import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Scalar } from '../types/expression';
import { addMonths, dateOfDayNumber, dayIn, dayNumber, isoDate } from './date';
import { compareCodePoints } from './text';
import { convertValue } from './conversion';
import {
  compareValues,
  parseValue,
  printValue,
  sampleValue,
  takeValue,
  type EnteredType,
  type Reading,
} from './registry';

const state: EnteredType = {
  kind: 'option',
  options: [
    { id: 'calm', label: 'Calm', dye: 'moss' },
    { id: 'wild', label: 'Wild one', dye: 'rust' },
  ],
};
const types: Record<string, EnteredType> = {
  text: { kind: 'text' },
  short: { kind: 'text', maxLength: 3 },
  number: { kind: 'number', digits: null },
  whole: { kind: 'number', digits: 0 },
  money: { kind: 'number', digits: 2 },
  yesNo: { kind: 'yesNo' },
  date: { kind: 'date' },
  option: state,
};
const plain: Reading = { decimal: '.', dateOrder: 'ymd' };

describe('reading', () => {
  const cases: readonly [string, string, Scalar | 'misfit', Partial<Reading>?][] = [
    ['text', '  Low Meadow ', 'Low Meadow'],
    ['text', '   ', null],
    ['text', 'a\0b', 'misfit'],
    ['short', 'abcd', 'misfit'],
    ['short', '🐝🐝🐝', '🐝🐝🐝'],
    ['number', '12.50', '12.5'],
    ['number', '-0', '0'],
    ['number', '+7', '7'],
    ['number', '007', '7'],
    ['number', '.5', '0.5'],
    ['number', '5.', '5'],
    ['number', '1,234.5', '1234.5'],
    ['number', '12,34', 'misfit'],
    ['number', '7E5', 'misfit'],
    ['number', '0x10', 'misfit'],
    ['number', 'Infinity', 'misfit'],
    ['number', 'NaN', 'misfit'],
    ['number', '1 000', 'misfit'],
    ['number', '−3', '-3'],
    ['number', '9'.repeat(31), 'misfit'],
    ['number', '9'.repeat(30), '9'.repeat(30)],
    ['number', '0.' + '1'.repeat(31), 'misfit'],
    ['number', '12345678901234567890.123', '12345678901234567890.123'],
    ['number', '1.234.567,89', '1234567.89', { decimal: ',' }],
    ['number', '1,5', '1.5', { decimal: ',' }],
    ['number', '1.5', 'misfit', { decimal: ',' }],
    ['number', '1.500', '1500', { decimal: ',' }],
    ['number', '1,2,3', 'misfit', { decimal: ',' }],
    ['whole', '3.0', '3'],
    ['whole', '3.5', 'misfit'],
    ['money', '3.456', 'misfit'],
    ['money', '3.4500', '3.45'],
    ['yesNo', 'YES', true],
    ['yesNo', 'n', false],
    ['yesNo', '0', false],
    ['yesNo', 'maybe', 'misfit'],
    ['yesNo', 'Ja', true],
    ['date', '2026-05-16', '2026-05-16'],
    ['date', '2026-5-6', '2026-05-06'],
    ['date', '2026-02-30', 'misfit'],
    ['date', '2024-02-29', '2024-02-29'],
    ['date', '1900-02-29', 'misfit'],
    ['date', '0000-01-01', 'misfit'],
    ['date', '16.5.2026', '2026-05-16', { dateOrder: 'dmy' }],
    ['date', '5/16/2026', '2026-05-16', { dateOrder: 'mdy' }],
    ['date', '16/5/2026', 'misfit', { dateOrder: 'mdy' }],
    ['date', '31.02.2025', 'misfit', { dateOrder: 'dmy' }],
    ['date', '16.5.2026', 'misfit'],
    ['date', '2026-05-16', '2026-05-16', { dateOrder: 'dmy' }],
    ['option', 'calm', 'calm'],
    ['option', 'WILD ONE', 'wild'],
    ['option', 'wild', 'wild'],
    ['option', 'angry', 'misfit'],
  ];
  test.each(cases)('%s “%s” → %s', (type, written, expected, reading) => {
    const parsed = parseValue(written, types[type]!, { ...plain, ...reading });
    if (expected === 'misfit') {
      expect(parsed.ok).toBe(false);
      if (!parsed.ok) expect(parsed.problem.message.length).toBeGreaterThan(5);
    } else expect(parsed).toEqual({ ok: true, value: expected });
  });

  test('what is printed reads as the same value, and samples are values', () => {
    let seed = 7;
    const random = () => (seed = (seed * 48271) % 2147483647) / 2147483647;
    for (const type of Object.values(types))
      for (let i = 0; i < 50; i++) {
        const value = sampleValue(random, type.kind === 'text' ? { kind: 'text' } : type);
        const own: EnteredType = type.kind === 'text' ? { kind: 'text' } : type;
        expect(parseValue(printValue(value, own), own)).toEqual({ ok: true, value });
        expect(compareValues(value, value, own)).toBe(0);
      }
  });
});

describe('taking JSON', () => {
  test.each<[string, unknown, unknown]>([
    ['number', 12.5, '12.5'],
    ['number', '12.50', '12.5'],
    ['number', 1e21, '1000000000000000000000'],
    ['number', Number.NaN, 'misfit'],
    ['number', [], 'misfit'],
    ['number', true, 'misfit'],
    ['text', 5, 'misfit'],
    ['text', '', null],
    ['yesNo', true, true],
    ['yesNo', 'no', false],
    ['yesNo', 1, 'misfit'],
    ['date', '2026-05-16', '2026-05-16'],
    ['date', 20260516, 'misfit'],
    ['option', 'Calm', 'calm'],
    ['option', {}, 'misfit'],
    ['text', null, null],
  ])('%s %j → %j', (type, value, expected) => {
    const taken = takeValue(value, types[type]!);
    expect(taken.ok ? taken.value : 'misfit').toEqual(expected);
  });

  test('links take an id in either form', () => {
    const link: EnteredType = { kind: 'link', to: 't', onDelete: 'clear', counterpart: 'f' };
    for (const [sent, id] of [
      [7, 7],
      [{ id: 7, title: 'H-0007' }, 7],
    ] as const)
      expect(takeValue(sent, link)).toEqual({ ok: true, value: id });
    for (const sent of [0, -1, 1.5, '7', {}, { id: 'x' }])
      expect(takeValue(sent, link).ok, JSON.stringify(sent)).toBe(false);
  });
});

test('conversion keeps all digits and says what does not fit', () => {
  expect(convertValue('12.345', types.money!, types.text!)).toEqual({ ok: true, value: '12.345' });
  expect(convertValue('calm', state, types.text!)).toEqual({ ok: true, value: 'Calm' });
  expect(convertValue('12', types.text!, types.whole!)).toEqual({ ok: true, value: '12' });
  expect(convertValue('many', types.text!, types.whole!).ok).toBe(false);
  expect(convertValue(true, types.yesNo!, types.text!)).toEqual({ ok: true, value: 'yes' });
});

test('dates count as the calendar does', () => {
  fc.assert(
    fc.property(fc.integer({ min: -719162, max: 2932896 }), (day) => {
      const iso = dateOfDayNumber(day)!;
      expect(dayNumber(iso)).toBe(day);
      expect(isoDate(Number(iso.slice(0, 4)), Number(iso.slice(5, 7)), Number(iso.slice(8)))).toBe(iso);
      expect(addMonths(iso, 0)).toBe(iso);
    }),
  );
  expect(addMonths('2026-01-31', 1)).toBe('2026-02-28');
  expect(addMonths('2026-01-31', -11)).toBe('2025-02-28');
  expect(dateOfDayNumber(2932897)).toBeNull();
  expect(dayIn('Pacific/Kiritimati', new Date('2026-05-15T12:00:00Z'))).toBe('2026-05-16');
});

test('texts compare by code point', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'binary' }), fc.string({ unit: 'binary' }), (a, b) => {
      expect(Math.sign(compareCodePoints(a, b))).toBe(Math.sign(Buffer.compare(Buffer.from(a), Buffer.from(b))));
    }),
  );
});
