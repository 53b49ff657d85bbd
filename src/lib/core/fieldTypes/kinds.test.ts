import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Scalar } from '../types/expression';
import type { FieldType, Option } from '../types/field';
import { convertValue, conversionWay } from './conversion';
import { canonicalInstant, dayOf, instantOf, localTime } from './dateTime';
import { durationParts, isoDuration } from './duration';
import { filesOf, filesValue } from './files';
import { gazetteer } from './gazetteer';
import { wordsOf } from './json';
import { numberJson } from './number';
import { moneyParts } from './money';
import { joinedIds, optionIds, optionLabels } from './options';
import { placeOf, placeValue } from './place';
import { numberIn, readPattern } from './runningNumber';
import {
  compareValues,
  enteredKinds,
  parseValue,
  plainReading,
  printValue,
  sampleValue,
  takeValue,
  valueJson,
  type EnteredType,
  type Reading,
} from './registry';

const options: readonly Option[] = [
  { id: 'queen', label: 'Queen', dye: 'moss' },
  { id: 'eggs', label: 'Eggs, many', dye: 'rust' },
  { id: 'cups', label: 'cups', dye: 'plum', retired: true },
];
const types = {
  longText: { kind: 'longText' },
  money: { kind: 'money', currency: 'EUR', digits: 2 },
  anyMoney: { kind: 'money', currency: null, digits: 2 },
  percent: { kind: 'percent', digits: null },
  tenth: { kind: 'percent', digits: 1 },
  progress: { kind: 'progress' },
  rating: { kind: 'rating', most: 5 },
  dateTime: { kind: 'dateTime' },
  duration: { kind: 'duration' },
  options: { kind: 'options', options },
  url: { kind: 'url' },
  email: { kind: 'email' },
  phone: { kind: 'phone' },
  place: { kind: 'place' },
  running: { kind: 'runningNumber', pattern: 'LOT-{year}-{000}' },
  files: { kind: 'files' },
  pictures: { kind: 'pictures' },
  member: { kind: 'member' },
} as const satisfies Record<string, EnteredType>;
type Name = keyof typeof types;

const vienna: Reading = { ...plainReading, zone: 'Europe/Vienna' };
const dmy: Reading = { decimal: ',', dateOrder: 'dmy', zone: 'Europe/Vienna' };

describe('reading', () => {
  const cases: readonly [Name, string, Scalar | 'misfit', Reading?][] = [
    ['longText', 'two\nlines', 'two\nlines'],
    ['money', '12.50', '12.5'],
    ['money', '12.50 EUR', '12.5'],
    ['money', 'eur 12', '12'],
    ['money', '€ 3', '3'],
    ['money', '3 €', '3'],
    ['money', '3 GBP', 'misfit'],
    ['money', '3.456', 'misfit'],
    ['money', '€3€', 'misfit'],
    ['money', '1.234,5', '1234.5', dmy],
    ['money', '-3', '-3'],
    ['anyMoney', '3 gbp', '3 GBP'],
    ['anyMoney', '£3.20', '3.2 GBP'],
    ['anyMoney', '3', 'misfit'],
    ['anyMoney', '3 XXX', 'misfit'],
    ['percent', '12.5 %', '0.125'],
    ['percent', '12.5%', '0.125'],
    ['percent', '12.5', '0.125'],
    ['percent', '12,5 %', '0.125', dmy],
    ['percent', '%', 'misfit'],
    ['percent', '-5', '-0.05'],
    ['tenth', '12.55', 'misfit'],
    ['progress', '40', '0.4'],
    ['progress', '100 %', '1'],
    ['progress', '101', 'misfit'],
    ['progress', '-1', 'misfit'],
    ['rating', '3', '3'],
    ['rating', '★★★★', '4'],
    ['rating', '0', 'misfit'],
    ['rating', '6', 'misfit'],
    ['rating', '2.5', 'misfit'],
    ['rating', 'good', 'misfit'],
    ['dateTime', '2026-05-16 14:30', '2026-05-16T12:30:00Z', vienna],
    ['dateTime', '2026-05-16T14:30:15+02:00', '2026-05-16T12:30:15Z'],
    ['dateTime', '2026-05-16T14:30:15.999Z', '2026-05-16T14:30:15Z'],
    ['dateTime', '2026-05-16', '2026-05-15T22:00:00Z', vienna],
    ['dateTime', '16.5.2026, 14:30', '2026-05-16T12:30:00Z', dmy],
    ['dateTime', '16.5.2026 14:30', 'misfit'],
    // The clock leaps over this half hour, and passes the other one twice.
    ['dateTime', '2026-03-29 02:30', '2026-03-29T01:30:00Z', vienna],
    ['dateTime', '2026-10-25 02:30', '2026-10-25T01:30:00Z', vienna],
    ['dateTime', '2026-02-30 10:00', 'misfit'],
    ['dateTime', '2026-05-16 24:00', 'misfit'],
    ['dateTime', '2026-05-16 10:60', 'misfit'],
    ['dateTime', '0001-01-01 00:00', 'misfit', vienna],
    ['dateTime', '2026-05-16T10:00+99:00', 'misfit'],
    ['duration', '1:30', '5400'],
    ['duration', '1:30:05', '5405'],
    ['duration', '-0:15', '-900'],
    ['duration', '90 min', '5400'],
    ['duration', '1 h 30 min', '5400'],
    ['duration', '2 days', '172800'],
    ['duration', 'PT1H30M', '5400'],
    ['duration', 'P1DT1S', '86401'],
    ['duration', '1:75', 'misfit'],
    ['duration', 'PT', 'misfit'],
    ['duration', '5', 'misfit'],
    ['duration', '9999999:00', 'misfit'],
    ['options', 'Queen; cups', 'cups,queen'],
    ['options', 'queen, CUPS', 'cups,queen'],
    ['options', 'Eggs, many', 'eggs'],
    ['options', 'queen; queen', 'queen'],
    ['options', 'queen; king', 'misfit'],
    ['url', 'https://alderfold.example/a?b', 'https://alderfold.example/a?b'],
    ['url', 'alderfold.example', 'https://alderfold.example'],
    ['url', 'ftp://x.example', 'misfit'],
    ['url', 'javascript:alert(1)', 'misfit'],
    ['url', 'two words.example', 'misfit'],
    ['email', 'ida@alderfold.example', 'ida@alderfold.example'],
    ['email', 'mailto:ida@alderfold.example', 'ida@alderfold.example'],
    ['email', 'ida@alderfold', 'misfit'],
    ['email', 'a b@c.example', 'misfit'],
    ['phone', '+00 (555) 01-42', '+00 (555) 01-42'],
    ['phone', 'tel:112', '112'],
    ['phone', '12', 'misfit'],
    ['phone', '1'.repeat(16), 'misfit'],
    ['phone', 'call me', 'misfit'],
    ['place', 'fell gate', placeValue({ address: 'Fell Gate', latitude: '54.6121', longitude: '-2.9312' })],
    ['place', '54.6, -2.9', placeValue({ address: null, latitude: '54.6', longitude: '-2.9' })],
    ['place', 'The barn (54.6; -2.9)', placeValue({ address: 'The barn', latitude: '54.6', longitude: '-2.9' })],
    ['place', 'behind the mill', placeValue({ address: 'behind the mill', latitude: null, longitude: null })],
    ['place', '91, 0', 'misfit'],
    ['place', '0, 181', 'misfit'],
    ['running', 'LOT-2026-007', 'LOT-2026-007'],
    ['running', 'LOT-26-007', 'misfit'],
    ['running', 'LOT-2026-07', 'misfit'],
    ['files', 'a.pdf', 'misfit'],
    ['member', '7', 7],
    ['member', 'Ida Vale', 'misfit'],
    ['member', 'ida vale', 1, { ...plainReading, people: [{ id: 1, name: 'Ida Vale', email: 'i@a.example' }] }],
    ['member', '7', 'misfit', { ...plainReading, people: [{ id: 1, name: 'Ida Vale', email: 'i@a.example' }] }],
    [
      'member',
      'Tom',
      'misfit',
      {
        ...plainReading,
        people: [
          { id: 1, name: 'Tom', email: 'a@a.example' },
          { id: 2, name: 'Tom', email: 'b@a.example' },
        ],
      },
    ],
  ];
  test.each(cases)('%s “%s” → %j', (name, written, expected, reading = plainReading) => {
    const parsed = parseValue(written, types[name], reading);
    expect(parsed.ok ? parsed.value : 'misfit').toEqual(expected);
    if (!parsed.ok) expect(parsed.problem.message).not.toBe('');
  });
});

describe('taking JSON', () => {
  const file = { file: 'a'.repeat(64), name: 'a.png', size: 3, type: 'image/png' };
  test.each<[Name, unknown, unknown]>([
    ['money', 12.5, '12.5'],
    ['money', { amount: '3', currency: 'EUR' }, '3'],
    ['money', { amount: 3, currency: 'GBP' }, 'misfit'],
    ['anyMoney', { amount: 3, currency: 'GBP' }, '3 GBP'],
    ['anyMoney', 3, 'misfit'],
    ['percent', 0.125, '0.125'],
    ['percent', '12.5 %', '0.125'],
    ['percent', true, 'misfit'],
    ['progress', 0.4, '0.4'],
    ['progress', 40, 'misfit'],
    ['rating', 4, '4'],
    ['rating', '★', '1'],
    ['dateTime', 5, 'misfit'],
    ['duration', 90, '90'],
    ['duration', 1.5, 'misfit'],
    ['options', ['Queen', 'cups'], 'cups,queen'],
    ['options', [], null],
    ['options', ['king'], 'misfit'],
    ['options', 'queen', 'queen'],
    ['options', 5, 'misfit'],
    ['url', 5, 'misfit'],
    ['place', { address: 'x' }, placeValue({ address: 'x', latitude: null, longitude: null })],
    ['place', { latitude: 1, longitude: '2.5' }, placeValue({ address: null, latitude: '1', longitude: '2.5' })],
    ['place', { latitude: 1 }, 'misfit'],
    ['place', {}, null],
    ['place', [], null],
    ['place', 7, 'misfit'],
    ['files', [file], filesValue([file])],
    ['files', [], null],
    ['files', [{ ...file, file: 'short' }], 'misfit'],
    ['files', [{ ...file, name: '' }], 'misfit'],
    ['files', 'a.png', 'misfit'],
    ['files', Array.from({ length: 51 }, () => file), 'misfit'],
    ['pictures', [{ ...file, type: 'text/html' }], 'misfit'],
    ['member', { id: 3, name: 'x' }, 3],
    ['member', -1, 'misfit'],
  ])('%s %j → %j', (name, value, expected) => {
    const taken = takeValue(value, types[name]);
    expect(taken.ok ? taken.value : 'misfit').toEqual(expected);
  });
});

describe('every kind', () => {
  test.each(Object.entries(types))('%s prints what it reads, orders itself, and samples what it takes', (_, type) => {
    let seed = 7;
    const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    for (let i = 0; i < 30; i++) {
      const value = sampleValue(random, type);
      if (value === null) continue;
      expect(parseValue(printValue(value, type, vienna), type, vienna)).toEqual({ ok: true, value });
      expect(compareValues(value, value, type)).toBe(0);
      expect(compareValues(value, null, type)).toBeLessThan(0);
      const json = valueJson(type, value, 'Somebody');
      expect(wordsOf(json)).not.toBe('');
      if (type.kind !== 'member')
        expect(takeValue(JSON.parse(JSON.stringify(json)), type)).toEqual({ ok: true, value });
    }
  });

  test.each<[Name, Scalar, Scalar]>([
    ['money', '9', '10'],
    ['anyMoney', '9 EUR', '10 EUR'],
    ['anyMoney', '100 EUR', '1 GBP'],
    ['percent', '0.09', '0.1'],
    ['rating', '2', '4'],
    ['dateTime', '2026-05-15T23:59:59Z', '2026-05-16T00:00:00Z'],
    ['duration', '-60', '59'],
    ['options', 'queen', 'cups'],
    [
      'place',
      placeValue({ address: 'a', latitude: null, longitude: null }),
      placeValue({ address: 'b', latitude: null, longitude: null }),
    ],
    [
      'files',
      filesValue([{ file: 'a'.repeat(64), name: 'b', size: 1, type: 'x' }]),
      filesValue(Array.from({ length: 2 }, () => ({ file: 'a'.repeat(64), name: 'a', size: 1, type: 'x' }))),
    ],
  ])('%s: %s comes before %s', (name, a, b) => {
    expect(compareValues(a, b, types[name])).toBeLessThan(0);
    expect(compareValues(b, a, types[name])).toBeGreaterThan(0);
  });
});

test('instants keep to the clocks of a zone, both ways', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: -50_000_000_000, max: 200_000_000_000 }),
      fc.constantFrom('Europe/Vienna', 'America/New_York', 'Asia/Kathmandu', 'UTC'),
      (seconds, zone) => {
        const instant = canonicalInstant(seconds * 1000);
        if (instant === null) return;
        const { day, time } = localTime(instant, zone);
        const back = instantOf(`${day}T${time}`, zone);
        // A time that the clock passes twice is read as the later one.
        expect([0, 3600]).toContain((Date.parse(back ?? '') - Date.parse(instant)) / 1000);
        expect(dayOf(instant, zone)).toBe(day);
      },
    ),
  );
  expect(dayOf('9999-12-31T23:30:00Z', 'Europe/Vienna')).toBeNull();
});

test('durations are written as people and as programs read them', () => {
  fc.assert(
    fc.property(fc.integer({ min: -400_000, max: 400_000 }), (seconds) => {
      const value = String(seconds);
      const { sign, hours, minutes, seconds: rest } = durationParts(value);
      expect((sign ? -1 : 1) * (hours * 3600 + minutes * 60 + rest) || 0).toBe(seconds || 0);
      expect(parseValue(isoDuration(value), types.duration)).toEqual({ ok: true, value });
      expect(parseValue(printValue(value, types.duration), types.duration)).toEqual({ ok: true, value });
    }),
  );
});

test('values of several parts are one text, and come apart again', () => {
  expect(joinedIds(['b', 'a', 'b'])).toBe('a,b');
  expect(joinedIds([])).toBeNull();
  expect(optionIds(null)).toEqual([]);
  expect(optionLabels('cups,queen,gone', types.options)).toEqual(['Queen', 'cups', 'gone']);
  expect(moneyParts('12.5 EUR')).toEqual({ amount: '12.5', currency: 'EUR' });
  for (const { name, latitude, longitude } of gazetteer)
    expect(placeOf(placeValue({ address: name, latitude, longitude }))).toEqual({ address: name, latitude, longitude });
  expect(filesOf(null)).toEqual([]);
  expect([numberJson('0.1'), numberJson('12345678901234567890.5'), numberJson('1.50')]).toEqual([
    0.1,
    '12345678901234567890.5',
    1.5,
  ]);
});

describe('patterns of running numbers', () => {
  test.each<[string, string, number | null]>([
    ['H-{0000}', 'H-0042', 42],
    ['H-{0000}', 'H-12345', 12345],
    ['H-{0000}', 'H-42', null],
    ['{year}/{00}', '2026/07', 7],
    ['{year}/{00}', 'year/07', null],
    ['a.b{0}', 'axb1', null],
    ['{000} kg', '007 kg', 7],
  ])('%s reads %s as %j', (pattern, written, expected) => {
    expect(numberIn(written, pattern)).toBe(expected);
  });
  test.each(['', 'H', '{00}{00}', '{0', '{1}', `${'x'.repeat(40)}{0}`])('“%s” is none', (pattern) => {
    expect(readPattern(pattern).ok).toBe(false);
    expect(numberIn('1', pattern)).toBeNull();
  });
});

describe('from kind to kind', () => {
  const list: FieldType = { kind: 'option', options };
  test.each<[EnteredType, Scalar, EnteredType, Scalar | 'aside']>([
    [{ kind: 'number', digits: null }, '0.125', types.percent, '0.125'],
    [types.percent, '0.125', { kind: 'text' }, '12.5 %'],
    [{ kind: 'text' }, '12.5', types.percent, '0.125'],
    [types.money, '12.5', types.anyMoney, '12.5 EUR'],
    [types.anyMoney, '12.5 GBP', types.money, 'aside'],
    [types.anyMoney, '12.5 EUR', { kind: 'number', digits: null }, '12.5'],
    [{ kind: 'yesNo' }, true, { kind: 'number', digits: 0 }, '1'],
    [{ kind: 'number', digits: 0 }, '1', { kind: 'yesNo' }, true],
    [{ kind: 'date' }, '2026-05-16', types.dateTime, '2026-05-15T22:00:00Z'],
    [types.dateTime, '2026-05-15T22:00:00Z', { kind: 'date' }, '2026-05-16'],
    [list, 'queen', types.options, 'queen'],
    [types.options, 'queen', list, 'queen'],
    [types.options, 'cups,queen', list, 'aside'],
    [types.rating, '3', types.progress, 'aside'],
    [
      types.files,
      filesValue([{ file: 'a'.repeat(64), name: 'a.png', size: 1, type: 'image/png' }]),
      { kind: 'text' },
      'a.png',
    ],
    [{ kind: 'text' }, 'a.png', types.files, 'aside'],
    [types.place, placeValue({ address: 'x', latitude: '1', longitude: '2' }), { kind: 'text' }, 'x (1, 2)'],
    [types.duration, '5400', { kind: 'text' }, '1:30'],
  ])('%j %j → %j is %j', (from, value, to, expected) => {
    const converted = convertValue(value, from, to, vienna);
    expect(converted.ok ? converted.value : 'aside').toEqual(expected);
  });

  test('what is blank stays blank, and links go by plans of their own', () => {
    for (const [from, to] of [
      [types.url, types.place],
      [types.files, types.rating],
    ] as const)
      expect(convertValue(null, from, to)).toEqual({ ok: true, value: null });
    for (const kind of enteredKinds)
      if (kind !== 'link')
        expect([conversionWay('link', kind), conversionWay(kind, 'link')]).toEqual(['never', 'never']);
  });
});
