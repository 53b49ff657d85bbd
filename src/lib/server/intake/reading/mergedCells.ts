import type { Archive } from './archive';

/** Cells shown as one over several rows: their first column, and the rows, counted from 1. */
export interface MergedRows {
  readonly column: number;
  readonly top: number;
  readonly bottom: number;
}

/** In bytes: as much of a sheet is looked through where only its first rows are wanted. */
const lookedAt = 30_000_000;
const mostAreas = 200_000;
/** In bytes: the beginning of a tag up to its name, with any prefix that a writer gives it. */
const longestName = 40;

/** The number of a column by its letters, counted from 0. */
export function columnOf(reference: string): number {
  let column = 0;
  for (let i = 0; i < reference.length; i++) {
    const code = reference.charCodeAt(i) & 0xdf;
    if (code < 65 || code > 90) break;
    column = column * 26 + code - 64;
  }
  return column - 1;
}

/**
 * The areas of a worksheet that go over several rows (ECMA-376 part 1, 18.3.1.55). They stand behind the cells, so the
 * part is looked through once before it is read; what is only beside each other is left as it is, as groups above names
 * are.
 */
export async function mergedRowsOf(archive: Archive, part: string, whole: boolean): Promise<MergedRows[]> {
  const found: MergedRows[] = [];
  let rest: Buffer = Buffer.alloc(0);
  let looked = 0;
  const chunks = archive.chunks(part);
  for await (const chunk of chunks) {
    looked += chunk.length;
    if (!whole && looked > lookedAt) break;
    const piece = Buffer.concat([rest, chunk]);
    // Cells have no such word in their tags, so most of a sheet is passed over; a tag may be split between two pieces.
    if (!piece.includes('mergeCell')) {
      rest = piece.subarray(-longestName);
      continue;
    }
    const text = piece.toString('latin1');
    for (const [, left = '', top = '', , bottom = ''] of text.matchAll(
      /<(?:\w+:)?mergeCell\s[^>]*?ref="\$?([A-Z]+)\$?(\d+):\$?([A-Z]+)\$?(\d+)"/g,
    ))
      if (bottom !== top && found.length < mostAreas)
        found.push({ column: columnOf(left), top: Number(top), bottom: Number(bottom) });
    rest = Buffer.from(tailOf(text), 'latin1');
  }
  return found.sort((a, b) => a.top - b.top);
}

/** What of a text may be the beginning of a tag that ends with the next piece. */
function tailOf(text: string): string {
  const open = text.lastIndexOf('<');
  return open > text.lastIndexOf('>') && text.length - open < 200 ? text.slice(open) : '';
}

/** Repeats the value of cells shown as one in each row that they go over, as rows come in order. */
export class MergedCells {
  private readonly going = new Map<number, { readonly value: string | number; readonly bottom: number }>();
  private next = 0;
  /** How many cells were filled so. */
  filled = 0;

  constructor(private readonly areas: readonly MergedRows[]) {}

  /** Fills what a row shows of areas that began above it, and remembers those that begin with it. */
  fill(row: (string | number)[], number: number): void {
    if (this.areas.length === 0) return;
    for (const [column, { value, bottom }] of this.going) {
      if (number > bottom) this.going.delete(column);
      else if ((row[column] ?? '') === '') {
        row[column] = value;
        this.filled++;
      }
    }
    for (let area = this.areas[this.next]; area && area.top <= number; area = this.areas[++this.next]) {
      const value = row[area.column] ?? '';
      if (area.top === number && value !== '') this.going.set(area.column, { value, bottom: area.bottom });
    }
  }
}
