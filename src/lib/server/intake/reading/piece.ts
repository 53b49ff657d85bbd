/**
 * What comes out of any file, one after the other: where a sheet begins, its rows as texts, and what people should know of
 * it. All kinds of files are read into this, so that everything after it is the same for all.
 */
export type Piece =
  | { readonly kind: 'sheet'; readonly name: string; readonly declared?: DeclaredSheet }
  /** Rows in order; a blank cell is an empty text, and a row may be shorter than others. */
  | { readonly kind: 'rows'; readonly rows: readonly (readonly string[])[] }
  | { readonly kind: 'note'; readonly text: string };

/** What the file itself says of a sheet, as Table Schema does. */
export interface DeclaredSheet {
  /** The first row holds the names, whatever it looks like. */
  readonly header: true;
  readonly columns?: readonly DeclaredColumn[];
  readonly key?: readonly string[];
  readonly links?: readonly { readonly columns: readonly string[]; readonly sheet: string; readonly to: readonly string[] }[];
}

export interface DeclaredColumn {
  readonly name: string;
  readonly type: string;
  readonly title?: string;
  readonly description?: string;
  readonly required?: boolean;
  readonly options?: readonly string[];
}

/** How a file is to be read; what is left out is found out. */
export interface ReadingWish {
  readonly encoding?: string;
  readonly delimiter?: string;
  readonly quote?: string;
  /** How many rows stand before the names of the columns. */
  readonly preamble?: number;
  /** Over how many rows the names go; 0 where there are none. */
  readonly header?: number;
}

/** How a file was read, for people to correct. */
export interface ReadingFound {
  readonly kind: FileKind;
  readonly encoding?: string;
  readonly delimiter?: string;
  readonly quote?: string;
}

export type FileKind = 'delimited text' | 'workbook' | 'open document' | 'JSON' | 'data package' | 'pasted range';

export interface FileReader {
  readonly found: ReadingFound;
  /** `mostRows`: how many rows of a sheet are wanted; the reader may give more. */
  pieces(mostRows?: number): AsyncGenerator<Piece, void>;
  close(): void;
}
