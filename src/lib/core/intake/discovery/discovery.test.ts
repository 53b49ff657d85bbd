import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { encodeTable } from './encoded';
import { discover, type SearchLimits } from './search';

type Rows = readonly (readonly (string | null)[])[];
const names = (width: number) => Array.from({ length: width }, (_, i) => `c${i}`);
const run = (rows: Rows, width: number, limits: SearchLimits) =>
  discover(encodeTable(names(width), rows), rows.length, limits);

/** All sets of columns of at most so many. */
function subsets(width: number, most: number): number[][] {
  const all: number[][] = [[]];
  for (let column = 0; column < width; column++)
    for (const set of [...all]) if (set.length < most) all.push([...set, column]);
  return all;
}
const keyOf = (row: readonly (string | null)[], set: readonly number[]) =>
  JSON.stringify(set.map((column) => row[column] ?? null));
const within = (small: readonly number[], large: readonly number[]) =>
  small.length < large.length && small.every((one) => large.includes(one));

/** Every dependency tried on every row: slow, and nothing to get wrong. */
function slowly(rows: Rows, width: number, { keyColumns, determinants, exceptions }: SearchLimits) {
  const unique = (set: readonly number[]) => new Set(rows.map((row) => keyOf(row, set))).size === rows.length;
  const keys = subsets(width, keyColumns).filter(
    (set) => set.length > 0 && unique(set) && set.every((column) => rows.every((row) => row[column] !== null)),
  );
  const exceptionsOf = (set: readonly number[], dependent: number) => {
    const groups = new Map<string, Map<string | null, number>>();
    for (const row of rows) {
      const group = groups.get(keyOf(row, set)) ?? new Map<string | null, number>();
      groups.set(keyOf(row, set), group);
      group.set(row[dependent] ?? null, (group.get(row[dependent] ?? null) ?? 0) + 1);
    }
    return [...groups.values()].reduce(
      (sum, group) => sum + [...group.values()].reduce((a, b) => a + b, 0) - Math.max(...group.values()),
      0,
    );
  };
  const found: string[] = [];
  for (let dependent = 0; dependent < width; dependent++) {
    const sets = subsets(width, determinants).filter((set) => !set.includes(dependent));
    const exact = sets.filter((set) => exceptionsOf(set, dependent) === 0);
    for (const set of sets) {
      const count = exceptionsOf(set, dependent);
      const implied = exact.some((smaller) => within(smaller, set));
      // Above a key, everything follows.
      if (count === 0 ? !implied : set.length === 1 && count <= Math.floor(rows.length * exceptions) && !implied)
        found.push(`${set.join()} → ${dependent} −${count}`);
    }
  }
  return {
    keys: keys
      .filter((set) => !keys.some((other) => within(other, set)))
      .map((set) => set.join())
      .sort(),
    dependencies: found.sort(),
  };
}
const words = ({ keys, dependencies }: ReturnType<typeof run>) => ({
  keys: keys.map((set) => set.join()).sort(),
  dependencies: dependencies
    .map(({ determinants, dependent, exceptions }) => `${determinants.join()} → ${dependent} −${exceptions}`)
    .sort(),
});

describe('keys and dependencies are exactly those an exhaustive search finds', () => {
  const cell = fc.constantFrom('a', 'b', 'c', null);
  test.each<[number, number, number]>([
    [4, 3, 0],
    [5, 2, 0.2],
    [3, 3, 0.34],
    [6, 2, 0],
  ])('%i columns, up to %i determinants, %d exceptions', (width, determinants, exceptions) => {
    const limits = { keyColumns: 3, determinants, exceptions };
    const row = fc.array(cell, { minLength: width, maxLength: width });
    fc.assert(
      fc.property(fc.array(row, { minLength: 1, maxLength: 14 }), (rows) => {
        expect(words(run(rows, width, limits))).toEqual(slowly(rows, width, limits));
      }),
      { numRuns: 500 },
    );
  });

  test('with dependencies put in, and rows enough to be sampled', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1_000_000 }), fc.integer({ min: 40, max: 120 }), (seed, count) => {
        let state = seed;
        const next = (most: number) => (state = (Math.imul(state, 1103515245) + 12345) & 0x7fffffff) % most;
        const rows = Array.from({ length: count }, (_, i): (string | null)[] => {
          const keeper = next(6);
          const [hive, day] = [next(9), next(9)];
          return [
            String(i),
            `K-${keeper}`,
            `name ${keeper}`,
            next(20) === 0 ? null : `village ${keeper % 3}`,
            `${hive}`,
            `${day}`,
            `${(hive * 7 + day * 3) % 5}`,
          ];
        });
        const limits = { keyColumns: 3, determinants: 2, exceptions: 0.1 };
        expect(words(run(rows, 7, limits))).toEqual(slowly(rows, 7, limits));
      }),
      { numRuns: 60 },
    );
    // The exhaustive search is the slow side, and slower beside other work.
  }, 30_000);
});

test('no rows and no columns have nothing to be found', () => {
  expect(run([], 2, { keyColumns: 3, determinants: 2, exceptions: 0 })).toEqual({ keys: [], dependencies: [] });
  expect(run([[], []], 0, { keyColumns: 3, determinants: 2, exceptions: 0 })).toEqual({ keys: [], dependencies: [] });
});
