import { reads, readingsOf } from '../columns/classify';
import { numberIn } from './noRecords';

/** Where a sheet's names stand and what they are. */
export interface Heading {
  /** Rows before the names. */
  readonly preamble: number;
  /** Rows that the names go over; 0 where there are none, 2 where groups stand above them. */
  readonly rows: number;
  /** One for each column, all different. */
  readonly names: readonly string[];
}

const typed = reads.numberPoint | reads.numberComma | reads.ymd | reads.dmy | reads.mdy;
/** A year or a number is a possible name of a column; a day or a decimal is a value. */
export const isValue = (text: string): boolean => (readingsOf(text) & typed) !== 0 && !/^\d{1,4}$/.test(text);
const filledIn = (row: readonly string[]): number => row.reduce((sum, cell) => sum + (cell.trim() === '' ? 0 : 1), 0);

/** How many columns most of the rows fill. */
function usualWidth(rows: readonly (readonly string[])[]): number {
  const counts = new Map<number, number>();
  for (const row of rows) counts.set(filledIn(row), (counts.get(filledIn(row)) ?? 0) + 1);
  const [width = 0] = [...counts]
    .filter(([filled]) => filled > 0)
    .reduce((best, one) => (one[1] > best[1] || (one[1] === best[1] && one[0] > best[0]) ? one : best), [0, 0]);
  return width;
}

/** Whether a row reads as names: texts, hardly two alike, and not found again among the values below. */
export function readsAsNames(row: readonly string[], below: readonly (readonly string[])[]): boolean {
  const cells = row.map((cell) => cell.trim()).filter((cell) => cell !== '');
  if (cells.length === 0 || cells.some(isValue)) return false;
  if (new Set(cells.map((cell) => cell.toLowerCase())).size < cells.length * 0.6) return false;
  const years = cells.filter((cell) => /^\d+$/.test(cell)).length;
  if (years > 0 && years === cells.length && below.some((other) => other.some((cell) => /^\d+$/.test(cell.trim()))))
    return false;
  // The whole row once more is the names once more, as on every printed page.
  const plain = (cell = '') => cell.trim().toLowerCase();
  const isAgain = (other: readonly string[]) => row.every((cell, at) => plain(other[at]) === plain(cell));
  const others = cells.length > 1 ? below.filter((other) => !isAgain(other)) : below;
  const again = row.filter(
    (cell, column) => cell.trim() !== '' && others.some((other) => (other[column] ?? '').trim() === cell.trim()),
  ).length;
  return again <= cells.length / 3;
}

/**
 * Finds the names of the columns among a sheet's first rows: behind titles and remarks, which fill few cells, and under
 * groups, which name several columns at once. `wish` says what a person knows better.
 */
export function headingOf(
  rows: readonly (readonly string[])[],
  wish: { readonly preamble?: number; readonly rows?: number } = {},
): Heading {
  const width = usualWidth(rows.slice(0, 100));
  const found = wish.preamble ?? firstTableRow(rows, width);
  const first = rows[found] ?? [];
  const second = rows[found + 1] ?? [];
  const below = rows.slice(found + 1);
  let header = wish.rows ?? (readsAsNames(first, below) ? 1 : 0);
  const grouped =
    header === 1 &&
    wish.rows === undefined &&
    filledIn(first) >= 2 &&
    filledIn(first) < Math.max(filledIn(second), width) &&
    filledIn(second) >= width * 0.6 &&
    readsAsNames(second, rows.slice(found + 2)) &&
    rows.slice(found + 2, found + 30).some((row) => row.some(isValue));
  if (grouped || (header === 1 && wish.rows === undefined && areUnits(second, first, rows.slice(found + 2))))
    header = 2;
  const columns = columnCount(rows.slice(found, found + header), rows.slice(found + header, found + 100));
  return { preamble: found, rows: header, names: columnNames(namesIn(rows.slice(found, found + header), columns)) };
}

/** What a number is counted in: `kg`, `°C`, `km/h`, `m²`, `[EUR]`. */
const unit = /^[[(]?(?:%|‰|°[A-Z]?|[\p{L}µ€$£¥]{1,8}[²³\d]?(?:[/·*][\p{L}µ]{1,8}[²³\d]?)?)[\])]?$/u;

/** Whether a row below the names says what the numbers below it are counted in, and nothing of columns of words. */
function areUnits(row: readonly string[], names: readonly string[], below: readonly (readonly string[])[]): boolean {
  const filled = row.flatMap((cell, column) => (cell.trim() === '' ? [] : [{ text: cell.trim(), column }]));
  if (filled.length < 2 || below.length < 2 || filled.length === filledIn(names)) return false;
  return filled.every(({ text, column }) => {
    const cells = below.map((other) => (other[column] ?? '').trim()).filter((cell) => cell !== '');
    const numbers = cells.filter((cell) => numberIn(cell) !== null);
    return unit.test(text) && (names[column] ?? '').trim() !== '' && numbers.length > cells.length * 0.7;
  });
}

/**
 * As many columns as have names; more only where many rows go on beyond them, as one longer row is one with a delimiter
 * too many.
 */
function columnCount(header: readonly (readonly string[])[], below: readonly (readonly string[])[]): number {
  const named = Math.max(0, ...header.map(lastFilled));
  const widths = below.map(lastFilled);
  const longer = widths.filter((width) => width > named);
  return named === 0 || (longer.length > 1 && longer.length > below.length * 0.1) ? Math.max(named, ...widths) : named;
}

const lastFilled = (row: readonly string[]): number => {
  let end = row.length;
  while (end > 0 && (row[end - 1] ?? '').trim() === '') end--;
  return end;
};

/** The first row that fills about as many cells as the table does; titles and remarks above fill one or two. */
function firstTableRow(rows: readonly (readonly string[])[], width: number): number {
  if (width <= 1)
    return Math.max(
      0,
      rows.findIndex((row) => filledIn(row) > 0),
    );
  const at = rows.findIndex((row, index) => {
    const filled = filledIn(row);
    if (filled < 2) return false;
    // A row of groups stands right above one of names.
    return (
      filled >= width * 0.6 ||
      (filled >= 2 &&
        filledIn(rows[index + 1] ?? []) >= width * 0.6 &&
        readsAsNames(rows[index + 1] ?? [], rows.slice(index + 2)) &&
        isSpaced(row))
    );
  });
  return Math.max(0, at);
}

/** Whether names stand with gaps between them, as over merged cells. */
const isSpaced = (row: readonly string[]): boolean => {
  const end = lastFilled(row);
  return row.slice(0, end).some((cell) => cell.trim() === '');
};

/** The names over one or several rows; a group goes on to the right until the next one. */
function namesIn(header: readonly (readonly string[])[], columns: number): string[] {
  if (header.length <= 1) return Array.from({ length: columns }, (_, column) => (header[0]?.[column] ?? '').trim());
  const upper = header.slice(0, -1).map((row) => {
    let group = '';
    return Array.from({ length: columns }, (_, column) => (group = (row[column] ?? '').trim() || group));
  });
  const lower = header.at(-1) ?? [];
  return Array.from({ length: columns }, (_, column) => {
    const own = (lower[column] ?? '').trim();
    // A name that goes over both rows stands in the upper one alone.
    const groups = upper.map((row) => row[column] ?? '');
    return [...groups, own].filter((part, index, all) => part !== '' && all.indexOf(part) === index).join(' ');
  });
}

/** Names that are all different; one that is missing says its place. */
function columnNames(written: readonly string[]): string[] {
  const taken = new Set<string>();
  return written.map((name, index) => {
    const base = name.replace(/\s+/g, ' ').trim() || `Column ${index + 1}`;
    let own = base;
    for (let n = 2; taken.has(own.toLowerCase()); n++) own = `${base} ${n}`;
    taken.add(own.toLowerCase());
    return own;
  });
}
