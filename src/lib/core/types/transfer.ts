import type { Change } from './change';
import type { Expression } from './expression';
import type { FieldId, TableId } from './identity';
import type { FilledField, RecordPairs } from './recordChange';

/** The records a transfer takes of a table: those that meet a condition, those named, or all. */
export interface TakenRecords {
  readonly table: TableId;
  readonly where: Expression | null;
  readonly records: readonly number[] | null;
}

/** Sets fields of records by formulas. */
export interface Fill extends TakenRecords {
  readonly work: 'fill';
  readonly set: readonly FilledField[];
}

/** Other codes for records, after a list, wherever these codes stand as text. */
export interface Rekey {
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

/** Every work by its name. */
export interface Works {
  readonly fill: Fill;
  readonly rekey: Rekey;
  readonly join: Join;
  readonly move: Move;
}

export type WorkName = keyof Works;

/** What is wanted of data that stands: plain, JSON-able, and the same from every way in. */
export type Transfer = Works[WorkName];

export type { RecordPairs };
