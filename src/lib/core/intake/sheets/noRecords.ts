import { readNumber } from '../../fieldTypes/number';

/** A row below the names that is no record. */
export interface NoRecord {
  /** Its place among the rows that were looked at. */
  readonly at: number;
  readonly why: string;
}

/** What is known of the rows that went by before those that are looked at. */
export interface Before {
  readonly rows: number;
  /** Sums of the columns. */
  readonly sums: readonly number[];
}

/** Words for the sum of what stands above or before. */
export const totalWords =
  /^(?:(?:grand|sub)[ -]?)?totals?\b|\btotals?:?$|^(?:sum|summe|gesamt(?:summe)?|zwischensumme|insgesamt|somme|suma|somma|totaal|totale|celkem|razem|összesen|i alt|yhteensä|всего|итого|合計)\b/i;
/** Words for the mean of what stands above or before. */
export const meanWords = /^(?:average|mean|avg|durchschnitt|mittelwert|moyenne|media|promedio|gemiddeld\w*|ø)\b/i;
/** A row of so many columns that fills but one of them says something of the table. */
const leastColumns = 3;

const trimmed = (row: readonly string[], column: number): string => (row[column] ?? '').trim();

/** Written as a program writes numbers. */
const plain = /^-?\d{1,15}(?:\.\d{1,15})?$/;

/** A cell as a number, in whichever of the two ways it is written; null where it is none. */
export function numberIn(text: string): number | null {
  if (plain.test(text)) return Number(text);
  if (!/^[(+\-−]?[\d.,]/.test(text)) return null;
  for (const decimal of ['.', ','] as const) {
    const read = readNumber(text, null, { decimal });
    if (read.ok) return Number(read.value);
  }
  return null;
}

/** Sums as sheets show them are rounded. */
export const isAbout = (a: number, b: number): boolean => Math.abs(a - b) <= Math.max(0.0051, Math.abs(b) * 0.001);

/**
 * Rows that are no records: totals and subtotals, found by their words or by what they add up to; the names of the
 * columns once more; notes under the table. `isEnd`: nothing comes after these rows.
 */
export function noRecords(
  names: readonly string[],
  rows: readonly (readonly string[])[],
  isEnd: boolean,
  before: Before = { rows: 0, sums: [] },
): NoRecord[] {
  const found = new Map<number, string>();
  const numeric = numericColumns(names, rows);
  const all = names.map((_, column) => before.sums[column] ?? 0);
  let since = names.map(() => 0);
  let [count, sinceCount] = [before.rows, 0];
  const last = isEnd ? lastOfTable(rows) : -1;
  for (const [at, row] of rows.entries()) {
    const why = namesAgain(names, row) ?? totalOf(row, numeric, { all, since, count, sinceCount }, at === last);
    if (why !== null) {
      found.set(at, why);
      since = names.map(() => 0);
      sinceCount = 0;
      continue;
    }
    count++;
    sinceCount++;
    for (const column of numeric) {
      const number = numberIn(trimmed(row, column)) ?? 0;
      all[column] = (all[column] ?? 0) + number;
      since[column] = (since[column] ?? 0) + number;
    }
  }
  if (isEnd) for (const [at, why] of notesUnder(names, rows, found)) found.set(at, why);
  return [...found].map(([at, why]) => ({ at, why })).sort((a, b) => a.at - b.at);
}

/** Columns in which most filled cells are numbers. */
function numericColumns(names: readonly string[], rows: readonly (readonly string[])[]): number[] {
  return names.flatMap((_, column) => {
    const filled = rows.map((row) => trimmed(row, column)).filter((text) => text !== '');
    return filled.length > 0 && filled.filter((text) => numberIn(text) !== null).length >= filled.length * 0.7
      ? [column]
      : [];
  });
}

function namesAgain(names: readonly string[], row: readonly string[]): string | null {
  const filled = names.flatMap((name, column) => (trimmed(row, column) === '' ? [] : [[name, trimmed(row, column)]]));
  const same = filled.filter(([name = '', text = '']) => name.toLowerCase() === text.toLowerCase());
  return same.length >= 2 && same.length === filled.length ? 'the names of the columns again' : null;
}

interface Sums {
  readonly all: readonly number[];
  /** Since the last row that was a total. */
  readonly since: readonly number[];
  readonly count: number;
  readonly sinceCount: number;
}

/** The last row but for notes below it. */
function lastOfTable(rows: readonly (readonly string[])[]): number {
  let at = rows.length - 1;
  while (at > 0 && (rows[at] ?? []).filter((cell) => cell.trim() !== '').length <= 1) at--;
  return at;
}

/** `isLast`: it ends the table, where a total may be called anything. */
function totalOf(
  row: readonly string[],
  numeric: readonly number[],
  { all, since, count, sinceCount }: Sums,
  isLast: boolean,
) {
  // The word may stand in a column of numbers, such as that of the keys.
  const words = row.flatMap((cell, column) =>
    cell.trim() !== '' && !(numeric.includes(column) && numberIn(cell.trim()) !== null) ? [cell.trim()] : [],
  );
  const [label = ''] = words;
  const isCalled = totalWords.test(label);
  const isMean = meanWords.test(label);
  // A row that says what it is of is a record; of the last one it is asked whether all of it adds up.
  if (count < 2 || (!isCalled && !isMean && words.length > (isLast && count > 3 ? 1 : 0))) return null;
  const numbers = numeric.flatMap((column) => {
    const number = numberIn(trimmed(row, column));
    return number === null ? [] : [{ column, number }];
  });
  const matching = (sums: readonly number[], of: number) =>
    numbers.filter(({ column, number }) => number !== 0 && isAbout(number, (sums[column] ?? 0) / of)).length;
  if (isMean) return matching(all, count) > 0 ? `“${label}”: the mean of the ${count} rows above` : null;
  const [whole, part] = [matching(all, 1), matching(since, 1)];
  const most = Math.max(whole, part);
  const rows = part > whole || (part === whole && sinceCount < count) ? sinceCount : count;
  const adds = `the sum of the ${rows} rows above in ${most} of ${numbers.length} columns`;
  // Without a word for it, everything has to add up, and be something.
  if (!isCalled) {
    const isAll = numbers.length >= 2 && most === numbers.length && rows >= 3;
    return isAll ? (label === '' ? adds : `“${label}”: ${adds}`) : null;
  }
  if (most > 0) return `“${label}”: ${adds}`;
  return words.length === 1 && numbers.length > 0 ? `“${label}”, though it is not the sum of the rows above` : null;
}

/** Rows at the end that fill one column of many. */
function* notesUnder(
  names: readonly string[],
  rows: readonly (readonly string[])[],
  found: ReadonlyMap<number, string>,
): Generator<readonly [number, string]> {
  if (names.length < leastColumns) return;
  const widths = rows.map((row) => row.filter((cell) => cell.trim() !== '').length).sort((a, b) => a - b);
  const usual = widths[widths.length >> 1] ?? 0;
  if (usual < leastColumns) return;
  for (let at = rows.length - 1; at >= 0; at--) {
    if (found.has(at)) continue;
    const cells = (rows[at] ?? []).map((cell) => cell.trim()).filter((cell) => cell !== '');
    const [only = ''] = cells;
    if (cells.length !== 1 || numberIn(only) !== null || !/\p{L}/u.test(only)) return;
    yield [at, 'a note under the table'];
  }
}
