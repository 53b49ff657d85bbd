import { Parser } from 'htmlparser2';
import { blankRows, type Piece } from './piece';

/** The rows of the tables in HTML, as a clipboard holds them; cells that span others leave those blank. */
export function* htmlPieces(html: string, name: string): Generator<Piece, void> {
  const tables: string[][][] = [];
  let row: string[] | null = null;
  let cell: string | null = null;
  let span = 1;
  let blank = 0;
  const endCell = () => {
    if (row && cell !== null) row.push(cell.replace(/\s+/g, ' ').trim(), ...Array.from({ length: span - 1 }, () => ''));
    cell = null;
  };
  const endRow = () => {
    endCell();
    if (row && row.some((one) => one !== '')) {
      const rows = tables.at(-1);
      rows?.push(...(rows.length > 0 ? blankRows(blank) : []), row);
      blank = 0;
    } else if (row) blank++;
    row = null;
  };
  const parser = new Parser({
    onopentag(tag, attributes) {
      if (tag === 'table') {
        tables.push([]);
        blank = 0;
      } else if (tag === 'tr') {
        endRow();
        if (tables.length === 0) tables.push([]);
        row = [];
      } else if ((tag === 'td' || tag === 'th') && row) {
        endCell();
        cell = '';
        span = Math.min(1000, Math.max(1, Number(attributes.colspan ?? 1) || 1));
      } else if (tag === 'br' && cell !== null) cell += ' ';
    },
    ontext(text) {
      if (cell !== null) cell += text;
    },
    onclosetag(tag) {
      if (tag === 'td' || tag === 'th') endCell();
      else if (tag === 'tr' || tag === 'table') endRow();
    },
  });
  parser.write(html);
  parser.end();
  const filled = tables.filter((rows) => rows.length > 0);
  for (const [index, rows] of filled.entries()) {
    yield { kind: 'sheet', name: filled.length > 1 ? `${name} ${index + 1}` : name };
    yield { kind: 'rows', rows };
  }
}
