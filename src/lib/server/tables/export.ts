import { stringify } from 'csv-stringify/sync';
import type { Expression } from '$core/formula/expression';
import { type Field, type FieldType, type Table } from '$core/model/model';
import { shownType } from '$core/model/shownType';
import { wordsOf } from '$core/values/json';
import { printPercent } from '$core/values/percent';
import { decodeCursor, type SortPart } from '$core/query/query';
import type { Seat } from '../access/seat';
import type { Pool } from '../database/pool';
import { readRecords } from './read';

const pageSize = 2000;

/** A spreadsheet would run a cell that begins so as a formula; a quote before it makes it text. Plain numbers stay. */
export const defused = (text: string): string => (/^[=+\-@\t\r]/.test(text) && !/^[+-]?\d+(\.\d+)?$/.test(text) ? `'${text}` : text);

/** A value as a cell that can be read again: links by title, the other side of a link as how many, shares with their sign. */
function cellOf(type: FieldType, value: unknown): string {
  if ((type.kind === 'percent' || type.kind === 'progress') && value !== null) return printPercent(String(value), null);
  return typeof value === 'number' ? String(value) : defused(wordsOf(value));
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
      if (page.records.length > 0)
        controller.enqueue(line(page.records.map(({ values }) => fields.map((field) => cellOf(shownType(seat.workspace.model, field), values[field.key])))));
      after = page.next;
      if (after === null) controller.close();
    },
  });
}
