import { stringify } from 'csv-stringify/sync';
import type { Seat } from '../../access/seat';
import type { Client, Pool } from '../../database/pool';
import { asOfNow } from '../../database/transaction';
import { cellPages, type CellRow, type Selected } from './cells';
import { copiedLines, copiedStatement } from './csvCopied';

/**
 * A spreadsheet would run a cell that begins so as a formula; a quote before it makes it text, and our own reading takes that
 * quote away again. Plain numbers stay.
 */
export const defused = (text: string): string => (/^'*[=+\-@\t\r]/.test(text) && !/^[+-]?\d+(\.\d+)?$/.test(text) ? `'${text}` : text);

/**
 * Records as CSV (RFC 4180) in UTF-8, for people with labels and a byte-order mark; for programs, with `numbered`, by keys, each
 * record's number in a first column of that name. `change` may put other cells in.
 */
export async function* csvPieces(
  connection: Pool | Client,
  seat: Seat,
  selected: Selected,
  numbered?: string,
  change: (page: CellRow[]) => Promise<CellRow[]> = (page) => Promise.resolve(page),
): AsyncGenerator<Uint8Array, void> {
  const encoder = new TextEncoder();
  const lines = (rows: string[][]) => encoder.encode(stringify(rows, { record_delimiter: '\r\n', quoted_match: /[\r\n]/ }));
  const names = numbered === undefined ? selected.fields.map(({ label }) => label) : [numbered, ...selected.fields.map(({ key }) => key)];
  yield encoder.encode(numbered === undefined ? '\uFEFF' : '');
  yield lines([names.map(defused)]);
  // What PostgreSQL can write itself it writes; records with their numbers are changed on the way.
  const copied = numbered === undefined ? copiedStatement(seat, selected) : null;
  if (copied !== null) return yield* asOfNow(connection, (client) => copiedLines(client, copied));
  for await (const page of cellPages(connection, seat, selected))
    yield lines(
      (await change(page)).map(({ id, cells }) => [
        ...(numbered === undefined ? [] : [String(id)]),
        ...cells.map(({ text, number }) => (number === undefined ? defused(text) : text)),
      ]),
    );
}
