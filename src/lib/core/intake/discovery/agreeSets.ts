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

  /** The columns in which two rows agree. */
  compare(a: number, b: number): Uint32Array {
    const set = new Uint32Array(wordsFor(this.columns.length));
    this.columns.forEach(({ codes }, column) => {
      if (codes[a] === codes[b]) set[column >>> 5] = (set[column >>> 5] ?? 0) | (1 << (column & 31));
    });
    const key = set.join();
    if (this.known.has(key) || this.sets.length >= mostSets) return set;
    this.known.add(key);
    this.sets.push(set);
    return set;
  }

  /** What is known of rows that agree in all of these columns, from one pass over the pairs. */
  over(columns: readonly number[]): RowsThatAgree {
    const words = wordsFor(this.columns.length);
    const [any, every] = [new Uint32Array(words), new Uint32Array(words).fill(0xffffffff)];
    const add = (set: Uint32Array) => {
      for (let word = 0; word < words; word++) {
        any[word] = (any[word] ?? 0) | (set[word] ?? 0);
        every[word] = (every[word] ?? 0) & (set[word] ?? 0);
      }
    };
    for (const set of this.sets) if (columns.every((column) => has(set, column))) add(set);
    return { agreeIn: (column) => has(any, column), refute: (column) => !has(every, column), add };
  }
}

/** What pairs of rows say that agree in some columns. */
interface RowsThatAgree {
  /** Two of them are known that agree in this column, too. */
  readonly agreeIn: (column: number) => boolean;
  /** Two of them are known that do not, so that it does not follow. */
  readonly refute: (column: number) => boolean;
  /** One more such pair is known. */
  readonly add: (set: Uint32Array) => void;
}

const has = (set: Uint32Array, column: number): boolean => ((set[column >>> 5] ?? 0) & (1 << (column & 31))) !== 0;
