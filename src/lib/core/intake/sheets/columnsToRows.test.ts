import { describe, expect, test } from 'vitest';
import { turnedNames, turnedRows, turnOf, turnWished } from './columnsToRows';
import { periodIn } from './periods';

const table = (text: string) => {
  const [names = [], ...rows] = text.split('\n').map((line) => line.trim().split(';'));
  return { names, rows };
};
const turned = (text: string) => {
  const { names, rows } = table(text);
  const turn = turnOf(names, rows);
  return (
    turn && [turnedNames(names, turn), ...rows.flatMap((row) => turnedRows(row, turn))].map((row) => row.join(';'))
  );
};

describe('a time in the name of a column', () => {
  test.each<[string, string, string, string?]>([
    ['Jan', 'month', 'Jan'],
    ['März', 'month', 'März'],
    ['febrero', 'month', 'febrero'],
    ['Sales Feb', 'month', 'Feb', 'Sales'],
    ['Jan 2024', 'monthOfYear', '2024-01-01'],
    ["Jan '24", 'monthOfYear', '2024-01-01'],
    ['Mai-24', 'monthOfYear', '2024-05-01'],
    ['2024-03', 'monthOfYear', '2024-03-01'],
    ['202403', 'monthOfYear', '2024-03-01'],
    ['03/2024', 'monthOfYear', '2024-03-01'],
    ['2024 Dec kg', 'monthOfYear', '2024-12-01', 'kg'],
    ['1999', 'year', '1999'],
    ['FY2020', 'year', 'FY2020'],
    ['2019/20', 'year', '2019/20'],
    ['pop_2010', 'year', '2010', 'pop'],
    ['Q3', 'quarter', 'Q3'],
    ['Q1 2020', 'quarter', 'Q1 2020'],
    ['KW 12', 'week', 'KW 12'],
    ['Week 7', 'week', 'Week 7'],
    ['2025-01-31', 'day', '2025-01-31'],
    ['1/22/20', 'day', '1/22/20'],
    ['Age 0-14', 'class', '0-14', 'Age'],
    ['males_15_64', 'class', '15-64', 'males'],
    ['80 and over', 'class', '80 and over'],
    ['65+', 'class', '65+'],
  ])('%s', (name, kind, label, rest = '') => {
    expect(periodIn(name)).toMatchObject({ kind, label, rest });
  });

  test.each(['Marketing', 'Total', 'Weight', 'Q5', 'a2024b', 'Summary', 'Decision', '12345', 'H2O', 'W60'])(
    '%s says none',
    (name) => {
      expect(periodIn(name)).toBeNull();
    },
  );
});

describe('columns of classes and of kinds become rows', () => {
  const rows = (count: number, make: (at: number) => readonly (string | number)[]) =>
    Array.from({ length: count }, (_, at) => make(at).map(String));
  const shapeOf = (names: string, of: readonly (readonly string[])[]) => {
    const turn = turnOf(names.split(';'), of);
    return turn && [turn.label, turn.values, turn.parts.map(({ label }) => label), turn.totals.length];
  };

  test.each<[string, string, (at: number) => readonly (string | number)[], unknown]>([
    [
      'classes of one thing, which their names say',
      'Region;Age 0-14;Age 15-64;Age 65+',
      (at) => [`R${at}`, at * 3, at * 7, at + 1],
      ['Age', ['Value'], ['0-14', '15-64', '65+'], 0],
    ],
    [
      'classes of two measures',
      'Region;Males 0-14;Males 15-64;Males 65+;Females 0-14;Females 15-64;Females 65+',
      (at) => [`R${at}`, at * 3, at * 7, at + 1, at * 4, at * 8, at + 2],
      ['Group', ['Males', 'Females'], ['0-14', '15-64', '65+'], 0],
    ],
    [
      'five kinds and what they add up to, a year before them',
      'Ward;Year;Reds;Blues;Greens;Greys;Others;Total votes',
      (at) => [`W${at}`, 2020 + (at % 3), at, at * 2, at * 3, at * 4, 5, at * 10 + 5],
      ['Column', ['votes'], ['Reds', 'Blues', 'Greens', 'Greys', 'Others'], 1],
    ],
    ['four parts of an amount stay', 'No;Net;Tax;Freight;Tip;Total', (at) => [`N${at}`, at, 2, 3, 4, at + 9], null],
    [
      'what is called a total without being one stays',
      'No;A;B;C;D;E;Total',
      (at) => [`N${at}`, at, 2, 3, 4, 5, at * 3],
      null,
    ],
  ])('%s', (_, names, make, wanted) => {
    expect(shapeOf(names, rows(12, make))).toEqual(wanted);
  });
});

describe('columns of times become rows', () => {
  test.each<[string, string, string[]]>([
    [
      'months, with what stays beside each; blank ones make no row',
      'Village;Keeper;Jan;Feb;Mar\nThornby;Ada;10;20;30\nWick End;Bo;5;;7',
      [
        'Village;Keeper;Month;Value',
        'Thornby;Ada;Jan;10',
        'Thornby;Ada;Feb;20',
        'Thornby;Ada;Mar;30',
        'Wick End;Bo;Jan;5',
        'Wick End;Bo;Mar;7',
      ],
    ],
    [
      'what has no value at all stays, once',
      'Village;2020;2021;2022\nThornby;1;2;3\nWick End;;;',
      ['Village;Year;Value', 'Thornby;2020;1', 'Thornby;2021;2', 'Thornby;2022;3', 'Wick End;;'],
    ],
    [
      'several measures each time keep a column each',
      'Village;kg 2020;jars 2020;kg 2021;jars 2021;kg 2022;jars 2022\nThornby;1;2;3;4;5;6',
      ['Village;Year;kg;jars', 'Thornby;2020;1;2', 'Thornby;2021;3;4', 'Thornby;2022;5;6'],
    ],
    [
      'sums of them are left out, those between them too',
      'Village;Jan;Feb;Mar;Q1;Apr;May;Jun;Q2;Year\na;1;2;3;6;4;5;6;15;21\nb;2;2;3;7;4;5;7;16;23\nc;3;2;3;8;4;5;8;17;25',
      [
        'Village;Month;Value',
        ...['a', 'b', 'c'].flatMap((village, at) =>
          ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun'].map(
            (month, n) => `${village};${month};${[1 + at, 2, 3, 4, 5, 6 + at][n]}`,
          ),
        ),
      ],
    ],
    [
      'months of years are their first days, in the words of the file',
      'Ort;Jan 2024;Mai 2024;Okt 2024;Dez 2024\nThornby;1,5;2;3;4',
      [
        'Ort;Month;Value',
        'Thornby;2024-01-01;1,5',
        'Thornby;2024-05-01;2',
        'Thornby;2024-10-01;3',
        'Thornby;2024-12-01;4',
      ],
    ],
  ])('%s', (_, text, rows) => {
    expect(turned(text)).toEqual(rows);
  });

  test.each<[string, string]>([
    ['two are no row', 'Village;2020;2021\na;1;2'],
    ['days of the week that are ticked', 'Service;Jan;Feb;Mar\na;1;0;1\nb;0;0;1'],
    ['words and not amounts', 'Shift;Jan;Feb;Mar\nearly;Ada;Bo;Cy\nlate;Bo;Cy;Ada'],
    ['nothing that stays', 'Jan;Feb;Mar\n1;2;3'],
    ['some of many other measures', 'Place;area;height;depth;1990;2000;2010\na;1.5;2.5;3.5;4;5;6\nb;2.5;3.5;4.5;5;6;7'],
    ['different things, each of its own year', 'Place;census 2001;survey 2003;count 2010\na;1;2;3\nb;2;3;4'],
  ])('but not %s', (_, text) => {
    expect(turned(text)).toBeNull();
  });

  test('any columns a person chooses do, with the names they give', () => {
    const { names, rows } = table('Village;North;South;Both\na;1;2;3\nb;4;5;9');
    const turn = turnWished(names, rows, { columns: ['North', 'South'], label: 'Side', value: 'Hives' });
    expect(turn && turnedNames(names, turn)).toEqual(['Village', 'Side', 'Hives']);
    expect(turn?.totals).toEqual([{ column: 3, of: [1, 2], is: 'sum' }]);
    expect(rows.flatMap((row) => (turn ? turnedRows(row, turn) : []))).toEqual([
      ['a', 'North', '1'],
      ['a', 'South', '2'],
      ['b', 'North', '4'],
      ['b', 'South', '5'],
    ]);
    expect(turnWished(names, rows, { columns: ['North', 'West'] })).toBeNull();
    expect(turnWished(names, rows, { columns: names })).toBeNull();
  });
});
