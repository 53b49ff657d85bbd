import { stringify } from 'csv-stringify/sync';
import { defused } from '$core/base/defused';
import { streamOf } from '../base/streamOf';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import { asOfNow } from '../database/transaction';
import { cellPages, type Audience, type CellRow, type Selected } from './cells';
import { copiedLines, copiedStatement } from './csvCopied';

/** Rows of text as a file for a spreadsheet, written as they come. */
export function csvFile(name: string, pages: Iterable<string[][]> | AsyncIterable<string[][]>): Response {
  const encoder = new TextEncoder();
  async function* pieces(): AsyncGenerator<Uint8Array, void> {
    yield encoder.encode('\uFEFF');
    for await (const rows of pages)
      yield encoder.encode(
        stringify(
          rows.map((row) => row.map(defused)),
          { record_delimiter: '\r\n' },
        ),
      );
  }
  return new Response(streamOf(pieces()), {
    headers: {
      'content-type': 'text/csv; charset=utf-8',
      'content-disposition': `attachment; filename="${name}.csv"`,
    },
  });
}

/** The number of each record in a file for programs. */
export const recordColumn = '_record';

/**
 * Records as CSV (RFC 4180) in UTF-8. For a spreadsheet with labels, a byte-order mark, and what it would run made
 * harmless; for programs by keys, each cell as it is, with each record's number in a first column. `change` may put
 * other cells in.
 */
export async function* csvPieces(
  connection: Pool | Client,
  access: WorkspaceAccess,
  selected: Selected,
  audience: Audience,
  change?: (page: CellRow[]) => Promise<CellRow[]>,
): AsyncGenerator<Uint8Array, void> {
  const encoder = new TextEncoder();
  const lines = (rows: string[][]) =>
    encoder.encode(stringify(rows, { record_delimiter: '\r\n', quoted_match: /[\r\n]/ }));
  const numbered = audience === 'program';
  const safe = numbered ? (text: string) => text : defused;
  const names = numbered
    ? [recordColumn, ...selected.fields.map(({ key }) => key)]
    : selected.fields.map(({ label }) => label);
  yield encoder.encode(numbered ? '' : '\uFEFF');
  yield lines([names.map(safe)]);
  // What PostgreSQL can write itself it writes; records with their numbers are changed on the way.
  const copied = numbered || change ? null : copiedStatement(access, selected);
  if (copied !== null) return yield* asOfNow(connection, (client) => copiedLines(client, copied));
  for await (const page of cellPages(connection, access, selected))
    yield lines(
      (change ? await change(page) : page).map(({ id, cells }) => [
        ...(numbered ? [String(id)] : []),
        ...cells.map(({ text, number }) => (number === undefined ? safe(text) : text)),
      ]),
    );
}
