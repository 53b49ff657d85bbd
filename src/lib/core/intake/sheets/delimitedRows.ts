/** How a delimited text is written. */
export interface Dialect {
  readonly delimiter: string;
  readonly quote: string;
}

/**
 * Takes a delimited text apart into rows while it comes in pieces of any size (RFC 4180, with any delimiter and
 * quotation mark). A row ends at CR, LF or CRLF, whichever stands there, so a text may mix them; within quotation marks
 * they belong to the cell. A quotation mark opens a cell only at its beginning; anywhere else it is a sign like any
 * other.
 */
export class DelimitedRows {
  /** What has come and is no whole row yet. */
  private pending = '';
  /** Line ends that ended a row. */
  ended = 0;
  /** Line ends within cells. */
  within = 0;
  /** The row that is not whole yet stands in a cell that a quotation mark opened. */
  open = false;

  constructor(private readonly dialect: Dialect) {}

  /** In characters: how much waits for its row to end. */
  get waiting(): number {
    return this.pending.length;
  }

  /** The rows that are whole with this piece. */
  push(piece: string): string[][] {
    return this.take(this.pending + piece, false);
  }

  /** The last row, where no line end stands behind it. `open` tells whether its quotation mark was never closed. */
  end(): string[][] {
    return this.pending === '' ? [] : this.take(this.pending, true);
  }

  private take(text: string, last: boolean): string[][] {
    const { delimiter, quote } = this.dialect;
    const rows: string[][] = [];
    const next: Next = {
      delimiter: finder(text, delimiter),
      quote: finder(text, quote),
      lf: finder(text, '\n'),
      cr: finder(text, '\r'),
    };
    let at = 0;
    this.open = false;
    while (at < text.length) {
      const lineEnd = lineEndFrom(at, next);
      // Most rows have no quotation mark, and every delimiter in them ends a cell.
      const plainEnd = lineEnd < 0 ? text.length : lineEnd;
      const marked = next.quote(at);
      if (marked < 0 || marked >= plainEnd) {
        const behind = lineEnd < 0 ? (last ? text.length : -1) : behindLineEnd(text, lineEnd, last);
        if (behind < 0) break;
        const cells: string[] = [];
        for (let end = next.delimiter(at); end >= 0 && end < plainEnd; end = next.delimiter(at)) {
          cells.push(text.slice(at, end));
          at = end + delimiter.length;
        }
        cells.push(text.slice(at, plainEnd));
        rows.push(cells);
        if (lineEnd >= 0) this.ended++;
        at = behind;
        continue;
      }
      const row = this.quotedRow(text, at, last, next);
      if (!row) break;
      rows.push(row.cells);
      if (row.ended) this.ended++;
      at = row.behind;
    }
    this.pending = at === 0 ? text : text.slice(at);
    return rows;
  }

  /** A row with quotation marks in it, or null where it is not whole. */
  private quotedRow(
    text: string,
    from: number,
    last: boolean,
    next: Next,
  ): { cells: string[]; behind: number; ended: boolean } | null {
    const { delimiter, quote } = this.dialect;
    const cells: string[] = [];
    let within = 0;
    let at = from;
    for (;;) {
      let end: number;
      if (text.startsWith(quote, at)) {
        end = this.closing(text, at + 1, last);
        if (end < 0) {
          this.open = true;
          if (!last) return null;
          end = text.length;
        }
        const cell = text.slice(at + 1, end).replaceAll(quote + quote, quote);
        within += lineEndsIn(cell);
        cells.push(cell);
        // Blanks between the mark and what ends the cell are none of its.
        end = this.open ? end : blanksFrom(text, end + 1);
      } else {
        const delimited = next.delimiter(at);
        const lineEnd = lineEndFrom(at, next);
        end = delimited < 0 ? lineEnd : lineEnd < 0 ? delimited : Math.min(delimited, lineEnd);
        if (end < 0) end = text.length;
        cells.push(text.slice(at, end));
      }
      if (end >= text.length) {
        if (!last) return null;
        this.within += within;
        return { cells, behind: text.length, ended: false };
      }
      if (text.startsWith(delimiter, end)) {
        at = end + delimiter.length;
        continue;
      }
      const behind = behindLineEnd(text, end, last);
      if (behind < 0) return null;
      this.within += within;
      return { cells, behind, ended: true };
    }
  }

  /**
   * Where the mark stands that closes a cell; -1 where it is yet to come. A mark that nothing ends behind is part of
   * the text.
   */
  private closing(text: string, from: number, last: boolean): number {
    const { delimiter, quote } = this.dialect;
    for (let at = text.indexOf(quote, from); at >= 0; at = text.indexOf(quote, at)) {
      if (text.startsWith(quote, at + 1)) {
        at += 2;
        continue;
      }
      const behind = blanksFrom(text, at + 1);
      if (behind >= text.length) return last ? at : -1;
      const sign = text[behind];
      if (sign === '\n' || sign === '\r' || text.startsWith(delimiter, behind)) return at;
      at++;
    }
    return -1;
  }
}

/** Where the next of a sign stands from a place on; -1 where none does. */
type Finder = (from: number) => number;
interface Next {
  readonly delimiter: Finder;
  readonly quote: Finder;
  readonly lf: Finder;
  readonly cr: Finder;
}

/** `indexOf` that remembers what it found last, so that a text without the sign is searched once. */
function finder(text: string, sign: string): Finder {
  let found = text.indexOf(sign);
  return (from) => {
    if (found >= 0 && found < from) found = text.indexOf(sign, from);
    return found;
  };
}

function lineEndFrom(from: number, next: Next): number {
  const lf = next.lf(from);
  const cr = next.cr(from);
  return lf < 0 ? cr : cr < 0 ? lf : Math.min(lf, cr);
}

/** Where the row behind a line end begins; -1 where a CR is the last sign so far, as an LF may come. */
function behindLineEnd(text: string, at: number, last: boolean): number {
  if (text[at] !== '\r') return at + 1;
  if (at + 1 >= text.length) return last ? at + 1 : -1;
  return text[at + 1] === '\n' ? at + 2 : at + 1;
}

function blanksFrom(text: string, from: number): number {
  let at = from;
  while (text[at] === ' ') at++;
  return at;
}

/** How many line ends a text has, CRLF counted once. */
export function lineEndsIn(text: string): number {
  let count = 0;
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) count++;
  for (let at = text.indexOf('\r'); at >= 0; at = text.indexOf('\r', at + 1)) if (text[at + 1] !== '\n') count++;
  return count;
}

/** All rows of a whole text. */
export function rowsOfText(text: string, dialect: Dialect): string[][] {
  const rows = new DelimitedRows(dialect);
  return [...rows.push(text), ...rows.end()];
}

/** Delimiters that files are looked through for, the likeliest first. */
const delimiters = [',', ';', '\t', '|'] as const;

/** In characters, and in rows: how much of a text tells its delimiter. */
const looked = { characters: 20_000, rows: 30 };

/**
 * The delimiter of a text: the one that a first line `sep=;` names, or else the one that takes its first rows apart
 * into the most columns that nearly all of them have.
 */
export function delimiterOf(text: string, quote = '"'): string {
  const wished = /^sep=(.)\r?\n/.exec(text)?.[1];
  if (wished && delimiters.some((one) => one === wished)) return wished;
  const start = text.slice(0, looked.characters);
  const scores = delimiters.map((delimiter) => {
    const rows = new DelimitedRows({ delimiter, quote });
    const whole = [...rows.push(start), ...(start.length === text.length ? rows.end() : [])];
    const widths = whole.filter((row) => row.some((cell) => cell.trim() !== '')).slice(0, looked.rows);
    const counts = new Map<number, number>();
    for (const { length } of widths) counts.set(length, (counts.get(length) ?? 0) + 1);
    const [width, times] = [...counts].filter(([of]) => of > 1).sort((a, b) => b[1] - a[1] || b[0] - a[0])[0] ?? [1, 0];
    return { delimiter, width, share: widths.length === 0 ? 0 : times / widths.length };
  });
  const best = scores.reduce((a, b) =>
    b.share > a.share + 0.05 || (Math.abs(b.share - a.share) <= 0.05 && b.width > a.width) ? b : a,
  );
  return best.share > 0 ? best.delimiter : ',';
}
