import type { Expression } from '../types/expression';
import type { Change } from '../types/change';
import type { FieldId, TableId } from '../types/identity';
import type { DeletionRule, Dye, FieldType } from '../types/field';
import type { Reading } from '../fieldTypes/registry';
import type { PartsWish } from './sheets/columnParts';
import type { TurnWish } from './sheets/columnsToRows';
import type { Reason } from './columns/meaning';
import type { SeveralValues } from './columns/severalValues';
import type { Misspelling } from './columns/spellings';

/** The types a column of a file can be read as. */
export const columnTypes = [
  'text',
  'number',
  'percent',
  'money',
  'yesNo',
  'date',
  'dateTime',
  'duration',
  'option',
  'options',
  'email',
  'phone',
  'url',
] as const;
export type ColumnType = (typeof columnTypes)[number];

/** What is known of a column from all of its rows. */
export interface ColumnProfile {
  readonly name: string;
  readonly type: ColumnType;
  /** Why this type, in a sentence. */
  readonly evidence: string;
  readonly reading: Reading;
  /** Decimals met, when the column is one of numbers. */
  readonly digits: number | null;
  readonly filled: number;
  readonly blanks: number;
  /** Exact up to `distinctLimit`; null beyond. */
  readonly distinct: number | null;
  /** Rows whose value does not fit the type, and the first few such values. */
  readonly misfits: number;
  /** How many of the filled rows each type would take. */
  readonly fits: Readonly<Record<ColumnType, number>>;
  /** Every filled text is written as PostgreSQL itself would read it as this type; a load need not guard it. */
  readonly plain: 'number' | 'date' | null;
  /** Dates that could be day–month or month–day; numbers whose sign could be that of decimals or of thousands. */
  readonly ambiguous: boolean;
  /** The exact sum of what reads as numbers. */
  readonly sum: string;
  readonly misfitSamples: readonly string[];
  readonly samples: readonly string[];
  /** The most frequent values with their counts, when there are few: the options it would have. */
  readonly values: readonly { readonly text: string; readonly count: number }[];
  readonly leadingZeros: boolean;
  /** What speaks for and against the type, where digits may be numbers, codes, classes or yes and no. */
  readonly reasons?: readonly Reason[];
  readonly longest: number;
  /** Spellings that stand for nothing in this column, with how often. */
  readonly blankWords: readonly { readonly text: string; readonly count: number }[];
  /** Units behind its numbers, most frequent first. */
  readonly units: readonly { readonly unit: string; readonly count: number }[];
  /** Currencies beside its amounts, as they are written. */
  readonly currencies: readonly { readonly unit: string; readonly count: number }[];
  /** What nearly all texts look like, such as `K-000`. */
  readonly pattern?: string;
  readonly range?: { readonly least: string; readonly most: string };
  readonly several?: SeveralValues;
  /** Near-duplicate spellings among its options. */
  readonly misspellings?: readonly Misspelling[];
  /** What the file itself says of it. */
  readonly declared?: DeclaredColumn;
  /** All of this is of what a formula makes of its texts; `before` is what they were without it. */
  readonly cleaned?: { readonly by: string; readonly formula: Expression; readonly before: ColumnProfile };
}

/** What the file itself says of a sheet, as Table Schema does. */
export interface DeclaredSheet {
  /** The first row holds the names, whatever it looks like. */
  readonly header: true;
  readonly columns?: readonly DeclaredColumn[];
  readonly key?: readonly string[];
  readonly links?: readonly {
    readonly columns: readonly string[];
    readonly sheet: string;
    readonly to: readonly string[];
  }[];
  /** A column that tells the rows apart for links and becomes no field. */
  readonly record?: string;
  /** How its table looks, where our own export says so. */
  readonly table?: {
    readonly label?: string;
    readonly description?: string;
    readonly dye?: Dye;
    readonly title?: string;
  };
}

export interface DeclaredColumn {
  readonly name: string;
  /** By the words of Table Schema. */
  readonly type: string;
  readonly title?: string;
  readonly description?: string;
  readonly required?: boolean;
  readonly unique?: boolean;
  readonly options?: readonly string[];
  /** The sign numbers are written with. */
  readonly decimal?: '.' | ',';
  /** What our own export says of the field beyond that. */
  readonly field?: FieldType;
  readonly link?: {
    readonly onDelete?: DeletionRule;
    readonly many?: boolean;
    readonly counterpart?: { readonly label?: string; readonly key?: string };
  };
  readonly formula?: string;
}

/** Encodings offered when the one found is not right. */
export const encodings = [
  'utf-8',
  'utf-16le',
  'utf-16be',
  'windows-1252',
  'iso-8859-15',
  'macintosh',
  'iso-8859-1',
  'iso-8859-2',
  'iso-8859-5',
  'iso-8859-7',
  'iso-8859-9',
  'windows-1250',
  'windows-1251',
  'windows-1253',
  'windows-1254',
  'windows-1255',
  'windows-1256',
  'windows-1257',
  'windows-1258',
  'koi8-r',
  'koi8-u',
  'ibm437',
  'ibm850',
  'ibm852',
  'ibm866',
  'tis-620',
  'shift_jis',
  'euc-jp',
  'gbk',
  'gb18030',
  'big5',
  'euc-kr',
] as const;

/** How a file is to be read; what is left out is found out. */
export interface ReadingWish {
  readonly encoding?: string;
  readonly delimiter?: string;
  readonly quote?: string;
  /** How many rows stand before the names of the columns. */
  readonly preamble?: number;
  /** Over how many rows the names go; 0 where there are none. */
  readonly header?: number;
  /** By the name of a sheet, and of its column: how the column becomes several. */
  readonly parts?: Readonly<Record<string, Readonly<Record<string, PartsWish>>>>;
  /** A sheet is one table, whatever stands between its rows. */
  readonly oneTable?: boolean;
  /** By the name of a sheet: columns, by their names, whose blank cells say what stands above them. */
  readonly fill?: Readonly<Record<string, readonly string[]>>;
  /** By the name of a sheet: the columns that become rows, or that none do. */
  readonly turns?: Readonly<Record<string, TurnWish | null>>;
}

/** How a file was read, for people to correct. */
export interface ReadingFound {
  readonly kind: FileKind;
  readonly encoding?: string;
  readonly delimiter?: string;
  readonly quote?: string;
}

type FileKind = 'delimited text' | 'workbook' | 'open document' | 'JSON' | 'data package' | 'pasted range';

/** One sheet that was brought in, staged and profiled. */
export interface IntakeSheet {
  readonly name: string;
  readonly rows: number;
  /** Rows of the file in which nothing stands. */
  readonly blankRows?: number;
  /** Rows that are no records, such as totals and notes, and are not brought in. */
  readonly leftOut?: readonly LeftOutRow[];
  /** Which of the files of the intake it is from. */
  readonly file: number;
  readonly read: ReadingFound;
  /** Rows above the names of the columns, and over how many the names go. */
  readonly heading: { readonly preamble: number; readonly rows: number };
  /** Columns, by their names in the file, that became several. */
  readonly parts?: readonly { readonly column: string; readonly by: string; readonly names: readonly string[] }[];
  /** Columns, by their names in the file, whose blank cells were filled with what stands above them; and how many were. */
  readonly filled?: { readonly columns: readonly string[]; readonly cells: number };
  /** Its columns became rows. */
  readonly turned?: TurnedSheet;
  /** Columns that are called like the things of another sheet or table, and may be rows. */
  readonly headings?: { readonly columns: readonly string[]; readonly things: string; readonly label: string };
  readonly declared?: DeclaredSheet;
  /** Things met while reading, for people: rows of other lengths, characters left out. */
  readonly notes: readonly string[];
  readonly columns: readonly ColumnProfile[];
  /** Columns (by place) that may be its key, the likeliest first: each holds every value once and is never blank. */
  readonly keys: readonly number[];
  /** All columns that do, whatever they are. */
  readonly unique: readonly number[];
  /** The staging table. */
  readonly staged: string;
  /** Rows that say the same in every column as an earlier one. */
  readonly repeated?: number;
  /** Keys of several columns, on the rows that were sampled. */
  readonly wideKeys?: readonly (readonly number[])[];
  /** Its columns were so mapped the last time, into a table that stands; from then on as remembered. */
  readonly remembered?: { readonly at: string; readonly by: string };
  /** Columns whose values are found in the keys of tables that stand. */
  readonly standing?: readonly StandingMatch[];
  /** A sheet that was made of columns of another one, which repeats them on many rows. */
  readonly derived?: SplitOff;
}

/** A sheet some of whose columns became rows. */
interface TurnedSheet {
  /** Those columns, by their names in the file. */
  readonly columns: readonly string[];
  /** The column of their names, and those of their values. */
  readonly label: string;
  readonly values: readonly string[];
  /** Rows of the file that became its rows, those that are left out included. */
  readonly rows: number;
  /** Columns that only add them up, with how many rows say something else. */
  readonly totals: readonly {
    readonly name: string;
    readonly is: 'sum' | 'mean';
    readonly of: number;
    readonly others: number;
  }[];
  readonly byHand?: true;
}

/** A row that is not brought in, with what stands in it. */
export interface LeftOutRow {
  /** Its number among the rows below the names. */
  readonly row: number;
  /** Where columns became rows: the number of the row of the file that it comes from. */
  readonly inFile?: number;
  readonly why: string;
  readonly cells: readonly string[];
  /** A person left it out. */
  readonly byHand?: true;
  /** It is left out by a condition. */
  readonly where?: true;
  /** A person takes it in all the same. */
  readonly takenIn?: true;
}

/** A column whose values are found in a field that tells the records of a table that stands. */
export interface StandingMatch {
  readonly column: number;
  readonly table: TableId;
  readonly field: FieldId;
  /** A second column that has to agree with a field of the table, where only both identify its records. */
  readonly also?: { readonly column: number; readonly field: FieldId };
  /** Rows that find their value there, and rows that do not. */
  readonly matching: number;
  readonly missing: number;
  readonly misfits: readonly { readonly text: string; readonly count: number }[];
  /** Cells hold several values each, apart by this. */
  readonly separator?: string;
}

/** Columns of a sheet that say what a thing is: the one that tells it, and those that belong to it. */
export interface SplitPart {
  readonly sheet: number;
  readonly determinant: number;
  /** By the columns of the split behind its first one; null where this part does not say it. */
  readonly dependents: readonly (number | null)[];
}

/** Where a sheet that was split off comes from. Its first column is the determinant's. */
export interface SplitOff extends SplitPart {
  readonly dependents: readonly number[];
  /** The first of the dependents is a part of its key: a first name beside the last name. */
  readonly pair?: true;
  /** Further columns that name the same things, of this or of other sheets: senders and receivers. */
  readonly also?: readonly SplitPart[];
  /** Rows whose value is another one than the one that is kept of the thing, or that do not say which thing it is of. */
  readonly exceptions: readonly {
    /** Of the sheet that it was split off, or of a further part of it. */
    readonly sheet?: number;
    readonly column: number;
    readonly rows: number;
    readonly samples: readonly SplitException[];
  }[];
  /** Which of several values is kept, where it is not the most frequent one. */
  readonly keeps?: KeptValue;
  /** How a person reads the column of the newest value, where it is not as it was found. */
  readonly reading?: Reading;
  /** Places of parts, the first is 0, that are skipped, and name none of its things. */
  readonly without?: readonly number[];
  /** A person split it off. */
  readonly byHand?: true;
}

/** That of the last row, or that of the row with the newest value in a column of the sheet it was split off. */
type KeptValue = 'last' | number;

/** All columns that name the things of a split. */
export const partsOf = (split: SplitOff): readonly SplitPart[] => [split, ...(split.also ?? [])];

/** The split's own column that a column of a sheet has gone to; undefined where it stays. */
export function goneTo(split: SplitOff | undefined, sheet: number, column: number): number | undefined {
  for (const part of split ? partsOf(split) : []) {
    const at = part.sheet === sheet ? part.dependents.indexOf(column) : -1;
    if (at >= 0) return at + 1;
  }
  return undefined;
}

/** Whether a column tells the things of a split, or has gone to it. */
export const isOfSplit = (split: SplitOff | undefined, sheet: number, column: number): boolean =>
  split !== undefined &&
  (goneTo(split, sheet, column) !== undefined ||
    partsOf(split).some((part) => part.sheet === sheet && part.determinant === column));

export interface SplitException {
  /** What tells the thing; blank where the rows do not say it. */
  readonly key: string;
  readonly kept: string;
  readonly other: string;
  readonly rows: number;
}

/** The beginning of a sheet, shown while the rest of it is read. */
export interface SheetPreview {
  readonly file: number;
  readonly name: string;
  readonly names: readonly string[];
  readonly rows: readonly (readonly string[])[];
}

/** A column whose values are found in the key of another sheet. */
export interface FoundLink {
  readonly from: { readonly sheet: number; readonly column: number };
  readonly to: { readonly sheet: number; readonly column: number };
  /** A second column that has to agree, where only both identify the target. */
  readonly also?: { readonly from: number; readonly to: number };
  /** Cells hold several values each, apart by this: a link to many. */
  readonly separator?: string;
  readonly matching: number;
  readonly missing: number;
  readonly misfits: readonly { readonly text: string; readonly count: number }[];
  /** Spellings that are alike but for case, signs and zeros, and the keys that they mean. */
  readonly alike?: readonly { readonly from: string; readonly to: string }[];
  /** What speaks for and against it. */
  readonly reasons?: readonly Reason[];
}

/** What is done to a column's texts before they are read, in this order. */
export interface Cleaning {
  /** What a formula over the row's texts gives (see `rowFormula.ts`). */
  readonly formula?: Expression;
  /** Texts that stand for nothing. */
  readonly blanks?: readonly string[];
  /** A unit that is left out behind numbers. */
  readonly unit?: string;
  /** What keeps several values in one cell apart. */
  readonly separator?: string;
  /** Spellings, and what they are taken for. */
  readonly replace?: readonly { readonly from: string; readonly to: string }[];
}

/** How one column is brought in: into which field, and how its texts are read. */
export interface ColumnMapping {
  readonly column: number;
  readonly field: FieldId;
  readonly reading: Reading;
  readonly clean?: Cleaning;
  /** For a link: the field of the target that the column's texts are matched with. */
  readonly match?: FieldId;
  /** A second column, and the field of the target that has to agree with it. */
  readonly also?: { readonly column: number; readonly match: FieldId; readonly clean?: Cleaning };
  /** For a link: what becomes of texts that find no target; they are set aside unless said otherwise. */
  readonly missing?: MissingTargets;
}

/** The value is set aside, the target is made, or the row is refused. */
export type MissingTargets = 'setAside' | 'create' | 'refuse';

/** The same text for every row of a sheet, such as where it came from. */
export interface ConstantMapping {
  readonly field: FieldId;
  readonly text: string;
}

export interface SheetMapping {
  readonly sheet: number;
  readonly table: TableId;
  readonly columns: readonly ColumnMapping[];
  readonly constants?: readonly ConstantMapping[];
  /** A column that tells its rows apart for links and goes to no field: what `match` calls `_record`. */
  readonly numbered?: number;
  /** How rows meet the records of a table that stands already. */
  readonly into?: IntoExisting;
}

export interface IntoExisting {
  /** A column that holds the numbers of the records themselves, as a file of misfits does. */
  readonly record?: number;
  /** Fields by which a row finds its record; without any, every row is a new record. */
  readonly by: readonly FieldId[];
  /** Which rows come in: those of new records, those of records that stand, or both. */
  readonly mode: 'add' | 'update' | 'both';
  /** What a blank cell does to a value that stands. */
  readonly blanks: 'keep' | 'clear';
  /** Values of records that stay as they are, though their row says something else. */
  readonly keep?: readonly { readonly row: number; readonly column: number }[];
}

export const rowTests = ['blank', 'filled', 'is', 'isNot', 'contains', 'begins', 'again'] as const;

/**
 * What tells rows by a cell of theirs, texts compared without regard to case; or, with `again`, that an earlier row says
 * the same in every column.
 */
export interface RowCondition {
  readonly column: number;
  readonly test: (typeof rowTests)[number];
  readonly text?: string;
}

/** What a person settled of a whole sheet. */
export interface SheetDecision {
  readonly label?: string;
  /** It is left out. */
  readonly skip?: boolean;
  /** The table that stands already and takes its rows; `new` where one is to be made all the same. */
  readonly into?: TableId | 'new';
  /** The sheet whose new table takes its rows, too. */
  readonly with?: number;
  /** The columns that tell its records, together; none where it is empty. Without it the one that was found. */
  readonly key?: readonly number[];
  /** Rows that are left out, by their numbers; all others come in. Without it those that were found to be no records. */
  readonly leaveOut?: readonly number[];
  /** Rows that are left out besides: those that one of these holds for. */
  readonly leaveOutWhere?: readonly RowCondition[];
  /** Of a sheet that was split off: which of several values of a thing is kept; without it the most frequent one. */
  readonly keeps?: KeptValue;
  /** A text that each of its rows gets, in a field of the standing table or in a new field of this label. */
  readonly mark?: { readonly field: string; readonly text: string };
  /** A column that holds the numbers of the records that rows are for. */
  readonly record?: number;
  readonly by?: readonly FieldId[];
  readonly mode?: IntoExisting['mode'];
  readonly blanks?: IntoExisting['blanks'];
  readonly keep?: IntoExisting['keep'];
}

/** What a person settled of one column; what is left out stays as proposed. */
export interface ColumnDecision {
  readonly as?: ColumnType | 'skip' | 'link';
  readonly label?: string;
  /**
   * The field that takes it: of a standing table, or `f3.0`, that of another sheet's column; `new` for one of its own.
   */
  readonly field?: FieldId;
  /** A formula over the row's texts that gives what is read. */
  readonly formula?: string;
  /** Spellings that are taken for another one. */
  readonly replace?: readonly { readonly from: string; readonly to: string }[];
  readonly missing?: MissingTargets;
  /** For a link that a person wishes: the standing table, or `t3` for the one that sheet 3 becomes. */
  readonly to?: string;
  /** For a link into a standing table: the field of the target that texts are matched with. */
  readonly match?: FieldId;
  /** A second column that has to agree with a field of the target. */
  readonly also?: { readonly column: number; readonly match: FieldId };
  readonly reading?: Reading;
  /** Spellings of blank that are kept as they are. */
  readonly keepBlanks?: boolean;
  /** Near-duplicate spellings that stay apart. */
  readonly keepSpellings?: boolean;
}

/** A person's corrections: tables by sheet, columns by `sheet.column`. The proposal is made again from them. */
export interface Decisions {
  readonly tables: Readonly<Record<string, SheetDecision>>;
  readonly columns: Readonly<Record<string, ColumnDecision>>;
  /** Things to look at that a person has looked at, by their words and places. */
  readonly seen?: readonly string[];
}

export const noDecisions: Decisions = { tables: {}, columns: {} };

/** What would be made and loaded: a plan's changes, and where each sheet's rows go. */
export interface Proposal {
  readonly decisions: Decisions;
  readonly changes: readonly Change[];
  readonly mappings: readonly SheetMapping[];
  readonly links: readonly FoundLink[];
}

/** What became of one sheet's rows: read = added + changed + unchanged + setAside + refused. */
export interface SheetReceipt {
  readonly sheet: string;
  readonly table: TableId;
  readonly tableLabel: string;
  /** A new record's number is this plus its row's. */
  readonly offset?: number;
  /** Which of the intake's sheets it is. */
  readonly index?: number;
  readonly read: number;
  /** Rows that came in whole as new records. */
  readonly added: number;
  /** Records that were there already: those that differ now, and those that are unchanged. */
  readonly changed?: number;
  readonly unchanged?: number;
  /** The first few values that differ. */
  readonly changes?: readonly {
    /** Its row and column in the sheet. */
    readonly row?: number;
    readonly column?: number;
    readonly record: string;
    readonly field: string;
    readonly before: string;
    readonly after: string;
  }[];
  /** Rows that came in with at least one value set aside. */
  readonly setAside: number;
  /** Rows that did not come in. */
  readonly refused: number;
  /** What became of every filled cell, column by column. */
  readonly cells?: readonly CellAccount[];
  /** Rows as the file has them: those above the names, those of the names, blank ones, and those read. */
  readonly inFile?: {
    readonly above: number;
    readonly names: number;
    readonly blank: number;
    readonly leftOut?: number;
    /** So many rows of the file became those that were read, as columns became rows. */
    readonly turned?: number;
  };
  /** Rows that were left out, the first ones, and why. */
  readonly leftOut?: readonly { readonly row: number; readonly why: string; readonly text: string }[];
  readonly reasons: readonly {
    readonly field: string;
    readonly reason: string;
    readonly count: number;
    readonly samples: readonly string[];
  }[];
  /** Sums of the number columns, as read and as stored. */
  readonly sums: readonly {
    readonly field: string;
    /** What the numbers measure: a currency or a unit. */
    readonly unit?: string;
    readonly read: string;
    readonly stored: string;
    /** It is twice what one row says, or what rows say that looked like totals: a total may have come in. */
    readonly twice?: true;
  }[];
  readonly links: readonly { readonly field: string; readonly made: number; readonly missed: number }[];
  /** What was met while the sheet was read, such as cells with errors. */
  readonly notes?: readonly string[];
  /** Records made in other tables for texts of links that found none. */
  readonly madeBeside?: readonly { readonly field: string; readonly table: string; readonly count: number }[];
  /** Words that joined lists which people may add to. */
  readonly newOptions?: readonly { readonly field: string; readonly options: readonly string[] }[];
}

/** The filled cells of one column: filled = written + set aside + in refused rows + taken as blank + left out. */
export interface CellAccount {
  readonly column: string;
  /** Where they went; null where the column was left out. */
  readonly field: string | null;
  readonly filled: number;
  /** Cells whose value the records have now, written or there already. */
  readonly written: number;
  readonly setAside: number;
  readonly refused: number;
  /** Spellings that stand for nothing. */
  readonly blank: number;
  readonly leftOut: number;
}

export interface Receipt {
  readonly dry: boolean;
  readonly sheets: readonly SheetReceipt[];
  readonly seconds: number;
}
