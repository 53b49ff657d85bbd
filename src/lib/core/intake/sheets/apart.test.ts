import { describe, expect, test } from 'vitest';
import { tablesApart } from './apart';

const rowsOf = (text: string) => text.split('\n').map((line) => line.trim().split(';'));
const apart = (text: string) =>
  tablesApart(rowsOf(text)).map(({ title, rows }) => `${title ?? '-'} ${rows.map((row) => row.join(',')).join('|')}`);

describe('tables of one sheet', () => {
  test.each<[string, string, string[]]>([
    [
      'one below the other, each with its title',
      'Hives\nno;kg;on\nH-1;10;1\nH-2;20;2\n;\nKeepers\ncode;name;since\nK1;Ada;2020-01-03\nK2;Bram;2021-04-05',
      [
        'Hives Hives|no,kg,on|H-1,10,1|H-2,20,2|,',
        'Keepers Keepers|code,name,since|K1,Ada,2020-01-03|K2,Bram,2021-04-05',
      ],
    ],
    [
      'without titles, in other columns',
      'no;kg;on\nH-1;10;1\nH-2;20;2\n;;\n;;\n;code;pay\n;K1;5.5\n;K2;6.5\n;K3;6.5\n;K4;7',
      ['- no,kg,on|H-1,10,1|H-2,20,2|,,|,,', '- ,code,pay|,K1,5.5|,K2,6.5|,K3,6.5|,K4,7'],
    ],
    [
      'side by side, of different lengths',
      'no;kg;on;;code;pay;x\nH-1;10;1;;K1;5;a\nH-2;20;2;;K2;6;b\nH-3;30;3;;;;',
      ['- no,kg,on|H-1,10,1|H-2,20,2|H-3,30,3', '- code,pay,x|K1,5,a|K2,6,b|,,'],
    ],
  ])('%s', (_, text, parts) => {
    expect(apart(text)).toEqual(parts);
  });

  test.each<[string, string]>([
    ['one that goes on behind a blank row', 'no;kg\nH-1;10\n;\nH-2;20\nH-3;30'],
    ['groups of words with blank rows between', 'name;village;mood\nAda;Low;calm\n;;\nBram;High;wild\nCilla;Mill;old'],
    ['its names once more, as on the next page', 'no;kg\nH-1;10\n;\nno;kg\nH-2;20'],
    ['a title, and notes below', 'Hives of 2025\n;\nno;kg\nH-1;10\nH-2;20\n;\nWeighed by Ada\nand by Bram'],
    ['a total behind a blank row', 'no;kg\nH-1;10\nH-2;20\n;\nTotal;30'],
    ['a column that nobody filled', 'no;kg;on;;code;pay;x\nH-1;10;1;;K1;5;a\nH-2;20;2;;K2;6;b'],
    ['key and value above the table', 'Place;Low Meadow\nYear;2025\nHives;7\n;\nno;kg;on\nH-1;10;1\nH-2;20;2'],
  ])('%s is one', (_, text) => {
    expect(tablesApart(rowsOf(text))).toHaveLength(1);
  });
});
