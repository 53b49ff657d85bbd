/** Bytes of a file, under the name that a person would bring it in by. */
export interface TruthFile {
  readonly name: string;
  readonly bytes: Buffer | string;
}

/** What a person who looks at a sheet would say of it. */
export interface SheetTruth {
  /** The types that are right, by column; of several the first is the best. A column that links may be of any. */
  readonly types: Readonly<Record<string, readonly string[]>>;
  /** What tells its records: any of these columns; null where no single column does. */
  readonly key: readonly string[] | null;
  /** Not asked where it is a matter of taste. */
  readonly keyIsOpen?: true;
  /** Columns that are one measure by period or by category, to be turned into rows. */
  readonly periods?: readonly string[];
  /** Rows that are no records: totals, notes, names that come again. By their place among the rows, from 0. */
  readonly leftOut?: readonly number[];
}

/** A thing that a sheet repeats on many rows. */
export interface ThingTruth {
  readonly sheet: string;
  /** Columns that stand for it; any of them may tell it. */
  readonly by: readonly string[];
  /** Columns that belong to it. */
  readonly with: readonly string[];
  /** Columns that may stand with it, or with a thing that it is part of. */
  readonly also?: readonly string[];
}

export interface Truth {
  /** By the sheet's name. */
  readonly sheets: Readonly<Record<string, SheetTruth>>;
  /** `sheet.column > sheet.column`; where one of several will do, apart by ` | `. */
  readonly links: readonly string[];
  /** Links that may be proposed or not. */
  readonly alsoLinks?: readonly string[];
  readonly things: readonly ThingTruth[];
  /** Things that may be split off or not. */
  readonly alsoThings?: readonly ThingTruth[];
}

export interface TruthCase {
  readonly name: string;
  /** Half is looked at while the proposals are made better, half only to measure. */
  readonly half: 'practice' | 'measure';
  /** Where the data is from: a package of the npm registry with its version and licence, or made up here. */
  readonly from: { readonly package: string; readonly version: string; readonly licence: string } | 'made up';
  readonly files: (read: PackageFiles) => Promise<readonly TruthFile[]>;
  readonly truth: Truth;
}

/** The files of a case's package. */
export interface PackageFiles {
  readonly bytes: (path: string) => Buffer;
  readonly json: (path: string) => unknown;
  /** What a module of the package exports by default. */
  readonly module: (path: string) => Promise<unknown>;
}

/** Columns of a sheet by the types that are right for them, apart by bars: `{'option|text': ['State']}`. */
export const typed = (columns: Readonly<Record<string, readonly string[]>>): SheetTruth['types'] =>
  Object.fromEntries(
    Object.entries(columns).flatMap(([types, names]) => names.map((name) => [name, types.split('|')] as const)),
  );

/** A file as the package has it, or its first rows. */
export const file = (name: string, bytes: Buffer | string, rows?: number): TruthFile => ({
  name,
  bytes:
    rows === undefined
      ? bytes
      : `${String(bytes)
          .split('\n')
          .slice(0, rows + 1)
          .join('\n')}\n`,
});

/** A list of objects as a file of JSON. */
export const listed = (name: string, list: unknown, rows?: number): TruthFile => ({
  name: `${name}.json`,
  bytes: JSON.stringify(Array.isArray(list) && rows !== undefined ? list.slice(0, rows) : list),
});
