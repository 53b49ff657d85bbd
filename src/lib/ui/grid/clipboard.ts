import { rowsOfText } from '$core/intake/sheets/delimitedRows';

/**
 * Cells as spreadsheets exchange them: lines of tab-separated texts, quoted where they hold a tab, a line break or a
 * quote.
 */
export const cellsAsText = (rows: readonly (readonly string[])[]): string =>
  rows
    .map((row) => row.map((text) => (/[\t\n\r"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)).join('\t'))
    .join('\r\n');

/** Reads what a spreadsheet, or anything else, put on the clipboard as rows of cells; all rows have as many. */
export function textAsCells(text: string): string[][] {
  if (text === '') return [];
  // A quote in the middle of a cell is a quote; only one that opens a cell wraps it.
  const data = rowsOfText(text.replace(/\r\n?$|\n$/, ''), { delimiter: '\t', quote: '"' });
  const width = data.reduce((most, row) => Math.max(most, row.length), 0);
  return data.map((row) => [...row, ...Array.from({ length: width - row.length }, () => '')]);
}
