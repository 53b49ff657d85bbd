/** A column with each different text as a small whole number, in order of first appearance; blank is 0. */
export interface EncodedColumn {
  readonly name: string;
  readonly codes: Int32Array;
  /** How many different values there are, blank not counted. */
  readonly distinct: number;
  readonly blanks: number;
  /** The texts by code; the one of blank is empty. */
  readonly texts: readonly string[];
}

/** Encodes the texts of a column, row by row. */
function encodeColumn(name: string, rows: Iterable<string | null>, count: number): EncodedColumn {
  const codes = new Int32Array(count);
  const known = new Map<string, number>();
  const texts = [''];
  let blanks = 0;
  let at = 0;
  for (const text of rows) {
    if (text === null || text === '') blanks++;
    else {
      let code = known.get(text);
      if (code === undefined) {
        code = texts.push(text) - 1;
        known.set(text, code);
      }
      codes[at] = code;
    }
    at++;
  }
  return { name, codes, distinct: texts.length - 1, blanks, texts };
}

export const encodeTable = (names: readonly string[], rows: readonly (readonly (string | null)[])[]): EncodedColumn[] =>
  names.map((name, column) =>
    encodeColumn(
      name,
      rows.map((row) => row[column] ?? null),
      rows.length,
    ),
  );
