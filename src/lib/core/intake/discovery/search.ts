import { AgreeSets } from './agreeSets';
import type { EncodedColumn } from './encoded';
import { partitionOf, Probe, type Partition } from './partition';

/**
 * A column whose value follows from that of others: rows that agree in the determinants agree in it, but for
 * exceptions.
 */
export interface Dependency {
  readonly determinants: readonly number[];
  readonly dependent: number;
  /** Rows that would have to change for it to hold everywhere; 0 where it does. */
  readonly exceptions: number;
}

export interface Discovered {
  /** Minimal sets of columns that are filled and different in every row. */
  readonly keys: readonly (readonly number[])[];
  /** Minimal exact dependencies, and those of one determinant with few exceptions. */
  readonly dependencies: readonly Dependency[];
}

export interface SearchLimits {
  /** Columns in a key. */
  readonly keyColumns: number;
  /** Columns that determine another together. */
  readonly determinants: number;
  /** Share of rows that may be exceptions to a dependency of one determinant. */
  readonly exceptions: number;
}

export const usualLimits: SearchLimits = { keyColumns: 3, determinants: 2, exceptions: 0.03 };

/**
 * Keys and functional dependencies of a table, all that are minimal within the limits. Level by level over the sets of
 * columns as TANE does (see partition.ts), with pairs of rows sampled first to refute most candidates (see
 * agreeSets.ts). A set that is a key determines everything, so nothing is looked for above it. Blanks count as equal to
 * each other; a key has none.
 */
export function discover(
  columns: readonly EncodedColumn[],
  rows: number,
  limits: SearchLimits = usualLimits,
): Discovered {
  const steps = discovering(columns, rows, limits);
  for (;;) {
    const { done, value } = steps.next();
    if (done) return value;
  }
}

/** The same search a set of columns at a time, for whoever has other things to do in between. */
export function* discovering(
  columns: readonly EncodedColumn[],
  rows: number,
  limits: SearchLimits = usualLimits,
): Generator<void, Discovered> {
  if (rows === 0) return { keys: [], dependencies: [] };
  const probe = new Probe(Math.max(0, ...columns.map(({ distinct }) => distinct)) + 1);
  const singles = columns.map(partitionOf);
  const agreeing = new AgreeSets(columns);
  agreeing.sample(singles);
  const keys: number[][] = [];
  const dependencies: Dependency[] = [];
  /** For each column the sets that determine it; and those that determine all. */
  const determined = columns.map(() => new Set<number>());
  const superkeys = new Set<number>();
  const most = Math.max(limits.keyColumns, limits.determinants);
  const mayExcept = Math.floor(rows * limits.exceptions);

  // A constant follows from nothing at all.
  columns.forEach(({ distinct, blanks }, dependent) => {
    if (distinct + (blanks > 0 ? 1 : 0) <= 1) {
      determined[dependent]?.add(codeOf([]));
      dependencies.push({ determinants: [], dependent, exceptions: 0 });
    }
  });

  const isKeyAlone = singles.map(({ groups }) => groups === 0);
  let level: readonly (readonly number[])[] = columns.map((_, column) => [column]);
  for (let size = 1; size <= most && level.length > 0; size++) {
    // Only keys are looked for on the last level; whether a set is one is seen without its partition.
    const isBeforeLast = size + 1 === most && size + 1 > limits.determinants;
    const open: (readonly number[])[] = [];
    for (const set of level) {
      // Partitions of all sets of a level would not fit: each is made when its turn comes.
      const partition = partitionOfSet(set);
      if (size <= limits.determinants) findDependents(set, partition, size);
      yield;
      if (partition.groups === 0) {
        superkeys.add(codeOf(set));
        if (size <= limits.keyColumns && isFilled(set)) keys.push([...set]);
      } else if (!isBeforeLast) open.push(set);
      else if (isFilled(set)) yield* keysAbove(set, partition);
    }
    level = size === most ? [] : open.flatMap((set) => widerSets(set));
  }
  const known = new Set(keys.map(codeOf));
  const isMinimal = (key: readonly number[]) => partsOf(key).every((part) => part === codeOf(key) || !known.has(part));
  return { keys: keys.filter(isMinimal), dependencies };

  function isFilled(set: readonly number[]): boolean {
    return set.every((column) => columns[column]?.blanks === 0);
  }

  function partitionOfSet([first = 0, ...others]: readonly number[]): Partition {
    return others.reduce(
      (partition, column) => probe.product(partition, columns[column] as EncodedColumn),
      singles[first] as Partition,
    );
  }

  /** The sets of one column more that may bring something new. */
  function widerSets(set: readonly number[]): (readonly number[])[] {
    return columns.flatMap((_, column) => {
      const wider = [...set, column];
      // What holds a key, or a column that follows from the others, brings nothing new above it.
      const isKnown =
        column <= (set.at(-1) ?? -1) ||
        partsOf(wider).some((part) => superkeys.has(part)) ||
        wider.some((one) => isDetermined(one, wider));
      return isKnown ? [] : [wider];
    });
  }

  /** A set of columns, in their order, as one number. */
  function codeOf(set: readonly number[]): number {
    return set.reduce((code, column) => code * (columns.length + 1) + column + 1, 0);
  }

  /** All sets within one of few columns, the empty one included. */
  function partsOf(set: readonly number[]): number[] {
    return Array.from({ length: 2 ** set.length }, (_, bits) => codeOf(set.filter((_, at) => bits & (1 << at))));
  }

  /** Whether it is known to follow from others of a set. */
  function isDetermined(column: number, set: readonly number[]): boolean {
    const known = determined[column];
    return (
      known !== undefined &&
      known.size > 0 &&
      partsOf(set.filter((one) => one !== column)).some((part) => known.has(part))
    );
  }

  /** Keys of one column more than a set; two rows that agree in all of it refute further ones, too. */
  function* keysAbove(set: readonly number[], partition: Partition): Generator<void, void> {
    const known = agreeing.over(set);
    for (let column = (set.at(-1) ?? -1) + 1; column < columns.length; column++) {
      const extra = columns[column];
      if (!extra || extra.blanks > 0 || isKeyAlone[column]) continue;
      if (known.agreeIn(column)) continue;
      const pair = probe.agreeingRows(partition, extra);
      if (pair) known.add(agreeing.compare(...pair));
      else keys.push([...set, column]);
      yield;
    }
  }

  function findDependents(set: readonly number[], partition: Partition, size: number): void {
    const pairs = agreeing.over(set);
    columns.forEach((column, dependent) => {
      if (set.includes(dependent)) return;
      if (isDetermined(dependent, set)) return;
      const approximate = size === 1 && mayExcept > 0;
      if (!approximate && pairs.refute(dependent)) return;
      const exceptions = probe.exceptions(partition, column, approximate ? mayExcept : 0);
      if (exceptions === 0) determined[dependent]?.add(codeOf(set));
      if (exceptions === 0 || (approximate && exceptions <= mayExcept))
        dependencies.push({ determinants: [...set], dependent, exceptions });
    });
  }
}

/** What two columns tell together: how many different pairs there are, and what follows from them but for exceptions. */
export interface PairTold {
  readonly distinct: number;
  readonly dependents: readonly { readonly column: number; readonly exceptions: number }[];
}

/** The same for two columns only, exceptions as with one determinant. */
export function toldByPair(
  columns: readonly EncodedColumn[],
  rows: number,
  [a, b]: readonly [number, number],
  limits: SearchLimits = usualLimits,
): PairTold {
  const [one, other] = [columns[a], columns[b]];
  if (!one || !other) return { distinct: Infinity, dependents: [] };
  const probe = new Probe(Math.max(...columns.map(({ distinct }) => distinct)) + 1);
  const partition = probe.product(partitionOf(one), other);
  const most = Math.floor(rows * limits.exceptions);
  const dependents = columns.flatMap((column, at) => {
    const exceptions = at === a || at === b ? Infinity : probe.exceptions(partition, column, most);
    return exceptions <= most ? [{ column: at, exceptions }] : [];
  });
  return { distinct: rows - partition.rows.length + partition.groups, dependents };
}
