import Papa from 'papaparse';
import iconv from 'iconv-lite';
import { refuse } from '../../refusal';
import type { Piece } from './piece';

/** Text without a complete row beyond this many characters means a quotation mark that is never closed. */
const longestRow = 24_000_000;
export const delimiterWords: Readonly<Record<string, string>> = { ',': 'comma', ';': 'semicolon', '\t': 'tab', '|': 'bar' };

/** The parser's own class parses a piece of text and says where its last, perhaps unfinished row begins. */
const RowParser = Papa.Parser as unknown as new (config: { delimiter: string; newline: string; quoteChar: string }) => {
  parse(text: string, base: number, ignoreLastRow: boolean): Papa.ParseResult<string[]>;
};

/** A text that an export put a quote before, so that no spreadsheet runs it as a formula. */
const isDefused = (cell: string): boolean => cell.charCodeAt(0) === 39 && /^''*[=+\-@\t\r]/.test(cell);

const newlineOf = (text: string): string => (text.includes('\r\n') ? '\r\n' : text.includes('\n') ? '\n' : '\r');

export function guessDelimiter(text: string): string {
  const wished = /^sep=(.)\r?\n/.exec(text)?.[1];
  if (wished && delimiterWords[wished]) return wished;
  const found = Papa.parse(text.slice(0, 20_000), { preview: 20, skipEmptyLines: true, delimitersToGuess: Object.keys(delimiterWords) }).meta.delimiter;
  return delimiterWords[found] ? found : ',';
}

export interface DelimitedText {
  readonly encoding: string;
  readonly delimiter: string;
  readonly quote: string;
}

/**
 * Rows of delimited text (RFC 4180, with any delimiter and quotation mark) as its bytes stream by; nothing holds the whole
 * file. Decoded before it is taken apart, so that characters split over pieces stay whole.
 */
export async function* delimitedPieces(
  source: AsyncIterable<Buffer>,
  file: string,
  { encoding, delimiter, quote }: DelimitedText,
): AsyncGenerator<Piece, void> {
  yield { kind: 'sheet', name: file.replace(/\.[^.]*$/, '') };
  const decoder = iconv.getDecoder(encoding);
  let pending = '';
  let rows = 0;
  let first = true;
  const take = (last: boolean): Piece | null => {
    if (pending === '') return null;
    // Most texts have none of these quotes, and then no cell need be looked at.
    const quoted = pending.includes("'");
    const { data, errors, meta } = new RowParser({ delimiter, newline: newlineOf(pending), quoteChar: quote }).parse(pending, 0, !last);
    if (last && errors.some(({ code }) => code === 'MissingQuotes')) {
      throw refuse(422, `${file} is cut off: row ${(rows + 1).toLocaleString('en')} opens a quotation mark that is never closed.`, 'Bring in the whole file.');
    }
    pending = last ? '' : pending.slice(meta.cursor);
    rows += data.length;
    if (data.length === 0) return null;
    return { kind: 'rows', rows: quoted ? data.map((row) => (row.some(isDefused) ? row.map((cell) => (isDefused(cell) ? cell.slice(1) : cell)) : row)) : data };
  };
  for await (const chunk of source) {
    const piece = decoder.write(chunk);
    pending += first ? piece.replace(/^\uFEFF/, '').replace(/^sep=.\r?\n/, '') : piece;
    if (piece !== '') first = false;
    if (piece.includes('\0'))
      throw refuse(422, `${file} holds a NUL character after row ${rows.toLocaleString('en')}.`, 'Take it out, or save the file as CSV again.');
    const given = take(false);
    if (given) yield given;
    if (pending.length > longestRow)
      throw refuse(422, `In ${file}, row ${(rows + 1).toLocaleString('en')} opens a quotation mark that is never closed.`, 'Close it or take it out.');
  }
  pending += decoder.end() ?? '';
  const rest = take(true);
  if (rest) yield rest;
}
