import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { columnParts, namesWithParts, rowWithParts, type PartsWish } from './columnParts';

const names = ['code', 'who', 'kg'];
const rows = [
  ['K1', 'Finch, Ada', '1'],
  ['K2', 'Oakes,Bram , junior', '2'],
  ['K3', 'Reed', '3'],
  ['K4', ''],
];
const split = (wishes: Record<string, PartsWish>) => {
  const parts = columnParts(names, rows, wishes);
  return [namesWithParts(names, parts), ...rows.map((row) => rowWithParts(row, parts, names.length))];
};

describe('one column into several', () => {
  test('as many as the rows have, at its place', () => {
    expect(split({ who: { by: ',' } })).toEqual([
      ['code', 'who 1', 'who 2', 'who 3', 'kg'],
      ['K1', 'Finch', 'Ada', '', '1'],
      ['K2', 'Oakes', 'Bram', 'junior', '2'],
      ['K3', 'Reed', '', '', '3'],
      ['K4', '', '', '', ''],
    ]);
  });

  test('as many as are named; the last takes what is left, and no name comes twice', () => {
    expect(split({ who: { by: ',', names: ['family', 'Code'] } })).toEqual([
      ['code', 'family', 'Code 2', 'kg'],
      ['K1', 'Finch', 'Ada', '1'],
      ['K2', 'Oakes', 'Bram , junior', '2'],
      ['K3', 'Reed', '', '3'],
      ['K4', '', '', ''],
    ]);
    expect(split({ nobody: { by: ',' } })[0]).toEqual(names);
  });

  test('nothing of a text is lost but what stands between', () => {
    const text = fc.string({ unit: fc.constantFrom('a', 'b', ' ', ',', ';') });
    fc.assert(
      fc.property(text, fc.constantFrom(',', ' ', ', '), fc.integer({ min: 2, max: 4 }), (cell, by, count) => {
        const wished = Array.from({ length: count }, (_, at) => `p${at}`);
        const parts = columnParts(['x'], [[cell]], { x: { by, names: wished } });
        const kept = (all: string) => all.replaceAll(by.trim() || ' ', '').replace(/\s/g, '');
        expect(kept(rowWithParts([cell], parts, 1).join(''))).toBe(kept(cell));
      }),
    );
  });
});
