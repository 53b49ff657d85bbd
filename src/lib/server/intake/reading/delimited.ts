import iconv from 'iconv-lite';
import { DelimitedRows, lineEndsIn, type Dialect } from '$core/intake/sheets/delimitedRows';
import { refuse, type Refusal } from '../../base/refusal';
import type { Piece } from './piece';

/** In characters: a row that is longer is not looked for any further. */
const longestRow = 24_000_000;

/** A text that an export put a quote before, so that no spreadsheet runs it as a formula. */
const isDefused = (cell: string): boolean => cell.charCodeAt(0) === 39 && /^''*[=+\-@\t\r]/.test(cell);
const bare = (cell: string): string => (isDefused(cell) ? cell.slice(1) : cell);

export interface DelimitedText extends Dialect {
  readonly encoding: string;
  /** Written by a program for a program: no quotes were put before what a spreadsheet would run. */
  readonly asWritten?: true;
}

/** A row that goes on for longer than any row does. */
const withoutEnd = (file: string, row: string, open: boolean): Refusal =>
  open
    ? refuse(422, `In ${file}, row ${row} opens a quotation mark that is never closed.`, 'Close it or take it out.')
    : refuse(
        422,
        `In ${file}, row ${row} has more than 24 million characters and no line end.`,
        'Check that this file is a table, and that its rows stand on lines of their own.',
      );

/**
 * Rows of delimited text as its bytes stream by; nothing holds the whole file. Decoded before it is taken apart, so
 * that characters split over pieces stay whole. At the end the line ends of the text, counted by themselves, have to be
 * those that ended rows and those within cells: a row that was lost or made is refused and never passed over.
 */
export async function* delimitedPieces(
  source: AsyncIterable<Buffer>,
  file: string,
  { encoding, asWritten, ...dialect }: DelimitedText,
): AsyncGenerator<Piece, void> {
  yield { kind: 'sheet', name: file.replace(/\.[^.]*$/, '') };
  const decoder = iconv.getDecoder(encoding);
  const reading = new DelimitedRows(dialect);
  const counted = new LineEnds();
  let rows = 0;
  let first = true;
  const rowNumber = () => (rows + 1).toLocaleString('en');
  // Most texts have no single quotes, and then no cell need be looked at for one.
  let quoteWaits = false;
  const given = (found: string[][], quoted: boolean): Piece | null => {
    rows += found.length;
    if (found.length === 0) return null;
    return {
      kind: 'rows',
      rows: quoted && !asWritten ? found.map((row) => (row.some(isDefused) ? row.map(bare) : row)) : found,
    };
  };
  const take = (piece: string): Piece | null => {
    if (piece.includes('\0'))
      throw refuse(
        422,
        `${file} holds a NUL character after row ${rows.toLocaleString('en')}.`,
        'Take it out, or save the file as CSV again.',
      );
    const text = first ? piece.replace(/^\uFEFF/, '').replace(/^sep=.\r?\n/, '') : piece;
    if (piece !== '') first = false;
    counted.take(text);
    // What waited may have one of these quotes as well.
    const found = given(reading.push(text), quoteWaits || text.includes("'"));
    quoteWaits = reading.waiting > 0 && (quoteWaits || text.includes("'"));
    if (reading.waiting > longestRow) throw withoutEnd(file, rowNumber(), reading.open);
    return found;
  };
  for await (const chunk of source) {
    const piece = take(decoder.write(chunk));
    if (piece) yield piece;
  }
  const tail = take(decoder.end() ?? '');
  if (tail) yield tail;
  const rest = given(reading.end(), quoteWaits);
  if (reading.open)
    throw refuse(
      422,
      `${file} is cut off: row ${rows.toLocaleString('en')} opens a quotation mark that is never closed.`,
      'Bring in the whole file.',
    );
  if (rest) yield rest;
  if (counted.end() !== reading.ended + reading.within)
    throw new Error(
      `${file} has ${counted.end()} line ends, of which ${reading.ended} ended rows and ${reading.within} stood within cells`,
    );
}

/** Counts the line ends of a text that comes in pieces; a CRLF may be split over two. */
class LineEnds {
  private count = 0;
  private endsInReturn = false;

  take(text: string): void {
    if (text === '') return;
    this.count += lineEndsIn(text) - (this.endsInReturn && text.startsWith('\n') ? 1 : 0);
    this.endsInReturn = text.endsWith('\r');
  }

  end = (): number => this.count;
}
