import { Refusal, refuse } from '../../base/refusal';
import type { Archive } from './archive';
import { columnOf, MergedCells, mergedRowsOf } from './mergedCells';
import { isoText, meaningOf, numberText, plainNumber, type NumberMeaning } from './numberFormat';
import { blankRows, type Piece } from './piece';
import { readXml, xmlReader } from './xml';

/** In characters of all shared texts: they are kept in memory while the sheets are read. */
const mostShared = 200_000_000;
const mostCells = 50_000_000;
const mostColumns = 16_384;

interface SheetPart {
  readonly name: string;
  readonly part: string;
  readonly hidden: boolean;
}

interface Book {
  readonly sheets: readonly SheetPart[];
  readonly from1904: boolean;
  readonly meanings: readonly NumberMeaning[];
}

/** A text, or the place of one among the shared texts. */
type RawCell = string | number;

/**
 * Reads the sheets of an Office Open XML workbook (ECMA-376): stored values of formulas, days by the file's own date
 * system, percents and amounts by the format they are shown in. What is hidden is read, too, and said.
 */
export async function* workbookPieces(
  archive: Archive,
  file: string,
  mostRows = Infinity,
): AsyncGenerator<Piece, void> {
  const book = await readBook(archive, file);
  if (archive.parts.some((part) => /vbaProject\.bin$/i.test(part)))
    yield { kind: 'note', text: 'it holds macros, which were not looked at' };
  const shared = new SharedTexts(archive, file);
  try {
    for (const sheet of book.sheets) yield* sheetPieces(archive, file, book, sheet, shared, mostRows);
  } finally {
    await shared.close();
  }
}

async function readBook(archive: Archive, file: string): Promise<Book> {
  if (!archive.has('xl/workbook.xml'))
    throw refuse(422, `${file} is no workbook this reads.`, 'Save it as .xlsx, .ods or CSV.');
  const targets = new Map<string, string>();
  if (archive.has('xl/_rels/workbook.xml.rels'))
    readXml(file, await archive.text('xl/_rels/workbook.xml.rels'), {
      open(name, { Id = '', Target = '' }) {
        if (name === 'Relationship') targets.set(Id, Target.startsWith('/') ? Target.slice(1) : `xl/${Target}`);
      },
    });
  const sheets: SheetPart[] = [];
  let from1904 = false;
  readXml(file, await archive.text('xl/workbook.xml'), {
    open(name, attributes) {
      if (name === 'workbookPr') from1904 = ['1', 'true'].includes(attributes.date1904 ?? '');
      if (name !== 'sheet') return;
      const id = Object.entries(attributes).find(([key]) => /(?:^|:)id$/.test(key))?.[1] ?? '';
      const part = targets.get(id) ?? `xl/worksheets/sheet${sheets.length + 1}.xml`;
      if (archive.has(part))
        sheets.push({
          name: attributes.name ?? `Sheet ${sheets.length + 1}`,
          part,
          hidden: (attributes.state ?? 'visible') !== 'visible',
        });
    },
  });
  return {
    sheets,
    from1904,
    meanings: archive.has('xl/styles.xml') ? meaningsOf(file, await archive.text('xl/styles.xml')) : [],
  };
}

/** What numbers mean in each of the workbook's cell formats. */
function meaningsOf(file: string, styles: string): NumberMeaning[] {
  const codes = new Map<number, string>();
  const meanings: NumberMeaning[] = [];
  let inside = false;
  readXml(file, styles, {
    open(name, attributes) {
      if (name === 'numFmt') codes.set(Number(attributes.numFmtId), attributes.formatCode ?? '');
      else if (name === 'cellXfs') inside = true;
      else if (name === 'xf' && inside) {
        const id = Number(attributes.numFmtId ?? 0);
        meanings.push(meaningOf(id, codes.get(id)));
      }
    },
    close(name) {
      if (name === 'cellXfs') inside = false;
    },
  });
  return meanings;
}

/** The texts that cells share, read as far as they are asked for: the first rows need only the first of them. */
class SharedTexts {
  private readonly texts: string[] = [];
  private source: AsyncGenerator<Buffer, void> | null = null;
  private done = false;
  private length = 0;
  private readonly reader: ReturnType<typeof xmlReader>;

  constructor(
    private readonly archive: Archive,
    private readonly file: string,
  ) {
    let text: string | null = null;
    let phonetic = false;
    this.reader = xmlReader(file, {
      open: (name) => {
        if (name === 'si') text = '';
        else if (name === 'rPh') phonetic = true;
      },
      text: (piece) => {
        if (text !== null && !phonetic) text += piece;
      },
      close: (name) => {
        if (name === 'rPh') phonetic = false;
        if (name !== 'si' || text === null) return;
        this.texts.push(unescaped(text));
        this.length += text.length;
        text = null;
      },
    });
  }

  /** Reads until there are this many texts, or all. */
  async until(count: number): Promise<void> {
    if (this.texts.length >= count || this.done) return;
    if (!this.source && !this.archive.has('xl/sharedStrings.xml')) {
      this.done = true;
      return;
    }
    this.source ??= this.archive.chunks('xl/sharedStrings.xml');
    while (this.texts.length < count) {
      const { value, done } = await this.source.next();
      if (done || !value) {
        this.reader.end();
        this.done = true;
        return;
      }
      this.reader.write(value);
      if (this.length > mostShared)
        throw refuse(422, `${this.file} holds more text than can be read at once.`, 'Save its sheets as CSV.');
    }
  }

  of = (cell: RawCell): string => (typeof cell === 'number' ? (this.texts[cell] ?? '') : cell);

  async close(): Promise<void> {
    await this.source?.return();
  }
}

/** Signs that XML cannot hold stand as `_x000D_` (ECMA-376 part 1, 22.9.2.19). */
const unescaped = (text: string): string =>
  text.includes('_x')
    ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, code: string) => String.fromCharCode(parseInt(code, 16)))
    : text;

async function* sheetPieces(
  archive: Archive,
  file: string,
  book: Book,
  sheet: SheetPart,
  shared: SharedTexts,
  mostRows: number,
): AsyncGenerator<Piece, void> {
  const merged = new MergedCells(await mergedRowsOf(archive, sheet.part, mostRows === Infinity));
  const reading = new SheetReading(file, book, merged);
  let rows = 0;
  let begun = false;
  const chunks = archive.chunks(sheet.part);
  for (;;) {
    const { value, done } = rows >= mostRows ? { value: undefined, done: true } : await chunks.next();
    if (value) reading.write(value);
    else if (rows < mostRows) reading.end();
    const raw = reading.take();
    if (raw.length > 0) {
      if (!begun) yield { kind: 'sheet', name: sheet.name };
      begun = true;
      await shared.until(reading.sharedNeeded);
      rows += raw.length;
      yield {
        kind: 'rows',
        rows: raw.map((row) => Array.from(row, (cell) => (cell === undefined ? '' : shared.of(cell)))),
      };
    }
    if (done) break;
  }
  await chunks.return();
  if (begun)
    for (const text of [...(sheet.hidden ? ['the sheet is hidden in the workbook'] : []), ...reading.notes()])
      yield { kind: 'note', text };
}

/** Takes a sheet's XML piece by piece and gives its rows. */
class SheetReading {
  /** How many of the shared texts the rows so far name. */
  sharedNeeded = 0;
  private rows: RawCell[][] = [];
  private row: RawCell[] = [];
  private column = -1;
  private rowNumber = 0;
  /** The last row in which something stands. */
  private lastRow = 0;
  private cells = 0;
  private type = 'n';
  private style = 0;
  private text: string | null = null;
  private value = '';
  private formula = false;
  private phonetic = false;
  private hidden = 0;
  private uncalculated = 0;
  private readonly errors = new Map<string, number>();
  private readonly reader: ReturnType<typeof xmlReader>;

  constructor(
    private readonly file: string,
    private readonly book: Book,
    private readonly merged: MergedCells,
  ) {
    this.reader = xmlReader(file, {
      open: (name, attributes) => this.open(name, attributes),
      text: (text) => this.addText(text),
      close: (name) => this.close(name),
    });
  }

  write = (chunk: Buffer): void => this.reader.write(chunk);
  end = (): void => this.reader.end();

  take(): RawCell[][] {
    const rows = this.rows;
    this.rows = [];
    return rows;
  }

  private open(name: string, attributes: Readonly<Record<string, string>>): void {
    switch (name) {
      case 'row':
        this.row = [];
        this.column = -1;
        this.rowNumber = attributes.r === undefined ? this.rowNumber + 1 : Number(attributes.r);
        if (attributes.hidden === '1' || attributes.hidden === 'true') this.hidden++;
        break;
      case 'c':
        this.column = attributes.r === undefined ? this.column + 1 : columnOf(attributes.r);
        if (this.column >= mostColumns || ++this.cells > mostCells)
          throw refuse(
            422,
            `${this.file} has a sheet of more cells than can be read.`,
            'Save the part that is needed as CSV.',
          );
        this.type = attributes.t ?? 'n';
        this.style = Number(attributes.s ?? 0);
        this.value = '';
        this.formula = false;
        break;
      case 'v':
      case 't':
        this.text = '';
        break;
      case 'f':
        this.formula = true;
        break;
      case 'rPh':
        this.phonetic = true;
    }
  }

  private addText(text: string): void {
    if (this.text !== null) this.text += text;
  }

  private close(name: string): void {
    switch (name) {
      case 'v':
      case 't':
        if (!this.phonetic) this.value += this.text ?? '';
        this.text = null;
        break;
      case 'rPh':
        this.phonetic = false;
        break;
      case 'c': {
        if (this.value === '' && this.formula) this.uncalculated++;
        const cell = this.value === '' ? '' : this.cell();
        if (cell !== '') this.row[this.column] = cell;
        break;
      }
      case 'row':
        // Rows without anything are no rows: sheets often claim a million of them.
        if (this.row.length === 0) break;
        this.merged.fill(this.row, this.rowNumber);
        // Rows between are not written down where nothing stands in them.
        if (this.lastRow > 0) this.rows.push(...blankRows(this.rowNumber - this.lastRow - 1));
        this.lastRow = this.rowNumber;
        this.rows.push(this.row);
    }
  }

  private cell(): RawCell {
    const { value } = this;
    switch (this.type) {
      case 's': {
        const place = Number(value);
        this.sharedNeeded = Math.max(this.sharedNeeded, place + 1);
        return place;
      }
      case 'b':
        return value === '1' || value === 'true' ? 'yes' : 'no';
      case 'e':
        this.errors.set(value, (this.errors.get(value) ?? 0) + 1);
        return '';
      case 'd':
        return isoText(value);
      case 'n': {
        const meaning = this.book.meanings[this.style];
        return meaning === undefined || meaning.kind === 'number'
          ? plainNumber(value)
          : numberText(value, meaning, this.book.from1904);
      }
      default:
        return unescaped(value);
    }
  }

  notes(): string[] {
    const n = (count: number, one: string, many: string) => `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
    return [
      ...(this.merged.filled > 0
        ? [`${n(this.merged.filled, 'cell was', 'cells were')} filled from merged cells above`]
        : []),
      ...(this.hidden > 0 ? [`${n(this.hidden, 'hidden row was', 'hidden rows were')} read as well`] : []),
      ...(this.uncalculated > 0
        ? [`${n(this.uncalculated, 'formula has', 'formulas have')} no stored value, so these cells are blank`]
        : []),
      ...[...this.errors].map(
        ([error, count]) =>
          `${n(count, 'cell holds', 'cells hold')} the error ${error} and ${count === 1 ? 'is' : 'are'} blank`,
      ),
    ];
  }
}

/** Beginnings of the old container format; inside it lies a workbook that is protected, or an old one. */
export function refuseCompound(name: string, start: Buffer): Refusal {
  const protectedBook =
    start.includes(Buffer.from('EncryptedPackage', 'utf16le')) ||
    start.includes(Buffer.from('EncryptionInfo', 'utf16le'));
  return protectedBook
    ? refuse(422, `${name} is protected by a password.`, 'Save it without one.')
    : refuse(422, `${name} is a workbook of the old binary kind.`, 'Save it as .xlsx or CSV and bring that in.');
}
