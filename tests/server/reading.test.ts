import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deflateRawSync } from 'node:zlib';
import * as sheetjs from '@e965/xlsx';
import { writeOds } from 'hucre/ods';
import { writeXlsx } from 'hucre/xlsx';
import iconv from 'iconv-lite';
import { describe, expect, test } from 'vitest';
import { encodings, type ReadingWish } from '$core/intake/intake';
import { openFile } from '$server/intake/reading/reader';
import { Refusal } from '$server/base/refusal';

const folder = mkdtempSync(join(tmpdir(), 'loom-test-'));
let files = 0;

function fileOf(bytes: Uint8Array | string): string {
  const path = join(folder, String(++files));
  writeFileSync(path, bytes);
  return path;
}

interface ReadSheet {
  readonly name: string;
  readonly rows: readonly (readonly string[])[];
  readonly notes: readonly string[];
}

async function sheetsOf(bytes: Uint8Array | string, name = 'a.csv', wish: ReadingWish = {}): Promise<ReadSheet[]> {
  const reader = await openFile(fileOf(bytes), name, wish);
  const sheets: { name: string; rows: (readonly string[])[]; notes: string[] }[] = [];
  for await (const piece of reader.pieces()) {
    if (piece.kind === 'sheet') sheets.push({ name: piece.name, rows: [], notes: [] });
    else if (piece.kind === 'rows') sheets.at(-1)?.rows.push(...piece.rows);
    else sheets.at(-1)?.notes.push(piece.text);
  }
  reader.close();
  return sheets;
}
const rowsOf = async (bytes: Uint8Array | string, name?: string, wish?: ReadingWish) =>
  (await sheetsOf(bytes, name, wish))[0]?.rows;
const refusalOf = async (bytes: Uint8Array | string, name: string): Promise<string> =>
  sheetsOf(bytes, name).then(
    () => 'was read',
    (error: unknown) => {
      if (error instanceof Refusal) return error.problem.message;
      throw error;
    },
  );

/** Longer than one chunk, so that characters are split between chunks at every offset somewhere. */
const long = 'Bienenstöcke im Frühjahr; größer – “stärker” · 蜜蜂 🐝\n'.repeat(30_000);
const german = 'Völker;Größe;Straße\nJürgen Köhler;groß;Mühlweg\nRené Müller;süß;Brühl\n'.repeat(20);

describe('the encoding is found on the whole file', () => {
  test.each<[string, Buffer, string]>([
    ['plain ASCII', Buffer.from('a,b\n1,2\n'), 'utf-8'],
    ['UTF-8', Buffer.from(long), 'utf-8'],
    ['UTF-8 with a mark', Buffer.from(`\uFEFF${long}`), 'utf-8'],
    [
      'UTF-8 with a few broken bytes among many characters',
      Buffer.concat([Buffer.from(long), Buffer.from([0xfc, 10]), Buffer.from(long)]),
      'utf-8',
    ],
    ['UTF-16 little endian', iconv.encode(`\uFEFF${long}`, 'utf-16le'), 'utf-16le'],
    ['UTF-16 big endian', iconv.encode(`\uFEFF${long}`, 'utf-16be'), 'utf-16be'],
    ['UTF-16 without a mark', iconv.encode('hive,kg\nA,1\n'.repeat(100), 'utf-16le'), 'utf-16le'],
    [
      'an invalid byte at the very end',
      Buffer.concat([Buffer.from('ascii only\n'.repeat(30_000)), Buffer.from([0xfc])]),
      'windows-1252',
    ],
    [
      'a character cut off at the end',
      Buffer.concat([Buffer.from('x\n'), Buffer.from('ü').subarray(0, 1)]),
      'windows-1252',
    ],
    ['Windows-1252', iconv.encode(`${german}– “größer” €\n`, 'windows-1252'), 'windows-1252'],
    ['ISO 8859-15, by its euro sign', iconv.encode(`${german}12 €\n`.repeat(3), 'iso-8859-15'), 'iso-8859-15'],
    ['Mac Roman', iconv.encode(german, 'macintosh'), 'macintosh'],
    [
      'Shift JIS',
      iconv.encode('巣箱,日付\n蜜蜂の巣箱を検査しました,今日は晴れです\n'.repeat(30), 'shift_jis'),
      'shift_jis',
    ],
    ['EUC-KR', iconv.encode('벌통,날짜\n오늘은 벌통을 검사했습니다,맑음\n'.repeat(30), 'euc-kr'), 'euc-kr'],
    ['Big5', iconv.encode('蜂箱,日期\n今天檢查了蜂箱的情況,天氣晴朗\n'.repeat(30), 'big5'), 'big5'],
  ])('%s', async (_, bytes, encoding) => {
    expect((await openFile(fileOf(bytes), 'a.csv')).found.encoding).toBe(encoding);
  });

  test.each(['utf-8', 'utf-16le', 'utf-16be'])('characters split over chunks stay whole: %s', async (encoding) => {
    const rows = await rowsOf(iconv.encode(encoding === 'utf-8' ? long : `\uFEFF${long}`, encoding));
    expect(
      rows
        ?.slice(0, 30_000)
        .map((row) => `${row.join(';')}\n`)
        .join(''),
    ).toBe(long);
  });

  test('each that is offered can be read', () => {
    for (const encoding of encodings) expect(iconv.encodingExists(encoding), encoding).toBe(true);
  });

  test('a person may know better', async () => {
    const bytes = iconv.encode('Größe;Wert\nsüß;1\n', 'windows-1250');
    expect(await rowsOf(bytes, 'a.csv', { encoding: 'windows-1250' })).toEqual([
      ['Größe', 'Wert'],
      ['süß', '1'],
      ...((await rowsOf(bytes))?.slice(2) ?? []),
    ]);
  });
});

/** Acid cases of comma-separated values: each says what it is about. */
test.each<[string, string, ReadingWish, string[][]]>([
  [
    'quotes within quotes',
    'a,b\n"say ""hi""",2\n',
    {},
    [
      ['a', 'b'],
      ['say "hi"', '2'],
    ],
  ],
  [
    'line breaks within quotes',
    'a,b\r\n"one\r\ntwo",2\r\n',
    {},
    [
      ['a', 'b'],
      ['one\r\ntwo', '2'],
    ],
  ],
  [
    'the delimiter within quotes',
    'a;b\n"x;y";2\n',
    {},
    [
      ['a', 'b'],
      ['x;y', '2'],
    ],
  ],
  [
    'a line that names its delimiter',
    'sep=;\na;b\n1,5;2\n',
    {},
    [
      ['a', 'b'],
      ['1,5', '2'],
    ],
  ],
  [
    'old line ends',
    'a,b\r1,2\r3,4',
    {},
    [
      ['a', 'b'],
      ['1', '2'],
      ['3', '4'],
    ],
  ],
  [
    'tabs',
    'a\tb\n1\t2\n',
    {},
    [
      ['a', 'b'],
      ['1', '2'],
    ],
  ],
  [
    'bars',
    'a|b\n1|2\n',
    {},
    [
      ['a', 'b'],
      ['1', '2'],
    ],
  ],
  [
    'another quotation mark',
    "a,b\n'x,y',2\n",
    { quote: "'" },
    [
      ['a', 'b'],
      ['x,y', '2'],
    ],
  ],
  [
    'another delimiter',
    'a~b\n1~2\n',
    { delimiter: '~' },
    [
      ['a', 'b'],
      ['1', '2'],
    ],
  ],
  [
    'blank cells at both ends',
    ',b,\n,2,\n',
    {},
    [
      ['', 'b', ''],
      ['', '2', ''],
    ],
  ],
  [
    'a formula as text',
    'a,b\n"=HYPERLINK(""x"")",2\n',
    {},
    [
      ['a', 'b'],
      ['=HYPERLINK("x")', '2'],
    ],
  ],
  [
    'a bracket first',
    '[a,b\n[1,2\n',
    {},
    [
      ['[a', 'b'],
      ['[1', '2'],
    ],
  ],
])('delimited text: %s', async (_, text, wish, rows) => {
  const read = (await rowsOf(text, 'a.csv', wish)) ?? [];
  expect(read.filter((row) => row.length > 1)).toEqual(rows);
});

const day = (iso: string) => new Date(`${iso}Z`);
/** The same sheet as two libraries write it. */
const table = [
  ['Hive', 'Kg', 'Seen', 'Rate', 'Strong', 'Text'],
  ['H-001', 12.5, day('2026-05-04T00:00:00'), 0.125, true, 'x & <y>\nz'],
  ['007', 0.1 + 0.2, day('2026-05-04T10:30:00'), 0.5, false, '  spaces  '],
];
const expected = [
  ['Hive', 'Kg', 'Seen', 'Rate', 'Strong', 'Text'],
  ['H-001', '12.5', '2026-05-04', '12.5 %', 'yes', 'x & <y>\nz'],
  ['007', '0.3', '2026-05-04 10:30', '50 %', 'no', '  spaces  '],
];

async function byOneLibrary(kind: 'xlsx' | 'ods'): Promise<Uint8Array> {
  const formats = (row: number) =>
    new Map([
      [`${row},3`, { style: { numFmt: '0.0%' } }],
      [`${row},2`, { style: { numFmt: row === 1 ? 'yyyy-mm-dd' : 'yyyy-mm-dd hh:mm' } }],
    ]);
  const cells = new Map([...formats(1), ...formats(2)]);
  return kind === 'xlsx'
    ? writeXlsx({ sheets: [{ name: 'Visits', rows: table, cells }] } as never)
    : writeOds({ sheets: [{ name: 'Visits', rows: table, cells }] } as never);
}
function byAnother(kind: 'xlsx' | 'ods'): Uint8Array {
  const sheet = sheetjs.utils.aoa_to_sheet(table, { UTC: true, cellDates: kind === 'ods' });
  for (const [at, format] of [
    ['D2', '0.0%'],
    ['D3', '0.0%'],
    ['C2', 'yyyy-mm-dd'],
    ['C3', 'yyyy-mm-dd hh:mm'],
  ] as const)
    (sheet[at] as { z: string }).z = format;
  const book = sheetjs.utils.book_new();
  sheetjs.utils.book_append_sheet(book, sheet, 'Visits');
  return new Uint8Array(sheetjs.write(book, { type: 'buffer', bookType: kind }) as Buffer);
}

describe('workbooks of two libraries', () => {
  test('Office Open XML, one', async () =>
    expect(await sheetsOf(await byOneLibrary('xlsx'), 'a.xlsx')).toMatchObject([{ name: 'Visits', rows: expected }]));
  test('Office Open XML, the other', async () =>
    expect(await sheetsOf(byAnother('xlsx'), 'a.csv')).toMatchObject([{ name: 'Visits', rows: expected }]));
  test('OpenDocument, one', async () =>
    expect((await sheetsOf(await byOneLibrary('ods'), 'a.ods'))[0]?.rows.map((row) => row.slice(0, 3))).toEqual(
      expected.map((row) => row.slice(0, 3)),
    ));
  test('OpenDocument, the other', async () =>
    expect(
      (await sheetsOf(byAnother('ods'), 'a.ods'))[0]?.rows.map((row) => row.filter((_, column) => column !== 3)),
    ).toEqual(
      // It writes percents as plain numbers.
      expected.map((row) => row.filter((_, column) => column !== 3)),
    ));
});

/** An archive of stored or packed parts, written by hand: what no library would write. */
function archiveOf(parts: Readonly<Record<string, string | Buffer>>): Buffer {
  const locals: Buffer[] = [];
  const central: Buffer[] = [];
  let at = 0;
  for (const [name, content] of Object.entries(parts)) {
    const raw = Buffer.from(content);
    const packed = deflateRawSync(raw);
    const head = (signature: number, extra: Buffer) => {
      const header = Buffer.alloc(26);
      header.writeUInt16LE(20, 0);
      header.writeUInt16LE(8, 4);
      header.writeUInt32LE(0, 10);
      header.writeUInt32LE(packed.length, 14);
      header.writeUInt32LE(raw.length, 18);
      header.writeUInt16LE(name.length, 22);
      const mark = Buffer.alloc(4);
      mark.writeUInt32LE(signature);
      return Buffer.concat([mark, extra, header]);
    };
    const local = Buffer.concat([head(0x04034b50, Buffer.alloc(0)), Buffer.from(name), packed]);
    const rest = Buffer.alloc(14);
    rest.writeUInt32LE(at, 10);
    central.push(Buffer.concat([head(0x02014b50, Buffer.from([20, 0])), rest, Buffer.from(name)]));
    locals.push(local);
    at += local.length;
  }
  const directory = Buffer.concat(central);
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  end.writeUInt16LE(central.length, 8);
  end.writeUInt16LE(central.length, 10);
  end.writeUInt32LE(directory.length, 12);
  end.writeUInt32LE(at, 16);
  return Buffer.concat([...locals, directory, end]);
}
const book = (
  sheet: string,
  {
    styles = '',
    properties = '',
    more = {},
  }: { styles?: string; properties?: string; more?: Record<string, string> } = {},
) =>
  archiveOf({
    // Part names may be in upper case.
    'XL/Workbook.xml': `<x:workbook xmlns:x="m" xmlns:r="r"><x:workbookPr ${properties}/><x:sheets><x:sheet name="S" sheetId="1" r:id="r1"/></x:sheets></x:workbook>`,
    'xl/_rels/workbook.xml.rels':
      '<Relationships><Relationship Id="r1" Target="worksheets/sheet1.xml"/></Relationships>',
    'xl/worksheets/sheet1.xml': `<x:worksheet xmlns:x="m"><x:sheetData>${sheet.replace(/<(\/?)(row|c|v|is|t|f)\b/g, '<$1x:$2')}</x:sheetData></x:worksheet>`,
    ...(styles ? { 'xl/styles.xml': `<styleSheet>${styles}</styleSheet>` } : {}),
    ...more,
  });
const cell = (at: string, value: string, style = 0) => `<row><c r="${at}" s="${style}"><v>${value}</v></c></row>`;

describe('what workbooks mean', () => {
  test.each<[string, string, string, string, string]>([
    ['a day of 1900', '46146', 'yyyy-mm-dd', '', '2026-05-04'],
    ['the same in 1904', '44684', 'd.m.yy', 'date1904="1"', '2026-05-04'],
    ['the day before the leap day that never was', '59', 'dd/mm/yyyy', '', '1900-02-28'],
    ['the day after it', '61', 'dd/mm/yyyy', '', '1900-03-01'],
    ['a time that is a hair off', '46146.437499999996', 'dd.mm.yyyy hh:mm', '', '2026-05-04 10:30'],
    ['a time of day', '0.4375', 'hh:mm', '', '10:30'],
    ['hours beyond a day', '1.1041666666666667', '[h]:mm', '', '26:30'],
    ['minutes and seconds are no months', '0.0104166666666667', 'mm:ss', '', '00:15'],
    ['a month', '46146', 'mmmm', '', '2026-05-04'],
    ['percents', '0.07', '0%', '', '7 %'],
    ['an amount, by its sign', '12.5', '#,##0.00\\ "€"', '', '12.5 EUR'],
    ['an amount, by its code', '12.5', '[$CHF-807]\\ #,##0.00', '', '12.5 CHF'],
    ['a number with a unit in its format', '12.5', '0.0" days"', '', '12.5'],
    ['a fraction of binary', '0.10000000000000001', 'General', '', '0.1'],
    ['an exponent', '1.5E-7', 'General', '', '0.00000015'],
    ['the leap day that never was, as it is shown', '60', 'dd/mm/yyyy', '', '1900-02-29'],
    ['a code with zeros before it', '420', '00000', '', '00420'],
    ['a whole number beyond 2⁵³', '12345678901234567890', 'General', '', '12345678901234567890'],
    ['a program’s decimals', '0.1234567890123456789', 'General', '', '0.1234567890123456789'],
    ['the noise of binary sums', '124.05000000000001', 'General', '', '124.05'],
    ['the noise of binary sums, below', '212.69999999999999', '0.00', '', '212.7'],
    ['sixteen digits that are meant', '1234567890123.456', 'General', '', '1234567890123.456'],
    ['an amount with noise', '124.05000000000001', '#,##0.00\\ "€"', '', '124.05 EUR'],
  ])('%s', async (_, value, format, properties, text) => {
    const styles = `<numFmts><numFmt numFmtId="164" formatCode="${format.replaceAll('"', '&quot;')}"/></numFmts><cellXfs><xf numFmtId="0"/><xf numFmtId="164"/></cellXfs>`;
    expect(await rowsOf(book(cell('A1', value, 1), { styles, properties }), 'a.xlsx')).toEqual([[text]]);
  });

  test('values of formulas, errors, hidden rows, gaps, phonetic signs and escapes', async () => {
    const [sheet] = await sheetsOf(
      book(
        '<row><c r="B1"><f>A1*2</f><v>4</v></c><c r="D1"><f>x()</f></c></row><row hidden="1"><c t="e"><v>#REF!</v></c><c t="inlineStr"><is><t>a_x000D_b</t><rPh><t>no</t></rPh></is></c></row><row/>',
        { more: { 'xl/vbaProject.bin': 'x' } },
      ),
      'a.xlsm',
    );
    expect(sheet?.rows).toEqual([
      ['', '4'],
      ['', 'a\rb'],
    ]);
    expect(sheet?.notes).toEqual([
      '1 hidden row was read as well',
      '1 formula has no stored value, so these cells are blank',
      '1 cell holds the error #REF! and is blank',
    ]);
  });

  test('repeated cells and rows, covered cells, remarks and spaces of OpenDocument', async () => {
    const content = `<o:document xmlns:o="o" xmlns:table="t" xmlns:text="x" xmlns:office="f"><table:table table:name="S">
      <table:table-row><table:table-cell table:number-columns-repeated="2" office:value-type="float" office:value="3"><text:p>3,0</text:p></table:table-cell><table:covered-table-cell/><table:table-cell office:value-type="string"><office:annotation><text:p>remark</text:p></office:annotation><text:p>a<text:s text:c="2"/>b</text:p><text:p>c</text:p></table:table-cell><table:table-cell table:number-columns-repeated="16000"/></table:table-row>
      <table:table-row table:number-rows-repeated="2"><table:table-cell office:value-type="currency" office:currency="EUR" office:value="1.50"><text:p>1,50 €</text:p></table:table-cell></table:table-row>
      <table:table-row table:number-rows-repeated="1048570"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>
      <table:table-row><table:table-cell office:value-type="time" office:time-value="PT26H30M00S"><text:p>x</text:p></table:table-cell></table:table-row></table:table></o:document>`;
    expect(await rowsOf(archiveOf({ 'content.xml': content }), 'a.ods')).toEqual([
      ['3', '3', '', 'a  b\nc'],
      ['1.5 EUR'],
      ['1.5 EUR'],
      // Of a million blank rows between, as many as a person could have meant.
      ...Array.from({ length: 100 }, () => []),
      ['26:30'],
    ]);
  });
});

describe('cells shown as one over several rows hold their value in each of them', () => {
  const expected = [
    ['Kind', 'Size', 'Price'],
    ['Tent', 'small', '10'],
    ['Tent', 'large', '20'],
    [],
    ['Boat', '', '30'],
  ];
  test('in a workbook', async () => {
    const texts = [['Kind', 'Size', 'Price'], ['Tent', 'small', '10'], ['', 'large', '20'], [], ['Boat', '', '30'], []];
    const at = (row: number, column: number) => `${'ABC'[column]}${row + 1}`;
    const rows = texts.map(
      (cells, row) =>
        `<row r="${row + 1}">${cells.map((text, column) => (text ? `<c r="${at(row, column)}" t="str"><v>${text}</v></c>` : '')).join('')}</row>`,
    );
    const merged =
      '</x:sheetData><x:mergeCells count="3"><x:mergeCell ref="A2:A4"/><x:mergeCell ref="A5:B6"/><x:mergeCell ref="B1:C1"/></x:mergeCells><x:sheetData>';
    const [sheet] = await sheetsOf(book(rows.join('') + merged), 'a.xlsx');
    expect(sheet?.rows).toEqual(expected.map((row) => row.map((cell) => cell)));
    expect(sheet?.notes).toEqual(['1 cell was filled from merged cells above']);
  });

  test('in an OpenDocument spreadsheet, of which sheets may be hidden and cells may hold errors', async () => {
    const cellOf = (text: string, more = '') =>
      `<table:table-cell office:value-type="string" ${more}><text:p>${text}</text:p></table:table-cell>`;
    const rows = [
      cellOf('Kind') + cellOf('Size') + cellOf('Price'),
      cellOf('Tent', 'table:number-rows-spanned="3"') + cellOf('small') + cellOf('10'),
      '<table:covered-table-cell/>' + cellOf('large') + cellOf('20'),
      '<table:covered-table-cell/>',
      cellOf('Boat', 'table:number-rows-spanned="2" table:number-columns-spanned="2"') +
        '<table:covered-table-cell/>' +
        cellOf('30'),
      cellOf('#N/A', 'calcext:value-type="error"'),
    ];
    const content = `<o:document xmlns:o="o" xmlns:table="t" xmlns:text="x" xmlns:office="f" xmlns:style="s" xmlns:calcext="c"><o:automatic-styles><style:style style:name="ta2" style:family="table"><style:table-properties table:display="false"/></style:style></o:automatic-styles>
      <table:table table:name="S" table:style-name="ta2">${rows.map((row) => `<table:table-row>${row}</table:table-row>`).join('')}</table:table></o:document>`;
    const [sheet] = await sheetsOf(archiveOf({ 'content.xml': content }), 'a.ods');
    expect(sheet?.rows).toEqual(expected);
    expect(sheet?.notes).toEqual([
      'the sheet is hidden in the file',
      '1 cell was filled from merged cells above',
      '1 cell holds the error #N/A and is blank',
    ]);
  });
});

describe('JSON', () => {
  test.each<[string, string, ReadSheet['rows'][]]>([
    [
      'a list',
      '[{"a":1,"b":"x"},{"b":null,"c":true}]',
      [
        [
          ['a', 'b', 'c'],
          ['1', 'x', ''],
          ['', '', 'yes'],
        ],
      ],
    ],
    ['one object a line', '{"a":1}\n{"a":2}\n', [[['a'], ['1'], ['2']]]],
    ['numbers keep all their digits', '[{"n":12345678901234567890.10}]', [[['n'], ['12345678901234567890.10']]]],
    [
      'objects within',
      '[{"a":{"b":{"c":1}},"d":["x","y"]}]',
      [
        [
          ['a.b.c', 'd'],
          ['1', 'x; y'],
        ],
      ],
    ],
    [
      'one object of lists',
      '{"hives":[{"no":1}],"keepers":[{"code":"K"}]}',
      [
        [['no'], ['1']],
        [['code'], ['K']],
      ],
    ],
    [
      'one object',
      '{"a":1,"b":2}',
      [
        [
          ['a', 'b'],
          ['1', '2'],
        ],
      ],
    ],
  ])('%s', async (_, text, sheets) => {
    expect((await sheetsOf(text, 'a.json')).map(({ rows }) => rows)).toEqual(sheets);
  });

  test('a list within becomes a sheet that names its parent’s row', async () => {
    const [hives, visits] = await sheetsOf(
      '[{"no":"A","visits":[{"day":"2026-05-01"},{"day":"2026-05-02"}]},{"no":"B"},{"no":"C","visits":[{"day":"2026-05-03"}]}]',
      'hives.json',
    );
    expect([hives?.name, visits?.name]).toEqual(['hives', 'hives visits']);
    expect(hives?.rows).toEqual([
      ['row', 'no'],
      ['1', 'A'],
      ['2', 'B'],
      ['3', 'C'],
    ]);
    expect(visits?.rows).toEqual([
      ['hives row', 'day'],
      ['1', '2026-05-01'],
      ['1', '2026-05-02'],
      ['3', '2026-05-03'],
    ]);
  });
});

test('a range out of a clipboard, as HTML', async () => {
  const html =
    '<html><meta charset="utf-8"><table><tr><th colspan=2>Hive<th>Kg</tr><tr><td>A<br>B<td>&amp; more<td>1,5</tr></table>';
  expect(await rowsOf(html, 'Pasted')).toEqual([
    ['Hive', '', 'Kg'],
    ['A B', '& more', '1,5'],
  ]);
});

test('a Data Package with what it declares', async () => {
  const description = {
    resources: [
      { name: 'hives', path: 'data/hives.csv', schema: { fields: [{ name: 'no', type: 'string' }], primaryKey: 'no' } },
      {
        name: 'visits',
        path: 'data/visits.csv',
        dialect: { delimiter: ';' },
        schema: {
          fields: [{ name: 'hive' }, { name: 'day', type: 'date' }],
          foreignKeys: [{ fields: 'hive', reference: { resource: 'hives', fields: ['no'] } }],
        },
      },
    ],
  };
  const bytes = archiveOf({
    'datapackage.json': JSON.stringify(description),
    'data/hives.csv': 'no\n007\n',
    'data/visits.csv': 'hive;day\n007;2026-05-04\n',
  });
  const reader = await openFile(fileOf(bytes), 'package.zip');
  const pieces = [];
  for await (const piece of reader.pieces()) pieces.push(piece);
  expect(reader.found.kind).toBe('data package');
  expect(pieces).toMatchObject([
    { kind: 'sheet', name: 'hives', declared: { header: true, key: ['no'] } },
    { rows: [['no'], ['007']] },
    {
      kind: 'sheet',
      name: 'visits',
      declared: {
        columns: [{ name: 'hive' }, { name: 'day', type: 'date' }],
        links: [{ columns: ['hive'], sheet: 'hives', to: ['no'] }],
      },
    },
    {
      rows: [
        ['hive', 'day'],
        ['007', '2026-05-04'],
      ],
    },
  ]);
});

describe('what cannot be read is said as what it is', () => {
  const whole = byAnother('xlsx');
  test.each<[string, Uint8Array | string, string, RegExp]>([
    ['nothing', '', 'a.csv', /a\.csv is empty/],
    ['blanks', ' \n \n', 'a.csv', /is empty/],
    ['a picture', Buffer.from('89504e470d0a1a0a', 'hex'), 'a.csv', /a picture, not a table/],
    ['a workbook cut off', whole.subarray(0, whole.length / 2), 'a.xlsx', /cut off or damaged/],
    ['a workbook with broken XML', book('<row><c r="A1"><v>1</v></row>'), 'a.xlsx', /cut off or damaged/],
    ['an archive of something else', archiveOf({ 'a.txt': 'x' }), 'a.zip', /archive without a workbook/],
    [
      'a protected workbook',
      Buffer.concat([
        Buffer.from('d0cf11e0a1b11ae1', 'hex'),
        Buffer.alloc(1000),
        Buffer.from('EncryptedPackage', 'utf16le'),
      ]),
      'a.xlsx',
      /protected by a password/,
    ],
    [
      'an old workbook',
      Buffer.concat([Buffer.from('d0cf11e0a1b11ae1', 'hex'), Buffer.alloc(1000)]),
      'a.xls',
      /old binary kind/,
    ],
    [
      'a protected OpenDocument',
      archiveOf({ 'META-INF/manifest.xml': '<m:encryption-data/>', 'content.xml': 'x' }),
      'a.ods',
      /protected by a password/,
    ],
    ['a bomb', archiveOf({ 'content.xml': Buffer.alloc(230_000_000, 32) }), 'a.ods', /unpacks to far more/],
    ['a column beyond all', book('<row><c r="ZZZZ1"><v>1</v></c></row>'), 'a.xlsx', /more cells than can be read/],
    ['JSON cut off', '[{"a":1},{"a"', 'a.json', /cut off/],
    ['JSON that is none', '[{"a":1},{b}]', 'a.json', /no JSON/],
    ['JSON nested too deeply', `[${'{"a":'.repeat(60)}1${'}'.repeat(60)}]`, 'a.json', /nested too deeply/],
    ['a quotation mark never closed', 'a,b\n"x,1\n2,3\n', 'a.csv', /never closed/],
    ['a NUL', 'a,b\n1\0,2\n', 'a.csv', /NUL/],
    ['a page without a table', '<!doctype html><p>x', 'a.csv', /page without a table/],
  ])('%s', async (_, bytes, name, message) => {
    expect(await refusalOf(bytes, name)).toMatch(message);
  });
});
