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

/** Encodes one column of rows. */
function encodeColumn(name: string, rows: Rows, column: number): EncodedColumn {
  const codes = new Int32Array(rows.length);
  const known = new Map<string, number>();
  const texts = [''];
  let blanks = 0;
  let [last, lastCode] = ['', 0];
  for (let at = 0; at < rows.length; at++) {
    const text = rows[at]?.[column];
    if (text === null || text === undefined || text === '') {
      blanks++;
      continue;
    }
    // Sheets are often in an order, so that the same text comes again at once.
    if (text !== last) {
      const code = known.get(text);
      lastCode = code ?? texts.push(text) - 1;
      if (code === undefined) known.set(text, lastCode);
      last = text;
    }
    codes[at] = lastCode;
  }
  return { name, codes, distinct: texts.length - 1, blanks, texts };
}

type Rows = readonly (readonly (string | null)[])[];

export const encodeTable = (names: readonly string[], rows: Rows): EncodedColumn[] =>
  names.map((name, column) => encodeColumn(name, rows, column));
