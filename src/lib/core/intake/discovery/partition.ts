import type { EncodedColumn } from './encoded';

/**
 * Rows grouped by equal values, groups of one left out: a stripped partition (Huhtala, Kärkkäinen, Porkka and Toivonen:
 * “TANE: An Efficient Algorithm for Discovering Functional and Approximate Dependencies”, The Computer Journal 42,
 * 1999). The groups stand one behind the other in `rows`; group g goes from `starts[g]` up to `starts[g + 1]`.
 */
export interface Partition {
  readonly rows: Int32Array;
  readonly starts: Int32Array;
  readonly groups: number;
}

/** The partition of one column. Blanks are equal to each other. */
export function partitionOf({ codes, distinct }: EncodedColumn): Partition {
  const counts = new Int32Array(distinct + 2);
  for (const code of codes) counts[code] = (counts[code] ?? 0) + 1;
  return gathered(codes, counts, distinct + 1);
}

/** Puts rows with the same code together, by counting. */
function gathered(codes: Int32Array, counts: Int32Array, different: number): Partition {
  const place = new Int32Array(different).fill(-1);
  let [groups, size] = [0, 0];
  for (let code = 0; code < different; code++) {
    const count = counts[code] ?? 0;
    if (count < 2) continue;
    groups++;
    place[code] = size;
    size += count;
  }
  const rows = new Int32Array(size);
  const starts = new Int32Array(groups + 1);
  let group = 0;
  for (let code = 0; code < different; code++) if ((place[code] ?? -1) >= 0) starts[group++] = place[code] ?? 0;
  starts[groups] = size;
  for (let row = 0; row < codes.length; row++) {
    const code = codes[row] ?? 0;
    const at = place[code] ?? -1;
    if (at < 0) continue;
    rows[at] = row;
    place[code] = at + 1;
  }
  return { rows, starts, groups };
}

/** What the products of one table share: nothing is made anew for each. */
export class Probe {
  private readonly counts: Int32Array;
  private readonly met: Int32Array;

  constructor(mostDistinct: number) {
    this.counts = new Int32Array(mostDistinct + 2);
    this.met = new Int32Array(mostDistinct + 2);
  }

  /** The partition by two things together: each group taken apart by the values of one more column. */
  product(of: Partition, { codes }: EncodedColumn): Partition {
    const { counts, met } = this;
    const rows = new Int32Array(of.rows.length);
    const starts: number[] = [];
    let size = 0;
    for (let group = 0; group < of.groups; group++) {
      const [from, to] = [of.starts[group] ?? 0, of.starts[group + 1] ?? 0];
      let different = 0;
      for (let at = from; at < to; at++) {
        const code = codes[of.rows[at] ?? 0] ?? 0;
        if (counts[code] === 0) met[different++] = code;
        counts[code] = (counts[code] ?? 0) + 1;
      }
      // From counts to places: those met once have none.
      for (let i = 0; i < different; i++) {
        const code = met[i] ?? 0;
        const count = counts[code] ?? 0;
        if (count < 2) counts[code] = -1;
        else {
          starts.push(size);
          counts[code] = size;
          size += count;
        }
      }
      for (let at = from; at < to; at++) {
        const row = of.rows[at] ?? 0;
        const code = codes[row] ?? 0;
        const place = counts[code] ?? -1;
        if (place < 0) continue;
        rows[place] = row;
        counts[code] = place + 1;
      }
      for (let i = 0; i < different; i++) counts[met[i] ?? 0] = 0;
    }
    return { rows: rows.slice(0, size), starts: Int32Array.from([...starts, size]), groups: starts.length };
  }

  /** Two rows of a group that agree in one more column, too; null where there are none. */
  agreeingRows(of: Partition, { codes }: EncodedColumn): readonly [number, number] | null {
    const { counts, met } = this;
    let found: readonly [number, number] | null = null;
    for (let group = 0; group < of.groups && found === null; group++) {
      const [from, to] = [of.starts[group] ?? 0, of.starts[group + 1] ?? 0];
      let different = 0;
      for (let at = from; at < to; at++) {
        const row = of.rows[at] ?? 0;
        const code = codes[row] ?? 0;
        const before = counts[code] ?? 0;
        if (before > 0) {
          found = [before - 1, row];
          break;
        }
        met[different++] = code;
        counts[code] = row + 1;
      }
      for (let i = 0; i < different; i++) counts[met[i] ?? 0] = 0;
    }
    return found;
  }

  /**
   * In how many rows a column would have to be changed for its value to follow from the group: all but those of the
   * most frequent value of each group. Stops once there are more than `most`.
   */
  exceptions(of: Partition, { codes }: EncodedColumn, most = Infinity): number {
    const { counts, met } = this;
    let exceptions = 0;
    for (let group = 0; group < of.groups && exceptions <= most; group++) {
      const [from, to] = [of.starts[group] ?? 0, of.starts[group + 1] ?? 0];
      const first = codes[of.rows[from] ?? 0];
      let at = from + 1;
      while (at < to && codes[of.rows[at] ?? 0] === first) at++;
      if (at === to) continue;
      let [different, largest] = [0, 0];
      for (at = from; at < to; at++) {
        const code = codes[of.rows[at] ?? 0] ?? 0;
        if (counts[code] === 0) met[different++] = code;
        const count = (counts[code] ?? 0) + 1;
        counts[code] = count;
        if (count > largest) largest = count;
      }
      exceptions += to - from - largest;
      for (let i = 0; i < different; i++) counts[met[i] ?? 0] = 0;
    }
    return exceptions;
  }
}
