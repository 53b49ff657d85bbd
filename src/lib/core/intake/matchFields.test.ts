import { expect, test } from 'vitest';
import { emptyModel } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field, FieldType } from '../types/field';
import { matchFields, mostAlike, recognisedBy } from './matchFields';
import { ColumnProfiler } from './columns/profile';

const profileOf = (name: string, values: readonly string[]) => {
  const profiler = new ColumnProfiler(name);
  for (const value of values) profiler.take(value);
  return profiler.profile();
};
const field = (label: string, type: FieldType, more: Partial<Field> = {}): Field => ({
  id: `f_${label}`,
  key: label.toLowerCase().replaceAll(' ', '_'),
  label,
  type,
  help: '',
  required: false,
  unique: false,
  ...more,
});
const keepers: Table = {
  id: 't_keepers',
  key: 'keepers',
  label: 'Keepers',
  description: '',
  dye: 'woad',
  title: 'f_Code',
  fields: [field('Code', { kind: 'text' }, { unique: true })],
};
const hives: Table = {
  id: 't_hives',
  key: 'hives',
  label: 'Hives',
  description: '',
  dye: 'rust',
  title: 'f_Number',
  fields: [
    field('Number', { kind: 'text' }, { unique: true }),
    field('Type', { kind: 'option', options: [] }),
    field('Weight', { kind: 'number', digits: 1 }),
    field('Since', { kind: 'date' }),
    field('Keeper', { kind: 'link', to: 't_keepers', onDelete: 'clear', counterpart: 'f_back' }),
    field('Kg brought', {
      kind: 'formula',
      formula: { do: 'value', type: { is: 'number' }, value: null },
      result: { is: 'number' },
    }),
  ],
};
const model: Model = { ...emptyModel, tables: [keepers, hives] };

test.each<[string, string[], string | null]>([
  ['hive_no', ['0001', '0002'], 'Number'],
  ['Hive', ['H-1', 'H-2'], 'Number'],
  ['number', ['H-1', 'H-2'], 'Number'],
  ['Weight (kg)', ['12.5', '13'], 'Weight'],
  ['wieght', ['12.5', '13'], 'Weight'],
  ['since', ['2026-01-01'], 'Since'],
  // So many misfits that it looks like words, but most are days.
  ['since', ['04.05.2026', '31.04.2026', '07.05.2026', 'last week', '09.05.2026'], 'Since'],
  ['keeper_code', ['K-001'], 'Keeper'],
  ['kind', ['long', 'frame'], null],
  ['kg brought', ['1'], null],
  // By its name it would be the weight; no text goes into a number.
  ['weight', ['heavy', 'light', 'heavy'], null],
])('%s with %j goes to %s', (name, values, label) => {
  expect(matchFields(model, hives, [profileOf(name, values)]).get(0)?.label ?? null).toBe(label);
});

test('each field takes one column, the most alike', () => {
  const matched = matchFields(model, hives, [
    profileOf('weights', ['1']),
    profileOf('weight', ['2']),
    profileOf('no', ['A']),
  ]);
  expect([...matched].map(([column, { label }]) => [column, label])).toEqual([[1, 'Weight']]);
  expect(recognisedBy(hives, hives.fields).map(({ label }) => label)).toEqual(['Number']);
  expect(recognisedBy(hives, hives.fields.slice(1))).toEqual([]);
});

test('a sheet is like the table that takes most of its columns, and like none that takes few', () => {
  const alike = (...names: string[]) =>
    mostAlike(
      model,
      names.map((name) => profileOf(name, ['1', '2'])),
    )?.label;
  expect(alike('hive_no', 'weight', 'remarks')).toBe('Hives');
  expect(alike('hive_no', 'colour', 'price', 'remarks')).toBeUndefined();
  expect(alike('weight')).toBeUndefined();
});
