import { isValue, readsAsNames } from './heading';
import { numberIn } from './noRecords';

type Rows = readonly (readonly string[])[];

/** A table of several that stand in one sheet. */
export interface TableApart {
  /** What stands above its names, where that reads as a title. */
  readonly title: string | null;
  readonly rows: Rows;
}

/** So much of a column has to be values for its name to stand out. */
const leastValues = 0.6;
const longestTitle = 80;

const textAt = (row: readonly string[] | undefined, column: number): string => (row?.[column] ?? '').trim();
const isBlank = (row: readonly string[]): boolean => row.every((cell) => cell.trim() === '');
const filledIn = (row: readonly string[]): string[] => row.map((cell) => cell.trim()).filter((cell) => cell !== '');
const isNumberOrDay = (text: string): boolean => isValue(text) || numberIn(text) !== null;

/**
 * The tables that stand in one sheet, one below the other with blank rows between, or side by side with a blank column
 * between; one where there is but one. A block begins a table only where a row of names stands over values: what goes on
 * behind a blank row, a note or the names once more do not.
 */
export function tablesApart(rows: Rows): TableApart[] {
  const below = apartBelow(rows);
  const all = below.flatMap((part) => apartBeside(part).map((own) => ({ title: titleOf(own), rows: own })));
  return all.length > 1 ? all : [{ title: null, rows }];
}

/** Rows from where each table begins to where the next one does. */
function apartBelow(rows: Rows): Rows[] {
  const starts: number[] = [];
  let before: string | null = null;
  for (let at = 0; at < rows.length; at++) {
    const begins = at === 0 || isBlank(rows[at - 1] ?? []);
    if (!begins || isBlank(rows[at] ?? [])) continue;
    const end = endOf(rows, at);
    const names = namesOver(rows.slice(at, end));
    if (names === null || names === before) continue;
    starts.push(at);
    before = names;
  }
  const [, ...others] = starts;
  return [0, ...others].map((start, index) => rows.slice(start, others[index] ?? rows.length));
}

const endOf = (rows: Rows, from: number): number => {
  let end = from;
  while (end < rows.length && !isBlank(rows[end] ?? [])) end++;
  return end;
};

/** The names that a block of rows begins with, behind a title, where they stand over values; null where it has none. */
function namesOver(block: Rows): string | null {
  const first = block.findIndex((row) => filledIn(row).length > 1);
  const [names, ...body] = first < 0 ? [] : block.slice(first);
  if (!names || first > 3) return null;
  // Names beside their values, line for line, are no table of two columns.
  const least = filledIn(names).length > 2 ? 2 : 4;
  if (body.length < least || !readsAsNames(names, body)) return null;
  const standsOut = names.some((name, column) => {
    const cells = body.map((row) => textAt(row, column)).filter((text) => text !== '');
    const values = cells.filter(isNumberOrDay).length;
    return name.trim() !== '' && !isNumberOrDay(name.trim()) && values > 0 && values >= cells.length * leastValues;
  });
  return standsOut ? filledIn(names).join('\n').toLowerCase() : null;
}

/** The same rows in two parts where a blank column keeps two tables apart that end at different rows. */
function apartBeside(rows: Rows): Rows[] {
  const width = Math.max(0, ...rows.map((row) => row.length));
  for (let gap = 1; gap < width - 1; gap++) {
    if (rows.some((row) => textAt(row, gap) !== '')) continue;
    const [left, right] = [rows.map((row) => row.slice(0, gap)), rows.map((row) => row.slice(gap + 1))];
    const [own, other] = [left, right].map((part) => part.filter((row) => !isBlank(row)));
    if (!own || !other || own.length === other.length || [own, other].some((part) => namesOver(part) === null))
      continue;
    if (![left, right].every((part) => part.some((row) => filledIn(row).length > 1))) continue;
    return [left, ...apartBeside(right)];
  }
  return [rows];
}

/** A single cell above the names. */
function titleOf(rows: Rows): string | null {
  const filled = rows.filter((row) => !isBlank(row));
  const [only, ...others] = filledIn(filled[0] ?? []);
  return only !== undefined && others.length === 0 && only.length <= longestTitle && /\p{L}/u.test(only) ? only : null;
}
