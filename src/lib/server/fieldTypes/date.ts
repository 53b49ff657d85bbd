import type { StoredKind } from './kind';

export const date: StoredKind<'date'> = {
  textSql: (value) => `${value}::text`,
  cellSql: (column) => `${column}::text`,
  cell: (value) => ({ text: String(value), date: String(value) }),
  workbookFormat: () => 'yyyy-mm-dd',
  readSql: (text, _, { dateOrder }, raw) =>
    `case when ${raw} ~ '^[1-9][0-9][0-9][0-9]-(0[1-9]|1[0-2])-(0[1-9]|1[0-9]|2[0-8])$' then ${raw}::date` +
    ` else loom.read_date(${text}, '${dateOrder}') end`,
};
