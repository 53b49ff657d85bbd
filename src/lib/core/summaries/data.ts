import { groupedBy } from '../base/grouped';
import { addsUp } from './asked';
import { readDuration } from '../fieldTypes/duration';
import type { ShownAs, AskedBlock } from '../types/summary';
import type { Lying } from './periods';

/** Records with the same values in the first `level` groups, and what its measures come to. */
export interface DataRow {
  readonly level: number;
  readonly values: readonly unknown[];
  readonly count: number;
  readonly totals: readonly unknown[];
  /** The same of what the period is held against. */
  readonly against?: { readonly count: number; readonly totals: readonly unknown[] };
  /** It stands for so many groups that are not shown one by one. */
  readonly others?: number;
}

/** What a block that asks for measures shows. */
export interface AskedData {
  readonly groups: readonly ShownAs[];
  readonly measures: readonly ShownAs[];
  /** Of all records. */
  readonly whole: Omit<DataRow, 'level' | 'values'>;
  /** In their order, each group before those inside it. */
  readonly rows: readonly DataRow[];
  /** There are more groups than could be worked out: of those behind the last row nothing is known. */
  readonly cut: boolean;
  readonly period: Lying | null;
  /** In words: what is shown, and what it is held against. */
  readonly periodWords: string;
  readonly againstWords: string;
  /** What the page's filters say that this block does not follow, by their labels. */
  readonly unfiltered: readonly string[];
}

/** A value as a number for drawing; digits that no number of JSON has come as text, durations as ISO 8601. */
export function numberOf(value: unknown): number | null {
  if (typeof value === 'number') return value;
  if (typeof value !== 'string' || value === '') return null;
  const duration = readDuration(value);
  const number = Number(duration.ok && /[PT:]/.test(value) ? duration.value : value);
  return Number.isNaN(number) ? null : number;
}

/** Amounts of several groups as one; null where they do not add up. */
const addedUp = (all: readonly unknown[], adds: boolean): unknown => {
  if (!adds) return null;
  const numbers = all.map(numberOf).filter((one) => one !== null);
  // Decimals are added as they are written, to no more places than they have.
  const places = Math.max(0, ...numbers.map((one) => (String(one).split('.')[1] ?? '').length));
  return numbers.length === 0 ? null : Number(numbers.reduce((sum, one) => sum + one, 0).toFixed(Math.min(places, 12)));
};

/**
 * No more than so many of the first groups; the others are gathered as one row, whose measures stand where they add up.
 * Where there are more groups than were worked out, what the others come to is not known, and no row says so.
 */
export function shortened(
  rows: readonly DataRow[],
  most: number | null,
  measures: AskedBlock['measures'],
  cut = false,
): readonly DataRow[] {
  if (most === null) return rows;
  const firsts = rows.filter(({ level }) => level === 1);
  if (firsts.length <= most + 1) return rows;
  const kept = new Set(firsts.slice(0, most).map(({ values }) => JSON.stringify(values[0])));
  const left = firsts.slice(most);
  // Durations come as text, and are not added up here.
  const adds = measures.map((measure) => addsUp(measure) && measure.of?.type.is !== 'duration');
  const gathered = (all: readonly DataRow[], values: readonly unknown[]): DataRow => {
    const sum = (of: (row: DataRow) => Pick<DataRow, 'count' | 'totals'> | undefined) => ({
      count: all.reduce((count, row) => count + (of(row)?.count ?? 0), 0),
      totals: measures.map((_, index) =>
        addedUp(
          all.map((row) => of(row)?.totals[index]),
          adds[index] === true,
        ),
      ),
    });
    return {
      level: values.length,
      values,
      ...sum((row) => row),
      ...(all.some(({ against }) => against) ? { against: sum(({ against }) => against) } : {}),
      others: left.length,
    };
  };
  const isLeft = ({ values }: DataRow) => !kept.has(JSON.stringify(values[0]));
  const inner = groupedBy(
    rows.filter((row) => row.level === 2 && isLeft(row)),
    ({ values }) => JSON.stringify(values[1]),
  );
  if (cut) return rows.filter((row) => !isLeft(row));
  return [
    ...rows.filter((row) => !isLeft(row)),
    gathered(left, [null]),
    ...[...inner.values()].map((all) => gathered(all, [null, all[0]?.values[1] ?? null])),
  ];
}

/** How far a number moved from what it is held against, as a share of that; null where that cannot be said. */
export function changeOf(now: unknown, before: unknown): number | null {
  const [one, other] = [numberOf(now), numberOf(before)];
  return one === null || other === null || other === 0 ? null : (one - other) / Math.abs(other);
}
