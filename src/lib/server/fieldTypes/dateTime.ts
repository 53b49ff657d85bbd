import { quoteText } from '$core/base/sql';
import type { StoredKind } from './kind';

/** An instant on the clocks of a zone. */
export const instantText = (value: string, _: unknown, zone: string): string =>
  `loom.instant_text(${value}, ${quoteText(zone)})`;

export const instantFormat = 'yyyy-mm-dd hh:mm:ss';

export const dateTime: StoredKind<'dateTime'> = {
  textSql: instantText,
  cellSql: (column) => `to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`,
  cell: (value) => ({ text: String(value), instant: String(value) }),
  workbookFormat: () => instantFormat,
  workbookWidth: 20,
  readSql: (text, _, { dateOrder, zone = 'UTC' }) => `loom.read_instant(${text}, '${dateOrder}', ${quoteText(zone)})`,
};
