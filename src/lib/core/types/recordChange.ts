import type { Expression, Scalar } from './expression';
import type { FieldId, TableId } from './identity';

/** The records of a table that a change works on: those that meet all that is said of them. */
export interface ChosenRecords {
  /** A condition over a record of the table; null takes all. */
  readonly where: Expression | null;
  /** Only these, by their numbers. */
  readonly only?: readonly number[];
  /** Only those whose link names a record of which an earlier change of the list made another (see `CopyRecords`). */
  readonly under?: { readonly link: FieldId; readonly copies: CopiesName };
}

/** Names what a change of a list made, for the later changes of the same list: which record came of which. */
export type CopiesName = string;

/** Which record each stands for: from the first to the second, by their numbers. */
type RecordPairs = readonly (readonly [number, number])[];

/** What later changes go by: what an earlier one made, or records that are named. */
export type CameOf = CopiesName | RecordPairs;

/** Where the values of a field come from, for each record that a change works on. */
type ValueSource =
  /** A formula over the source record. */
  | { readonly is: 'formula'; readonly formula: Expression }
  /** The record that came of the one a formula names; without a formula, of the source record itself. */
  | { readonly is: 'copy'; readonly copies: CopiesName; readonly of: Expression | null }
  /** The source record itself, for a link to it. */
  | { readonly is: 'record' }
  /** Another text in place of the one the field has now; texts that are not in the list stay. */
  | { readonly is: 'replaced'; readonly texts: Readonly<Record<string, string>> }
  /** What the same field has on another record, from the record to that one. */
  | { readonly is: 'taken'; readonly from: RecordPairs }
  /** The options of the field together with those that it has on other records, from the record to each of them. */
  | { readonly is: 'joined'; readonly with: RecordPairs }
  /** A value for each record. */
  | { readonly is: 'given'; readonly values: readonly (readonly [number, Scalar])[] };

/** A field with where its values come from, and how what comes is read as the field's own type. */
export interface FilledField {
  readonly field: FieldId;
  readonly from: ValueSource;
  /** For a link that is filled from text: the field of its target that the text is compared with. */
  readonly match?: FieldId;
  /** What becomes of a text that is no target's: set aside, unless a target is made with it. */
  readonly missing?: 'setAside' | 'create';
  /** For lists: which option each option of the source becomes, by identity. */
  readonly options?: Readonly<Record<string, string>>;
}

/**
 * Makes records of a table from those of another, or of the same. What the table's rules refuse is left out and said.
 * Later changes of the list know by the name `copies` which record came of which.
 */
export interface CopyRecords {
  readonly do: 'copyRecords';
  readonly table: TableId;
  readonly from: TableId;
  readonly chosen: ChosenRecords;
  readonly values: readonly FilledField[];
  readonly copies: CopiesName;
  /** One record for each different combination of these, with the values that most of its records have. */
  readonly by?: readonly Expression[];
  /** The new records are the old ones in another place: their history goes on, old addresses lead to them. */
  readonly moves?: true;
}

/** Fills fields of records; those that have the value already are not written. */
export interface SetValues {
  readonly do: 'setValues';
  readonly table: TableId;
  readonly chosen: ChosenRecords;
  readonly set: readonly FilledField[];
  /** Formulas are over the records of this table that the records came of, not over the records themselves. */
  readonly source?: { readonly table: TableId; readonly copies: CopiesName };
}

/** Points links at what came of the records they point at: in the same field, or in another; null makes them blank. */
export interface PointLinks {
  readonly do: 'pointLinks';
  readonly table: TableId;
  readonly link: FieldId;
  readonly cameOf: CameOf;
  readonly into: FieldId | null;
  /** The link keeps what it points at, as it goes to the bin by a later change. */
  readonly keeps?: true;
}

/** Deletes the records of which others came, or those whose link names one of which another came. */
export interface RemoveRecords {
  readonly do: 'removeRecords';
  readonly table: TableId;
  readonly cameOf: CameOf;
  readonly by?: FieldId;
  /** Not those that one of these links points at: they stay behind as copies. */
  readonly unlessLinkedBy?: readonly FieldId[];
  /** Where the others are named: the deleted record is one with its other from now on, old addresses lead to it. */
  readonly joins?: true;
}

/**
 * Remembers what calculated fields have by now, to be held against what they, or those in their place, have at the end.
 * What changed before it is worked out first.
 */
export interface CompareValues {
  readonly do: 'compareValues';
  readonly table: TableId;
  readonly fields: readonly {
    readonly field: FieldId;
    /** The field that has its values at the end, and how its records came about; the same field and records unless said. */
    readonly now?: { readonly table: TableId; readonly field: FieldId; readonly copies: CopiesName };
  }[];
}
