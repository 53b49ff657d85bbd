import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { cellsAsText, textAsCells } from './clipboard';

describe('cells on the clipboard', () => {
  test.each<[string, string, string[][]]>([
    ['one cell', 'H-1', [['H-1']]],
    ['a row', 'a\tb\tc', [['a', 'b', 'c']]],
    [
      'rows, with the line end that spreadsheets put last',
      'a\tb\r\nc\td\r\n',
      [
        ['a', 'b'],
        ['c', 'd'],
      ],
    ],
    ['line breaks and quotes in cells', '"two\nlines"\t"say ""yes"""', [['two\nlines', 'say "yes"']]],
    ['a quote inside a cell', '5" nails\tb', [['5" nails', 'b']]],
    [
      'rows of unequal length',
      'a\nb\tc',
      [
        ['a', ''],
        ['b', 'c'],
      ],
    ],
    [
      'blank cells and a blank row',
      '\tb\n\t\nc\t',
      [
        ['', 'b'],
        ['', ''],
        ['c', ''],
      ],
    ],
    ['commas and semicolons are no separators', 'Vale, Ida;x', [['Vale, Ida;x']]],
    ['nothing', '', []],
  ])('%s', (_, text, cells) => {
    expect(textAsCells(text)).toEqual(cells);
  });

  test('come back unchanged', () => {
    const cell = fc.string({ unit: fc.constantFrom('a', 'é', '"', '\t', '\n', ' ', ',', "'", '0') });
    fc.assert(
      fc.property(
        fc
          .integer({ min: 2, max: 4 })
          .chain((width) =>
            fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 1, maxLength: 5 }),
          ),
        (rows) => {
          expect(textAsCells(cellsAsText(rows))).toEqual(rows);
        },
      ),
    );
  });
});
