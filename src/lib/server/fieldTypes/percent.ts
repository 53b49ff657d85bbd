import { printPercent } from '$core/fieldTypes/percent';
import type { Cell, StoredKind } from './kind';
import { decimals, wholeTo } from './numbers';

/** A fraction as hundredths with their sign, in SQL and as a cell. */
export const shareText = (value: string): string => `trim_scale(${value} * 100)::text || ' %'`;

export const shareCell = (value: unknown): Cell => ({
  text: printPercent(String(value), null),
  ...(typeof value === 'number' ? { share: value } : {}),
});

export const percent: StoredKind<'percent'> = {
  textSql: shareText,
  cellSql: shareText,
  cell: shareCell,
  workbookFormat: ({ digits }) => `0${decimals(digits ?? 1)}%`,
  readSql: (text, { digits }, { decimal }) => {
    const hundredths = `loom.read_number(regexp_replace(${text}, '[ \\t]*%$', ''), '${decimal}')`;
    return `trim_scale(${wholeTo(hundredths, digits ?? 28)} * 0.01)`;
  },
  within: (value, { digits }) => (digits === null ? value : wholeTo(value, digits + 2)),
  fromJson: ({ digits }) => ({ digits: digits ?? null }),
};
