import type { EncodedColumn } from './encoded';
import type { Partition } from './partition';

const wordsFor = (columns: number): number => (columns + 31) >>> 5;
const mostSets = 4_000;

/**
 * In which columns pairs of rows agree. Each such set refutes every dependency of a column outside it on columns inside
 * it without looking at the other rows. Pairs are taken from rows that are close in some column, where agreement is
 * likely: the sampling of HyFD (Papenbrock and Naumann: “A Hybrid Approach to Functional Dependency Discovery”, SIGMOD
 * 2016).
 */
export class AgreeSets {
  private readonly sets: Uint32Array[] = [];
  private readonly known = new Set<string>();

  constructor(private readonly columns: readonly EncodedColumn[]) {}

  /** Compares neighbours within the groups of each column, at several distances. */
  sample(partitions: readonly Partition[], pairsAColumn = 3_000): void {
    for (const { rows, starts, groups } of partitions) {
      let left = pairsAColumn;
      for (let distance = 1; distance <= 3 && left > 0; distance++) {
        // Groups all over the table, not only the first.
        const step = Math.max(1, Math.floor((groups * 3) / pairsAColumn));
        for (let group = 0; group < groups && left > 0; group += step) {
          const [from, to] = [starts[group] ?? 0, starts[group + 1] ?? 0];
          for (let at = from; at + distance < to && at < from + 4; at++, left--)
            this.compare(rows[at] ?? 0, rows[at + distance] ?? 0);
        }
      }
    }
  }

  compare(a: number, b: number): void {
    if (this.sets.length >= mostSets) return;
    const set = new Uint32Array(wordsFor(this.columns.length));
    this.columns.forEach(({ codes }, column) => {
      if (codes[a] === codes[b]) set[column >>> 5] = (set[column >>> 5] ?? 0) | (1 << (column & 31));
    });
    const key = set.join();
    if (this.known.has(key)) return;
    this.known.add(key);
    this.sets.push(set);
  }

  /** Whether two rows are known that agree in all of these columns, and not in that one. */
  refutes(determinants: readonly number[], dependent: number): boolean {
    return this.sets.some((set) => determinants.every((column) => has(set, column)) && !has(set, dependent));
  }

  /** Whether two rows are known that agree in all of these columns. */
  agree(columns: readonly number[]): boolean {
    return this.sets.some((set) => columns.every((column) => has(set, column)));
  }
}

const has = (set: Uint32Array, column: number): boolean => ((set[column >>> 5] ?? 0) & (1 << (column & 31))) !== 0;
