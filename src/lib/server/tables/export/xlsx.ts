import { writeXlsxStream } from 'hucre/xlsx';
import { shownType } from '$core/model/shownType';
import type { Seat } from '../../access/seat';
import type { Client, Pool } from '../../database/pool';
import { cellPages, type Cell, type Selected } from './cells';

/** Days before March 1900 are counted wrongly by this format, so they stay texts. */
const firstDay = '1900-03-01';

function valueOf({ text, number, date, yes }: Cell): string | number | boolean | Date | null {
  if (text === '') return null;
  if (date !== undefined && date >= firstDay) return new Date(`${date}T00:00:00Z`);
  return number ?? yes ?? text;
}

/** A sheet's name may hold no such signs and 31 characters at most. */
const sheetName = (label: string): string =>
  label
    .replace(/[[\]:*?/\\]/g, ' ')
    .slice(0, 31)
    .trim() || 'Records';

/** Records as a workbook (ECMA-376) of one sheet, streamed: numbers and days as such, all else as text that no program runs. */
export function xlsxStream(connection: Pool | Client, seat: Seat, selected: Selected): ReadableStream<Uint8Array> {
  async function* rows() {
    yield selected.fields.map(({ label }) => label);
    for await (const page of cellPages(connection, seat, selected)) for (const { cells } of page) yield cells.map(valueOf);
  }
  const columns = selected.fields.map((field) =>
    shownType(seat.workspace.model, field).kind === 'date' ? { numFmt: 'yyyy-mm-dd', width: 12 } : { width: 18 },
  );
  return writeXlsxStream(rows(), { name: sheetName(selected.table.label), columns });
}
