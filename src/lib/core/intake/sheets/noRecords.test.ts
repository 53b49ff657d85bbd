import { describe, expect, test } from 'vitest';
import { noRecords } from './noRecords';

const rowsOf = (text: string) => text.split('\n').map((line) => line.trim().split(';'));
const found = (names: string, rows: string, isEnd = true) =>
  noRecords(names.split(';'), rowsOf(rows), isEnd).map(({ at, why }) => `${at} ${why}`);

describe('rows that are no records', () => {
  test.each<[string, string, string, string[]]>([
    [
      'a total that adds up',
      'place;kg;jars',
      'Thornby;10;4\nWick End;5,5;2\nTotal;15,5;6',
      ['2 “Total”: the sum of the 2 rows above in 2 of 2 columns'],
    ],
    [
      'subtotals, and the whole under them',
      'place;kg;jars',
      'a;1;2\nb;3;4\nSubtotal;4;6\nc;5;6\nd;7;8\nSubtotal;12;14\nGrand total;16;20',
      [
        '2 “Subtotal”: the sum of the 2 rows above in 2 of 2 columns',
        '5 “Subtotal”: the sum of the 2 rows above in 2 of 2 columns',
        '6 “Grand total”: the sum of the 4 rows above in 2 of 2 columns',
      ],
    ],
    [
      'a total by whatever words, where all of it adds up',
      'place;kg;jars',
      'a;1;2\nb;3;4\nc;5;6\nd;1;1\nAll places;10;13\nSource: the book',
      ['4 “All places”: the sum of the 4 rows above in 2 of 2 columns', '5 a note under the table'],
    ],
    ['what adds up by accident', 'place;kg;jars', 'a;1;1\nb;2;2\nc;3;3\nd;6;6\ne;12;12\nf;3;4', []],
    [
      'a total without a word',
      'place;kg;jars',
      'a;1;2\nb;3;4\nc;5;6\n;9;12',
      ['3 the sum of the 3 rows above in 2 of 2 columns'],
    ],
    [
      'a total whose word stands among numbers',
      'no;kg;jars',
      '1001;1;2\n1004;3;4\n1010;5;6\nTotal;9;12',
      ['3 “Total”: the sum of the 3 rows above in 2 of 2 columns'],
    ],
    ['a thing that is called so', 'name;kind;kg', 'Total flakes;cereal;3\nOats;cereal;5\nRye;bread;7', []],
    [
      'a total that does not add up',
      'place;kg',
      'a;1\nb;2\nTotal;4',
      ['2 “Total”, though it is not the sum of the rows above'],
    ],
    ['the mean', 'place;kg', 'a;2\nb;4\nAverage;3', ['2 “Average”: the mean of the 2 rows above']],
    ['names again', 'place;kg', 'a;1\nPlace;KG\nb;2', ['1 the names of the columns again']],
    [
      'notes under the table',
      'place;kg;jars',
      'a;1;2\nb;3;4\nc;5;1\nSource: the register;;\n;;* estimated',
      ['3 a note under the table', '4 a note under the table'],
    ],
    ['rows with one cell within the table', 'place;kg;jars', 'a;1;2\nmissing;;\nb;3;4\nc;3;4', []],
    ['records alone', 'place;kg;jars', 'a;1;2\nb;3;4\nc;4;6', []],
    [
      'brackets and thousands',
      'text;sum',
      'a;1,000.50\nb;(200.50)\nTotal;800.00',
      ['2 “Total”: the sum of the 2 rows above in 1 of 1 columns'],
    ],
  ])('%s', (_, names, rows, expected) => expect(found(names, rows)).toEqual(expected));

  test('a note is one only where nothing comes after it', () => {
    const rows = 'a;1;2\nb;3;4\nc;5;1\nSource: the register;;';
    expect(found('place;kg;jars', rows, false)).toEqual([]);
  });

  test('what went by before counts for a total', () => {
    const before = { rows: 5_000, sums: [0, 90, 60] };
    expect(noRecords(['place', 'kg', 'jars'], rowsOf('a;10;5\nTotal;100;65'), true, before)).toEqual([
      { at: 1, why: '“Total”: the sum of the 5001 rows above in 2 of 2 columns' },
    ]);
  });
});
