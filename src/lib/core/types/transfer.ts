import type { Change } from './change';
import type { Expression } from './expression';
import type { FieldId, TableId } from './identity';
import type { FilledField } from './recordChange';

/** The records a transfer takes of a table: those that meet a condition, those named, or all. */
export interface TakenRecords {
  readonly table: TableId;
  readonly where: Expression | null;
  readonly records: readonly number[] | null;
}

/** Sets fields of records by formulas. */
interface Fill extends TakenRecords {
  readonly work: 'fill';
  readonly set: readonly FilledField[];
}

/** Other codes for records, after a list, wherever these codes stand as text. */
interface Rekey {
  readonly work: 'rekey';
  readonly table: TableId;
  readonly field: FieldId;
  /** The new code of each old one. */
  readonly codes: Readonly<Record<string, string>>;
  /** Other fields that hold these codes. */
  readonly also: readonly { readonly table: TableId; readonly field: FieldId }[];
}

/** Records that are one thing: all becomes that of the winner. */
export interface JoinedRecords {
  readonly winner: number;
  readonly losers: readonly number[];
  /** The fields in which another record's value stands; of lists with several options `all` puts them together. */
  readonly values: readonly { readonly field: FieldId; readonly from: number | 'all' }[];
}

/** Duplicates become one record each. */
export interface Join {
  readonly work: 'join';
  readonly table: TableId;
  readonly groups: readonly JoinedRecords[];
}

/** What becomes of the records whose link points at those that move. */
export type LinkFate = { readonly link: FieldId } & (
  | { readonly do: 'follow'; readonly records: MovedRecords }
  | { readonly do: 'point'; readonly into: FieldId }
  | { readonly do: 'clear' | 'keep' | 'delete' }
);

/** Records of one table on their way to another, with those that point at them. */
export interface MovedRecords {
  readonly from: TableId;
  readonly to: TableId;
  /** Over a record of `from`; links to what moves with it go by the name of its table. */
  readonly fields: readonly FilledField[];
  readonly links: readonly LinkFate[];
}

/** Moves or copies records to another table. */
export interface Move extends TakenRecords {
  readonly work: 'move';
  readonly copy: boolean;
  /** Changes that make the tables they go to, where these are new. */
  readonly make: readonly Change[];
  readonly moved: MovedRecords;
}

/** What formulas have to give the same afterwards, unless their differences are accepted. */
interface Compared {
  readonly accept?: true;
}

/** Columns of a table that are decided by others become a table of their own, with a link to it. */
export interface SplitOff extends Compared {
  readonly work: 'splitOff';
  readonly table: TableId;
  /** The fields that decide the others. */
  readonly by: readonly FieldId[];
  /** The changes that make the new table, and the link to it. */
  readonly make: readonly Change[];
  readonly to: TableId;
  readonly link: FieldId;
  /** Which field of the new table each field becomes; those that decide among them. */
  readonly fields: readonly { readonly from: FieldId; readonly to: FieldId }[];
  /** What is settled before, so that records that belong together say the same. */
  readonly decisions: readonly (TakenRecords & { readonly set: readonly FilledField[] })[];
}

/** A linked table becomes columns of the table that links to it. */
export interface FoldIn extends Compared {
  readonly work: 'foldIn';
  readonly table: TableId;
  readonly link: FieldId;
  /** The changes that make the columns. */
  readonly make: readonly Change[];
  /** Which field of the linked table each column has the values of. */
  readonly fields: readonly { readonly from: FieldId; readonly to: FieldId }[];
}

/** Columns of one kind, such as months, become records of a table under each record. */
export interface ToRows extends Compared {
  readonly work: 'toRows';
  readonly table: TableId;
  readonly make: readonly Change[];
  readonly to: TableId;
  /** The fields of the new records: the link to the record, what the column stood for, and its value. */
  readonly link: FieldId;
  readonly name: FieldId;
  readonly value: FieldId;
  /** The columns, each with what it stands for, as a value of that field. */
  readonly columns: readonly { readonly field: FieldId; readonly is: Expression }[];
  /** The columns go to the bin. */
  readonly remove: boolean;
}

/** What stands where several records would give one column a value. */
export type ClashRule = 'first' | 'last' | 'sum' | 'min' | 'max' | 'avg';

/** Records under a record become columns of it. */
export interface ToColumns {
  readonly work: 'toColumns';
  readonly table: TableId;
  readonly link: FieldId;
  readonly name: FieldId;
  readonly value: FieldId;
  readonly clash: ClashRule;
  readonly make: readonly Change[];
  readonly columns: readonly { readonly is: Expression; readonly to: FieldId }[];
  readonly remove: boolean;
}

/** One of the tables that become one. */
export interface MergedSource {
  readonly table: TableId;
  /** What its records have in the field that says where they come from, by the identity of an option. */
  readonly mark: string;
  /** How fields of the merged table are filled from it; nothing for the table that the others go into. */
  readonly fields: readonly FilledField[];
}

/** Two or more tables become one. */
export interface Merge extends Compared {
  readonly work: 'merge';
  readonly make: readonly Change[];
  readonly to: TableId;
  /** The list that says where a record comes from. */
  readonly mark: FieldId;
  readonly sources: readonly MergedSource[];
  /** Links from elsewhere, and the links to the merged table in their place. */
  readonly links: readonly { readonly old: FieldId; readonly now: FieldId }[];
}

/** One column of a feed: its name, and what it shows of each source, by the source's key, as written. */
export interface FeedColumn {
  readonly label: string;
  readonly from: Readonly<Record<string, string>>;
}

/** A table that is kept up to date from others, or a further source of one. */
export interface Feed {
  readonly work: 'feed';
  readonly make: readonly Change[];
  readonly to: TableId;
  /** As it was wanted. */
  readonly label: string;
  readonly isNew: boolean;
  readonly markLabel: string;
  readonly sources: readonly { readonly table: string; readonly where: string; readonly mark: string }[];
  readonly columns: readonly FeedColumn[];
}

/** Every work by its name. */
export interface Works {
  readonly move: Move;
  readonly merge: Merge;
  readonly splitOff: SplitOff;
  readonly foldIn: FoldIn;
  readonly toRows: ToRows;
  readonly toColumns: ToColumns;
  readonly fill: Fill;
  readonly join: Join;
  readonly rekey: Rekey;
  readonly feed: Feed;
}

export type WorkName = keyof Works;

/** What is wanted of data that stands: plain, JSON-able, and the same from every way in. */
export type Transfer = Works[WorkName];
