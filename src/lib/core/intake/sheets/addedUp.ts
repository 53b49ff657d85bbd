import { isAbout, meanWords, numberIn, totalWords } from './noRecords';

/** A column that only adds others up. */
export interface TotalColumn {
  readonly column: number;
  /** What it is the sum of, or the mean. */
  readonly of: readonly number[];
  readonly is: 'sum' | 'mean';
}

type Rows = readonly (readonly string[])[];

/** Of so many rows totals are told; so many of them may say something else by mistake. */
const leastRows = 2;
const mostMissed = 0.04;
/** Fewer columns and their sum are measures of their own, such as net, tax and freight; and more rows are needed. */
const leastParts = 5;
const leastRowsOfParts = 5;

const numberOf = (row: readonly string[], column: number): number | null => numberIn((row[column] ?? '').trim());

/** Whether a row's cell there is another number than the columns of the total give. */
export function missesTotal({ column, of, is }: TotalColumn, row: readonly string[]): boolean {
  const number = numberOf(row, column);
  const sum = of.reduce((all, one) => all + (numberOf(row, one) ?? 0), 0);
  return number !== null && !isAbout(number, is === 'sum' ? sum : sum / of.length);
}

/** Whether it is what the others give on nearly all rows, and something at all. */
function holds(total: TotalColumn, rows: Rows, least: number): boolean {
  const numbers = rows.filter((row) => numberOf(row, total.column) !== null);
  return (
    numbers.length >= least &&
    numbers.some((row) => numberOf(row, total.column) !== 0) &&
    numbers.filter((row) => missesTotal(total, row)).length <= numbers.length * mostMissed
  );
}

/** Columns that add up all of these, or those since the last such column; or are their mean. */
export function totalsOf(names: readonly string[], rows: Rows, turned: readonly number[]): TotalColumn[] {
  const found: TotalColumn[] = [];
  let since: number[] = [];
  for (const [column, name] of names.entries()) {
    if (turned.includes(column)) {
      since.push(column);
      continue;
    }
    const ways: TotalColumn[] = [
      ...(since.length > 1 && since.length < turned.length ? [{ column, of: since, is: 'sum' as const }] : []),
      { column, of: turned, is: meanWords.test(name) ? 'mean' : 'sum' },
    ];
    const total = ways.find((way) => holds(way, rows, leastRows));
    if (!total) continue;
    found.push(total);
    if (total.of === since) since = [];
  }
  return found;
}

/**
 * Columns beside each other of which the column next to them, called a total, is the sum: kinds of one thing, such as
 * the votes of each party. Null where there are none. `isMeasured`: whether a column holds numbers.
 */
export function addedUp(
  names: readonly string[],
  rows: Rows,
  isMeasured: (column: number) => boolean,
): readonly number[] | null {
  for (const [column, name] of names.entries()) {
    if (!totalWords.test(name.replace(/[_.]+/g, ' ')) || !isMeasured(column)) continue;
    for (const step of [-1, 1]) {
      const run: number[] = [];
      for (let at = column + step; at >= 0 && at < names.length && isMeasured(at); at += step) run.push(at);
      // What stands furthest from the total may be something else, such as a year.
      for (let length = run.length; length >= leastParts; length--) {
        const of = run.slice(0, length).toSorted((a, b) => a - b);
        if (holds({ column, of, is: 'sum' }, rows, leastRowsOfParts)) return of;
      }
    }
  }
  return null;
}
