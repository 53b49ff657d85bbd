import { stringify } from 'csv-stringify/sync';
import type { Expression } from '$core/formula/expression';
import type { Field, Table } from '$core/model/model';
import { decodeCursor, type SortPart } from '$core/query/query';
import type { Seat } from '../access/seat';
import type { Pool } from '../database/pool';
import { readRecords } from './read';

const pageSize = 2000;

/** A spreadsheet would run a cell that begins so as a formula; a quote before it makes it text. Plain numbers stay. */
export const defused = (text: string): string => (/^[=+\-@\t\r]/.test(text) && !/^[+-]?\d+(\.\d+)?$/.test(text) ? `'${text}` : text);

/** A value as a cell: links by title, the other side of a link as how many. */
function cellOf(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'object') return 'title' in value ? defused(String(value.title)) : 'count' in value ? String(value.count) : '';
  return typeof value === 'number' ? String(value) : defused(String(value));
}

/** Records as CSV (RFC 4180) in UTF-8 with a byte-order mark, page by page, so that any size streams. */
export function exportCsv(
  pool: Pool,
  seat: Seat,
  table: Table,
  fields: readonly Field[],
  filter: Expression | null,
  sort: readonly SortPart[],
): ReadableStream<Uint8Array> {
  const encoder = new TextEncoder();
  const line = (cells: readonly string[][]) => encoder.encode(stringify(cells as string[][], { record_delimiter: '\r\n' }));
  let after: string | null = null;
  let begun = false;
  return new ReadableStream({
    async pull(controller) {
      if (!begun) {
        begun = true;
        controller.enqueue(encoder.encode('\uFEFF'));
        controller.enqueue(line([fields.map(({ label }) => defused(label))]));
      }
      const cursor = after === null ? null : decodeCursor(after, sort.length);
      const page = await readRecords(pool, seat, table, {
        fields: fields.map(({ id }) => id),
        filter,
        sort,
        limit: pageSize,
        after: cursor?.ok ? cursor.value : null,
      });
      if (page.records.length > 0) controller.enqueue(line(page.records.map(({ values }) => fields.map(({ key }) => cellOf(values[key])))));
      after = page.next;
      if (after === null) controller.close();
    },
  });
}
