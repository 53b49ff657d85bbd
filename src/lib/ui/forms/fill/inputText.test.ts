import { expect, test } from 'vitest';
import type { FieldType } from '$core/types/field';
import { takeValue, type EnteredType, valueJson } from '$core/fieldTypes/registry';
import { inputText, writtenValue } from './inputText';

const number: FieldType = { kind: 'number', digits: null };
const percent: FieldType = { kind: 'percent', digits: null };
const euros: FieldType = { kind: 'money', currency: 'EUR', digits: 2 };

test.each<[FieldType, string, unknown]>([
  [number, '  ', null],
  [number, '2,5', '2.5'],
  [number, '-0,25', '-0.25'],
  [number, '12,345', '12,345'],
  [number, '3.25', '3.25'],
  [percent, '12,5', '12.5 %'],
  [percent, '12.5 %', '12.5 %'],
  [euros, '7,50', '7.50'],
  [{ kind: 'money', currency: null, digits: 2 }, '7,50 EUR', '7.50 EUR'],
  [{ kind: 'dateTime' }, '2026-05-16T14:30', '2026-05-16 14:30'],
  [{ kind: 'text' }, ' kept as it is ', ' kept as it is '],
])('%o: “%s” is sent as %o', (type, text, sent) => expect(writtenValue(text, type)).toEqual(sent));

test.each<[FieldType, unknown]>([
  [number, 12.5],
  [percent, '12.5 %'],
  [{ kind: 'progress' }, '40 %'],
  [euros, 7.5],
  [{ kind: 'money', currency: null, digits: 2 }, '7.5 EUR'],
  [{ kind: 'date' }, '2026-05-16'],
  [{ kind: 'dateTime' }, '2026-05-16T12:30:00Z'],
  [{ kind: 'duration' }, '1:30'],
  [{ kind: 'text' }, 'words'],
  [{ kind: 'phone' }, '+43 555 0100'],
])('%o: a value that is left alone is sent as it was: %o', (type, value) => {
  const reading = { decimal: '.', dateOrder: 'ymd', zone: 'Europe/Vienna' } as const;
  const taken = takeValue(value, type as EnteredType, reading);
  if (!taken.ok) throw new Error(taken.problem.message);
  const shown = inputText(valueJson(type, taken.value), type, reading.zone);
  expect(inputText(writtenValue(shown, type), type, reading.zone)).toBe(shown);
  expect(takeValue(writtenValue(shown, type), type as EnteredType, reading)).toEqual(taken);
});

test.each<[FieldType, string, string]>([
  [percent, 'about half', 'about half'],
  [{ kind: 'progress' }, '62,5', '62.5'],
  [{ kind: 'duration' }, 'long', 'long'],
  [number, 'many', 'many'],
  [{ kind: 'money', currency: null, digits: 2 }, 'dear', 'dear'],
])('%o: what cannot be read stays as it was written: %s', (type, text, shown) =>
  expect(inputText(writtenValue(text, type), type, 'UTC')).toBe(shown),
);
