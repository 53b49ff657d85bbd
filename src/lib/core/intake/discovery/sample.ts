import type { EncodedColumn } from './encoded';

/** In cells of a sheet; a sample of the first rows is enough to refute, and what it proposes is tried on all rows. */
const mostCells = 1_200_000;
const mostRows = 60_000;
/** A column of longer texts is one of remarks. */
const longestText = 120;

/** Encodes the first rows of a sheet while they go by. */
export class SheetSample {
  private readonly rows: number;
  private readonly codes: Int32Array[];
  private readonly known: (Map<string, number> | null)[];
  private readonly blanks: number[];
  private taken = 0;

  constructor(private readonly names: readonly string[]) {
    this.rows = Math.min(mostRows, Math.floor(mostCells / Math.max(1, names.length)));
    this.codes = names.map(() => new Int32Array(1024));
    this.known = names.map(() => new Map<string, number>());
    this.blanks = names.map(() => 0);
  }

  get isFull(): boolean {
    return this.taken >= this.rows;
  }

  /** Takes the next row's trimmed texts. */
  take(row: readonly string[]): void {
    if (this.isFull) return;
    const at = this.taken++;
    this.known.forEach((known, column) => {
      if (!known) return;
      const text = row[column] ?? '';
      let codes = this.codes[column] as Int32Array;
      if (at >= codes.length) {
        const wider = new Int32Array(Math.min(this.rows, codes.length * 2));
        wider.set(codes);
        this.codes[column] = codes = wider;
      }
      if (text === '') this.blanks[column] = (this.blanks[column] ?? 0) + 1;
      else if (text.length > longestText) this.known[column] = null;
      else {
        let code = known.get(text);
        if (code === undefined) known.set(text, (code = known.size + 1));
        codes[at] = code;
      }
    });
  }

  /** The columns that were kept, with their places in the sheet, and how many rows they have. */
  encoded(): { readonly columns: readonly EncodedColumn[]; readonly places: readonly number[]; readonly rows: number } {
    const places = this.known.flatMap((known, column) => (known ? [column] : []));
    const columns = places.map((column): EncodedColumn => ({
      name: this.names[column] ?? '',
      codes: (this.codes[column] as Int32Array).subarray(0, this.taken),
      distinct: this.known[column]?.size ?? 0,
      blanks: this.blanks[column] ?? 0,
      texts: ['', ...(this.known[column]?.keys() ?? [])],
    }));
    return { columns, places, rows: this.taken };
  }
}
