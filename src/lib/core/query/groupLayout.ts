/** A group as the totals of a table give it: its values down to its own level, and how many records it holds. */
export interface LaidGroup {
  readonly level: number;
  readonly values: readonly unknown[];
  readonly count: number;
}

/** What stands in a line of a list: the head of a group, or the record at a place of the order. */
export type Line<G extends LaidGroup> =
  { readonly kind: 'head'; readonly group: G } | { readonly kind: 'record'; readonly row: number };

interface Stretch<G extends LaidGroup> {
  /** The line it begins at. */
  readonly start: number;
  /** The head of a group, or null for a run of records. */
  readonly head: G | null;
  /** The first record of a run. */
  readonly row: number;
  readonly length: number;
}

/** Names a group by its values, so that one that was folded stays so when the groups are read anew. */
export const groupName = (group: LaidGroup): string => JSON.stringify(group.values);

/**
 * Where everything stands in a list of records with the heads of their groups between them. As records are ordered by
 * what they are grouped by, a group is a run of rows, and any line is found by halving.
 */
export class GroupLayout<G extends LaidGroup> {
  private readonly stretches: readonly Stretch<G>[];
  /** How many lines there are in all. */
  readonly lines: number;

  private constructor(stretches: readonly Stretch<G>[]) {
    this.stretches = stretches;
    const last = stretches.at(-1);
    this.lines = last ? last.start + last.length : 0;
  }

  /** Records without groups: one run. */
  static plain<G extends LaidGroup>(rows: number): GroupLayout<G> {
    return new GroupLayout<G>(rows > 0 ? [{ start: 0, head: null, row: 0, length: rows }] : []);
  }

  /**
   * `groups` in the order of the records, each before those inside it; of those in `folded` only the heads are lines.
   */
  static of<G extends LaidGroup>(groups: readonly G[], folded: ReadonlySet<string>): GroupLayout<G> {
    const deepest = Math.max(1, ...groups.map(({ level }) => level));
    const stretches: Stretch<G>[] = [];
    let [line, row, hidden] = [0, 0, Number.POSITIVE_INFINITY];
    for (const group of groups) {
      if (group.level <= hidden) {
        hidden = folded.has(groupName(group)) ? group.level : Number.POSITIVE_INFINITY;
        stretches.push({ start: line, head: group, row, length: 1 });
        line++;
      }
      if (group.level < deepest) continue;
      if (group.level < hidden && group.count > 0) {
        stretches.push({ start: line, head: null, row, length: group.count });
        line += group.count;
      }
      row += group.count;
    }
    return new GroupLayout(stretches);
  }

  /** What stands in a line; undefined behind the last. */
  at(line: number): Line<G> | undefined {
    if (line < 0 || line >= this.lines) return undefined;
    let [low, high] = [0, this.stretches.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.stretches[middle]?.start ?? 0) <= line) low = middle;
      else high = middle - 1;
    }
    const found = this.stretches[low];
    if (!found) return undefined;
    return found.head ? { kind: 'head', group: found.head } : { kind: 'record', row: found.row + line - found.start };
  }

  /** The line in which a record stands; null where its group is folded. */
  lineOf(row: number): number | null {
    const run = this.stretches.find(
      ({ head, row: first, length }) => head === null && first <= row && row < first + length,
    );
    return run ? run.start + row - run.row : null;
  }
}
