import type { RunDone } from '$core/routines/log';
import type { Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import type { Change } from '$core/types/change';
import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Effects, Recalculation } from '../calculation/effects';
import type { BatchKind } from '../database/catalogue';

export type StoredValues = ReadonlyMap<FieldId, Scalar>;

/** Settled edits of one table's records, in the core's values. */
export interface TableEdits {
  readonly table: Table;
  /** `id` brings a deleted record back under its own number. */
  readonly insert: readonly { readonly id?: number; readonly values: StoredValues }[];
  /** `version`: the version that the edit was made on, refused when the record moved on. */
  readonly update: readonly { readonly id: number; readonly version?: number; readonly values: StoredValues }[];
  readonly remove: readonly number[];
  /** It follows from other edits by the rules of links: nobody's rights are asked for it. */
  readonly follows?: true;
}

export interface BatchInfo {
  /** Where its history is written before it is. */
  readonly id?: number;
  readonly kind: BatchKind;
  readonly title: string;
  readonly changes?: readonly Change[];
  readonly inverse?: readonly Change[];
  /** The form by which records were entered. */
  readonly form?: string;
  /** The batch that this one undoes. */
  readonly undoes?: number;
  /** What routines did within it. */
  readonly runs?: readonly RunDone[];
}

export interface HistoryRow {
  readonly table: string;
  readonly first: number;
  readonly last: number;
  readonly kind: 'made' | 'changed' | 'deleted';
  readonly before: Record<FieldId, Scalar> | null;
  readonly after: Record<FieldId, Scalar> | null;
  /** Its place among the writes of its batch, which are undone from the last one. */
  readonly step?: number;
  /** The routine that wrote it. */
  readonly routine?: string;
}

/** One line of the history for a run of new records, whose numbers follow each other. */
export const madeRun = (table: string, first: number, last: number): HistoryRow => ({
  table,
  first,
  last,
  kind: 'made',
  before: null,
  after: null,
});

/** What is worked out after a write, and on whose behalf. */
export interface Following extends Recalculation {
  /** Over everything: for what deletion rules make of records that leave a feed. */
  readonly access: WorkspaceAccess;
  /** It is rolled back: routines ask for nothing that stands outside of the transaction. */
  readonly tries?: boolean;
}

/** What one statement of a write did. */
export interface WriteDone {
  readonly history: readonly HistoryRow[];
  readonly effects: readonly Effects[];
}
