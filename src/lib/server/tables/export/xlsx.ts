import { writeXlsxStream } from 'hucre/xlsx';
import type { Field, FieldType } from '$core/model/model';
import { shownType } from '$core/model/shownType';
import { instantOf, localTime } from '$core/values/dateTime';
import { currencies } from '$core/values/money';
import { homeOf, type Seat } from '../../access/seat';
import type { Client, Pool } from '../../database/pool';
import { cellPages, type Cell, type Selected } from './cells';

/** Days before March 1900 are counted wrongly by this format, so they stay texts. */
const firstDay = '1900-03-01';

/** A text as this format holds it: signs that XML has not, and what looks like one of them, are written out (ECMA-376 part 1, 22.9.2.19). */
const written = (text: string): string =>
  text
    .replace(/_(?=x[0-9A-Fa-f]{4}_)/g, '_x005F_')
    // eslint-disable-next-line no-control-regex
    .replace(/[\u0000-\u0008\u000B-\u001F\uFFFE\uFFFF]/g, (sign) => `_x${sign.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`);

/** An instant as day and time on the workspace's clocks; null where these do not tell it, as in the hour that comes twice. */
function onClocks(instant: string, zone: string): Date | null {
  const { day, time } = localTime(instant, zone);
  const local = `${day}T${time}`;
  return day >= firstDay && day.length === 10 && instantOf(local, zone) === instant ? new Date(`${local}Z`) : null;
}

function valueOf({ text, number, share, date, instant, yes }: Cell, zone: string): string | number | boolean | Date | null {
  if (text === '') return null;
  if (date !== undefined && date >= firstDay) return new Date(`${date}T00:00:00Z`);
  if (instant !== undefined) return onClocks(instant, zone) ?? text;
  return number ?? share ?? yes ?? written(text);
}

/** How a column's values are shown; a text for what is shown as it is. */
function formatOf(type: FieldType): string | undefined {
  const decimals = (digits: number) => (digits > 0 ? `.${'0'.repeat(digits)}` : '');
  switch (type.kind) {
    case 'date':
      return 'yyyy-mm-dd';
    case 'dateTime':
    case 'createdAt':
    case 'changedAt':
      return 'yyyy-mm-dd hh:mm:ss';
    case 'percent':
      return `0${decimals(type.digits ?? 1)}%`;
    case 'progress':
      return '0%';
    case 'money':
      return type.currency === null ? undefined : `#,##0${decimals(type.digits)}\\ [$${type.currency}]`;
    case 'number': {
      // A unit that is the name of a currency would make an amount of it.
      const unit = type.unit && !(type.unit in currencies) ? `"\u00A0${type.unit.replaceAll('"', '')}"` : '';
      return type.digits === null && unit === '' ? undefined : `#,##0${type.digits === null ? '.##########' : decimals(type.digits)}${unit}`;
    }
    default:
      return undefined;
  }
}

const widths: Partial<Record<FieldType['kind'], number>> = { longText: 48, text: 24, link: 24, place: 28, url: 32, email: 28, dateTime: 20, yesNo: 8 };

/** Widths in characters: of the label with the arrow for filters, or of what the kind mostly takes. */
function columnOf(type: FieldType, { label }: Field) {
  const format = formatOf(type);
  return { width: Math.min(60, Math.max(label.length + 4, widths[type.kind] ?? 13)), ...(format === undefined ? {} : { numFmt: format }) };
}

/** A sheet's name may hold no such signs and 31 characters at most. */
const sheetName = (label: string): string =>
  label
    .replace(/[[\]:*?/\\]/g, ' ')
    .slice(0, 31)
    .trim() || 'Records';

/**
 * Records as a workbook (ECMA-376) of one sheet, streamed: numbers, shares, amounts, days and instants as such in the format of
 * their field, all else as text that no program runs. The names of the columns stay in sight.
 */
export function xlsxStream(connection: Pool | Client, seat: Seat, selected: Selected): ReadableStream<Uint8Array> {
  const { zone } = homeOf(seat.workspace, selected.table);
  async function* rows() {
    yield selected.fields.map(({ label }) => written(label));
    for await (const page of cellPages(connection, seat, selected)) for (const { cells } of page) yield cells.map((cell) => valueOf(cell, zone));
  }
  const columns = selected.fields.map((field) => columnOf(shownType(seat.workspace.model, field), field));
  return writeXlsxStream(rows(), { name: sheetName(selected.table.label), columns, freezePane: { rows: 1 } });
}
