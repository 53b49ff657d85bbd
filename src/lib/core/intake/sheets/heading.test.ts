import { describe, expect, test } from 'vitest';
import { headingOf } from './heading';

const rows = (text: string): string[][] => text.split('\n').map((line) => line.split(','));
const body = 'A-1,2026-05-04,3\nA-2,2026-05-05,4\nA-3,2026-05-06,5\nA-1,2026-05-07,6';

describe('where the names of the columns stand', () => {
  test.each<[string, string, number, number, string[]]>([
    ['in the first row', `hive,day,frames\n${body}`, 0, 1, ['hive', 'day', 'frames']],
    ['under a title', `Inspections 2026,,\n${`hive,day,frames\n${body}`}`, 1, 1, ['hive', 'day', 'frames']],
    [
      'under a title, a remark and a blank row',
      `Inspections,,\nas of May,,\n,,\nhive,day,frames\n${body}`,
      3,
      1,
      ['hive', 'day', 'frames'],
    ],
    ['nowhere', body, 0, 0, ['Column 1', 'Column 2', 'Column 3']],
    ['nowhere, all being texts that come again', 'a,b\na,c\nb,b\na,b', 0, 0, ['Column 1', 'Column 2']],
    [
      'under groups over several columns',
      `Visit,,Brood,\nhive,day,frames,cups\n${body.replaceAll('\n', ',1\n')},1`,
      0,
      2,
      ['Visit hive', 'Visit day', 'Brood frames', 'Brood cups'],
    ],
    [
      'over what their numbers are counted in',
      'hive,weight,temp,share\n,kg,°C,%\nA,12.5,20,3\nB,11.5,21,4',
      0,
      2,
      ['hive', 'weight kg', 'temp °C', 'share %'],
    ],
    [
      'over words in the first row of numbers',
      'hive,weight,temp\nA,none,old\nB,11.5,21\nC,12,22\nD,13,23',
      0,
      1,
      ['hive', 'weight', 'temp'],
    ],
    ['alike', `hive,day,day\n${body}`, 0, 1, ['hive', 'day', 'day 2']],
    ['with one missing', `hive,,frames\n${body}`, 0, 1, ['hive', 'Column 2', 'frames']],
    ['as years', `hive,2025,2026\nA,12.5,13.5\nB,11.5,14.5`, 0, 1, ['hive', '2025', '2026']],
    ['over one column', 'name\nAnna\nBen\nCleo', 0, 1, ['name']],
    ['over a single row', 'hive,kg', 0, 1, ['hive', 'kg']],
    ['shorter than one stray row', `hive,day,frames\n${body}\nA,2026-05-08,7,stray`, 0, 1, ['hive', 'day', 'frames']],
    ['shorter than most rows', `hive,day\n${body}`, 0, 1, ['hive', 'day', 'Column 3']],
    [
      'with line breaks and blanks inside',
      `hive,"day\nof",frames`.replace('"day\nof"', ' day  of '),
      0,
      1,
      ['hive', 'day of', 'frames'],
    ],
  ])('%s', (_, text, preamble, header, names) => {
    expect(headingOf(rows(text))).toEqual({ preamble, rows: header, names });
  });

  test('a person may know better', () => {
    expect(headingOf(rows(`x,y,z\nhive,day,frames\n${body}`), { preamble: 1 })).toMatchObject({
      preamble: 1,
      rows: 1,
      names: ['hive', 'day', 'frames'],
    });
    expect(headingOf(rows(`hive,day,frames\n${body}`), { rows: 0 })).toMatchObject({
      preamble: 0,
      rows: 0,
      names: ['Column 1', 'Column 2', 'Column 3'],
    });
    expect(headingOf(rows(`a,b,c\nhive,day,frames\n${body}`), { rows: 2 }).names).toEqual([
      'a hive',
      'b day',
      'c frames',
    ]);
  });
  test('no rows have no names', () => expect(headingOf([])).toEqual({ preamble: 0, rows: 0, names: [] }));
});
