import type { ColumnProfile } from '../intake';
import { nameWords, speaksOfKey } from '../naming';
import type { Dependency } from './search';

/** Columns of a flat sheet that belong to one thing, identified by a column of its own. */
export interface Split {
  /** The column that tells the thing, and is repeated on each of its rows. */
  readonly determinant: number;
  readonly dependents: readonly { readonly column: number; readonly exceptions: number }[];
  /** How many things there are. */
  readonly distinct: number;
  /** Cells that are written once instead of on every row. */
  readonly saved: number;
}

/** A thing has to come this many times on average to be worth a table. */
const leastRepeats = 3;
/** Measures and remarks are no names of things. */
const determining: ReadonlySet<string> = new Set(['text', 'option', 'email', 'phone', 'number']);

/**
 * Which dependencies make tables, the most telling first. Each column goes to the nearest thing that determines it: the
 * one with the fewest different values, so that what belongs to the apiary does not go to the hive standing in it. Of
 * two columns that determine each other, the one that reads as a key stands for the thing. No split is made that saves
 * nothing, none on constant or nearly unique columns, and none between measures, which agree by accident.
 */
export function splitsOf(
  columns: readonly ColumnProfile[],
  dependencies: readonly Dependency[],
  rows: number,
  linked: ReadonlySet<number> = new Set(),
): Split[] {
  const single = dependencies.filter(({ determinants }) => determinants.length === 1);
  const determines = (a: number, b: number) =>
    single.some(({ determinants, dependent }) => determinants[0] === a && dependent === b);
  const distinctOf = (column: number) => columns[column]?.distinct ?? Infinity;
  const able = (column: number): boolean => {
    const profile = columns[column];
    if (!profile || linked.has(column) || profile.filled === 0) return false;
    const distinct = distinctOf(column);
    if (distinct < 2 || distinct * leastRepeats > profile.filled) return false;
    if (!determining.has(profile.type)) return false;
    // A number determines only where it is called a key: measures do by accident.
    return profile.type !== 'number' ? profile.longest <= 80 : speaksOfKey(profile.name);
  };
  /** Of columns that determine each other, the one that stands for the thing. */
  const headOf = (column: number): number =>
    columns.reduce(
      (head, _, other) =>
        other !== head &&
        able(other) &&
        determines(column, other) &&
        determines(other, column) &&
        telling(columns[other]) > telling(columns[head])
          ? other
          : head,
      column,
    );
  const heads = [...new Set(columns.flatMap((_, column) => (able(column) ? [headOf(column)] : [])))];
  const owner = new Map<number, { readonly head: number; readonly exceptions: number }>();
  columns.forEach((profile, column) => {
    if (profile.filled === 0 || linked.has(column) || (profile.distinct ?? 2) < 2) return;
    const head = headOf(column);
    const candidates = heads
      .filter(
        (one) =>
          one !== column &&
          determines(one, column) &&
          (head === one || !determines(column, one) || !heads.includes(column)),
      )
      // What has hardly fewer values than the thing is one with it, or less than it by accident.
      .sort((a, b) => distinctOf(a) - distinctOf(b) || telling(columns[b]) - telling(columns[a]) || a - b);
    const [nearest] = candidates;
    if (nearest === undefined) return;
    const found = single.find(({ determinants, dependent }) => determinants[0] === nearest && dependent === column);
    owner.set(column, { head: nearest, exceptions: found?.exceptions ?? 0 });
  });
  return heads
    .map((determinant): Split => {
      const dependents = [...owner]
        .filter(([, one]) => one.head === determinant)
        .map(([column, { exceptions }]) => ({ column, exceptions }));
      const distinct = distinctOf(determinant);
      return { determinant, dependents, distinct, saved: (rows - distinct) * dependents.length };
    })
    .filter((split) => isWorth(split, columns))
    .sort(
      (a, b) =>
        telling(columns[b.determinant]) +
          b.dependents.length -
          (telling(columns[a.determinant]) + a.dependents.length) || b.saved - a.saved,
    );
}

/** How much a column reads as what a thing is known by. */
function telling(profile: ColumnProfile | undefined): number {
  if (!profile) return -1;
  return (
    (speaksOfKey(profile.name) ? 4 : 0) +
    (profile.pattern || profile.leadingZeros ? 3 : 0) +
    (nameWords.test(profile.name) ? 1 : 0) +
    (profile.type === 'option' ? -1 : 0) -
    Math.min(2, profile.longest / 40)
  );
}

/**
 * One dependent alone may be an accident of few values: it is worth a table only where the determinant reads as a key,
 * or the two share a word.
 */
function isWorth({ determinant, dependents, distinct }: Split, columns: readonly ColumnProfile[]): boolean {
  const head = columns[determinant];
  const real = dependents.filter(({ column }) => {
    const profile = columns[column];
    // A value that is the same but for a few rows says nothing of the thing.
    return profile !== undefined && (profile.values[0]?.count ?? 0) < profile.filled * 0.95;
  });
  if (!head || real.length === 0) return false;
  const isKey = speaksOfKey(head.name) || head.pattern !== undefined || head.leadingZeros;
  if (real.length >= 2) return distinct >= 3 || isKey;
  const shares = (name: string) =>
    name
      .toLowerCase()
      .split(/[\s_.-]+/)
      .some((word) => word.length > 3 && head.name.toLowerCase().includes(word));
  return (isKey && distinct >= 5) || real.some(({ column }) => shares(columns[column]?.name ?? ''));
}
