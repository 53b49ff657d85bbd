import type { DeclaredSheet, ReadingFound } from '$core/intake/intake';

/**
 * What comes out of any file, one after the other: where a sheet begins, its rows as texts, and what people should know
 * of it. All kinds of files are read into this, so that everything after it is the same for all.
 */
export type Piece =
  | { readonly kind: 'sheet'; readonly name: string; readonly declared?: DeclaredSheet }
  /** Rows in order; a blank cell is an empty text, and a row may be shorter than others. */
  | { readonly kind: 'rows'; readonly rows: readonly (readonly string[])[] }
  | { readonly kind: 'note'; readonly text: string };

/** More blank rows between others are not given. */
const mostBlank = 100;

/** So many rows in which nothing stands, between others. */
export const blankRows = (count: number): never[][] =>
  Array.from({ length: Math.max(0, Math.min(count, mostBlank)) }, () => []);

export interface FileReader {
  readonly found: ReadingFound;
  /** `mostRows`: how many rows of a sheet are wanted; the reader may give more. */
  pieces(mostRows?: number): AsyncGenerator<Piece, void>;
  close(): void;
}
