import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { DelimitedRows, delimiterOf, lineEndsIn, rowsOfText } from './delimitedRows';

const comma = { delimiter: ',', quote: '"' };

/** The rows of a text that comes in pieces of this many characters. */
function inPieces(text: string, size: number, dialect = comma): { rows: string[][]; reading: DelimitedRows } {
  const reading = new DelimitedRows(dialect);
  const rows: string[][] = [];
  for (let at = 0; at < text.length; at += size) rows.push(...reading.push(text.slice(at, at + size)));
  rows.push(...reading.end());
  return { rows, reading };
}

describe('rows of delimited text', () => {
  test.each<[string, string, string[][]]>([
    [
      'LF',
      'a,b\n1,2\n',
      [
        ['a', 'b'],
        ['1', '2'],
      ],
    ],
    [
      'CRLF',
      'a,b\r\n1,2\r\n',
      [
        ['a', 'b'],
        ['1', '2'],
      ],
    ],
    [
      'CR',
      'a,b\r1,2\r',
      [
        ['a', 'b'],
        ['1', '2'],
      ],
    ],
    [
      'no line end at the end',
      'a,b\n1,2',
      [
        ['a', 'b'],
        ['1', '2'],
      ],
    ],
    [
      'LF first, CRLF then',
      'name,amount\nAnna,1\r\nBert,2\r\n',
      [
        ['name', 'amount'],
        ['Anna', '1'],
        ['Bert', '2'],
      ],
    ],
    [
      'a CRLF within a cell of a text in LF',
      'a,b\n"x\r\ny",2\n3,4\n',
      [
        ['a', 'b'],
        ['x\r\ny', '2'],
        ['3', '4'],
      ],
    ],
    ['all three', 'a\rb\nc\r\nd', [['a'], ['b'], ['c'], ['d']]],
    ['blank rows stay rows', 'a\n\n\r\n\rb', [['a'], [''], [''], [''], ['b']]],
    ['doubled marks', '"say ""yes""",2', [['say "yes"', '2']]],
    ['a mark inside a cell', '5" nails,b', [['5" nails', 'b']]],
    ['a mark that nothing ends behind', '"a"b",2\n', [['a"b', '2']]],
    ['blanks behind a mark', '"a"  ,2\n', [['a', '2']]],
    ['delimiters and line ends in a cell', '"a,b\nc",2\n', [['a,b\nc', '2']]],
    ['a cell of two marks', '"",""\n', [['', '']]],
    ['nothing', '', []],
  ])('%s', (_, text, rows) => {
    expect(rowsOfText(text, comma)).toEqual(rows);
    for (let size = 1; size <= text.length; size++)
      expect(inPieces(text, size).rows, `in pieces of ${size}`).toEqual(rows);
  });

  test.each([
    [
      'one quoted CRLF among 40,000 rows in LF',
      (index: number) => (index === 20_000 ? '"two\r\nlines",1\n' : `row ${index},${index}\n`),
    ],
    ['one CRLF row among 40,000 in LF', (index: number) => `row ${index},${index}${index === 33_333 ? '\r\n' : '\n'}`],
    ['one CR row among 40,000 in CRLF', (index: number) => `row ${index},${index}${index === 5 ? '\r' : '\r\n'}`],
  ])('%s: all are read', (_, line) => {
    const text = Array.from({ length: 40_000 }, (__, index) => line(index)).join('');
    for (const size of [1000, 65_536, 262_144, text.length]) expect(inPieces(text, size).rows.length).toBe(40_000);
  });

  test('whatever cells and line ends: the same rows in every size of piece, and every line end accounted for', () => {
    const cell = fc.string({ unit: fc.constantFrom('a', ' ', '"', ',', ';', '\r', '\n', 'é', '7', "'") });
    const ends = fc.constantFrom('\n', '\r', '\r\n');
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.array(cell, { minLength: 1, maxLength: 4 }), ends, fc.boolean()), { maxLength: 12 }),
        fc.integer({ min: 1, max: 9 }),
        (rows, size) => {
          // A CR that an LF follows at once would be one line end of two.
          const written = rows.map(([cells, end, all]) => ({
            end,
            text: cells
              .map((one) =>
                all || /["\r\n,]/.test(one) || one.startsWith(' ') || cells.length === 1
                  ? `"${one.replaceAll('"', '""')}"`
                  : one,
              )
              .join(','),
          }));
          const text = written.map((one) => one.text + one.end).join('');
          const { rows: read, reading } = inPieces(text, size);
          expect(read).toEqual(rows.map(([cells]) => cells));
          expect(reading.ended + reading.within).toBe(lineEndsIn(text));
          expect(reading.open).toBe(false);
        },
      ),
      { numRuns: 400 },
    );
  });

  test('a mark that is never closed is told', () => {
    const { rows, reading } = inPieces('a,b\n"x,2\n3,4\n', 3);
    expect(reading.open).toBe(true);
    expect(rows[0]).toEqual(['a', 'b']);
  });
});

describe('the delimiter', () => {
  test.each([
    ['a,b\n1,2\n', ','],
    ['a;b\n1,5;2,5\n3,5;4\n', ';'],
    ['a\tb\n1\t2', '\t'],
    ['a|b\r1|2', '|'],
    ['sep=;\na,b;c', ';'],
    ['only one column\nof words, with a comma\n', ','],
    ['name;note\nAnna;"likes, a lot, of, commas"\r\nBert;none\n', ';'],
    ['a,b\n1,2\r\n3,4\r\n', ','],
  ])('of %j is %j', (text, delimiter) => expect(delimiterOf(text)).toBe(delimiter));
});
