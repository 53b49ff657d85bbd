import { describe, expect, test } from 'vitest';
import { noDecisions, type FoundLink, type IntakeSheet } from '$core/intake/intake';
import { ColumnProfiler } from '$core/intake/columns/profile';
import { alderfold } from '../../../../tests/alderfold';
import { fieldOf } from '$core/model/model';
import type { FieldType } from '$core/types/field';
import { thingsToLookAt } from '../intake/attention';
import { numberText } from '$core/fieldTypes/numberText';
import { editText, isCalculated, textOf, typeWords } from './show';
import { agoWords, counted } from './words';

const model = alderfold();

describe('values as people read them', () => {
  test.each<[unknown, FieldType, string]>([
    [null, { kind: 'text' }, ''],
    [true, { kind: 'yesNo' }, 'yes'],
    [{ id: 7, title: 'H-7' }, { kind: 'link', to: 't', onDelete: 'clear', counterpart: 'f' }, 'H-7'],
    [{ count: 3 }, { kind: 'counterpart', from: 't', link: 'f' }, '3'],
    [12.5, { kind: 'number', digits: 3, unit: 'kg' }, '12.500 kg'],
    ['123456789012345678901.5', { kind: 'number', digits: null }, '123,456,789,012,345,678,901.5'],
    [-0.25, { kind: 'number', digits: null }, '-0.25'],
    [0, { kind: 'number', digits: 2 }, '0.00'],
  ])('%j', (value, type, shown) => {
    expect(textOf(value, type)).toBe(shown);
  });

  test.each<[unknown, string]>([
    [null, ''],
    [false, 'no'],
    [12.5, '12.5'],
    [{ id: 1, title: 'Fell Gate' }, 'Fell Gate'],
    ['2026-05-16', '2026-05-16'],
  ])('an editor begins with %j as %s', (value, text) => {
    expect(editText(value)).toBe(text);
  });

  test('numbers keep all their digits', () => {
    expect(numberText('1000000.000001', null)).toBe('1,000,000.000001');
    expect(numberText(7, 2)).toBe('7.00');
    expect(numberText('-1250.50', 2, 'de-AT').replaceAll(/\s/g, '')).toMatch(/^-1\.?250,50$/);
    // Never in two kinds of digits.
    expect(numberText('1250.50', 2, 'ar-EG').replaceAll(/\D/g, '')).toBe('125050');
  });

  test.each([
    ['f_weight', 'number', false],
    ['f_state', 'option, 2', false],
    ['f_inspection_hive', '→ Hives', false],
    ['f_hive_inspection', '← Inspections', true],
    ['f_hives_last_inspected', 'ƒ date', true],
  ])('%s is called %s', (id, words, calculated) => {
    const { field } = fieldOf(model, id);
    expect([typeWords(model, field), isCalculated(field)]).toEqual([words, calculated]);
  });
});

test('counts and moments have their words', () => {
  expect([counted(1, 'record'), counted(1200, 'record'), counted(2, 'entry', 'entries')]).toEqual([
    '1 record',
    '1,200 records',
    '2 entries',
  ]);
  const now = Date.parse('2026-05-16T12:00:00Z');
  const ago = (instant: string) => agoWords(instant, now);
  expect([
    ago('2026-05-16T11:59:50Z'),
    ago('2026-05-16T11:00:00Z'),
    ago('2026-05-14T12:00:00Z'),
    ago('2024-05-16T12:00:00Z'),
  ]).toEqual(['10 seconds ago', '1 hour ago', '2 days ago', '2 years ago']);
});

test('what is to be looked at before loading: links that miss, misfits, dates that could be either; settled ones go', () => {
  const column = (name: string, values: readonly string[]) => {
    const profiler = new ColumnProfiler(name);
    values.forEach((value) => profiler.take(value));
    return profiler.profile();
  };
  const numbers = Array.from({ length: 30 }, (_, i) => String(i));
  const sheet = (name: string, columns: IntakeSheet['columns']): IntakeSheet => ({
    name,
    rows: 31,
    file: 0,
    read: { kind: 'delimited text', encoding: 'utf-8', delimiter: ',' },
    heading: { preamble: 0, rows: 1 },
    notes: [],
    columns,
    keys: [],
    unique: [],
    staged: name,
  });
  const sheets = [
    sheet('hives', [column('no', ['A'])]),
    sheet('visits', [
      column('hive', ['A', 'Z']),
      column('frames', [...numbers, 'some', 'n/a']),
      column('seen', ['03/04/2026']),
    ]),
  ];
  const link: FoundLink = {
    from: { sheet: 1, column: 0 },
    to: { sheet: 0, column: 0 },
    matching: 1,
    missing: 1,
    misfits: [{ text: 'Z', count: 1 }],
  };
  const reading = { decimal: '.', dateOrder: 'ymd' } as const;
  const mappings = sheets.map((one, index) => ({
    sheet: index,
    table: one.name,
    columns: one.columns.map((_, column) => ({ column, field: `${index}.${column}`, reading })),
  }));
  const look = (columns: typeof noDecisions.columns) =>
    thingsToLookAt(sheets, { decisions: { tables: {}, columns }, changes: [], mappings, links: [link] }).map(
      ({ words }) => words,
    );
  expect(look({})).toEqual([
    '1 row of hive match no hives',
    '1 value of frames is no number',
    'dates of seen could be day-month or month-day',
  ]);
  expect(
    look({ '1.0': { as: 'skip' }, '1.1': { as: 'text' }, '1.2': { reading: { decimal: '.', dateOrder: 'dmy' } } }),
  ).toEqual([]);
  // What concerns most rows comes first.
  const [first, second] = sheets;
  const many = { ...first, name: 'hives', repeated: 7 } as IntakeSheet;
  const all = { decisions: noDecisions, changes: [], mappings, links: [link] };
  const [most] = thingsToLookAt([many, second as IntakeSheet], all);
  expect(most).toMatchObject({ words: '7 rows of hives say the same as an earlier one', rows: 7 });
  const decision = (most?.settle && 'decision' in most.settle && most.settle.decision) || {};
  const settled = { ...all, decisions: { ...noDecisions, tables: { 0: decision } } };
  expect(thingsToLookAt([many, second as IntakeSheet], settled).some(({ rows }) => rows === 7)).toBe(false);
});
