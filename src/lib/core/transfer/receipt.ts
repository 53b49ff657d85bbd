import type { Effect } from '../changes/effect';
import type { FieldId, TableId } from '../types/identity';
import type { Problem } from '../base/problem';
import type { FormulaLine, LinkLine } from './work';

/** What a transfer would do, before it is done. */
export interface TransferPlan {
  /** The title of its step in the history. */
  readonly title: string;
  /** How many records it takes, by table. */
  readonly takes: readonly { readonly table: string; readonly count: number }[];
  /** Records that would not come along; `words` stand behind their number. */
  readonly left: readonly { readonly words: string; readonly count: number }[];
  readonly links: readonly LinkLine[];
  readonly formulas: readonly FormulaLine[];
  /** Its changes of the structure, as any plan shows them. */
  readonly effects: readonly Effect[];
  /** A few values before and after. */
  readonly samples: readonly { readonly record: string; readonly before: string; readonly after: string }[];
  /** Why it cannot be done as it is. */
  readonly problems: readonly Problem[];
}

/** Records that were left out for one reason, with the first of them. */
export interface LeftOut {
  readonly reason: string;
  readonly count: number;
  readonly records: readonly { readonly id: number; readonly title: string }[];
}

/** What did not come along whole in a change of records, by their numbers: for a file in which it is corrected. */
export interface Misfits {
  /** Records that were left. */
  readonly left: readonly { readonly reason: string; readonly ids: readonly number[] }[];
  /** Values that did not fit, with the record that was made and the one that it was made of. */
  readonly aside: readonly {
    readonly record: number;
    readonly source?: number;
    readonly field: FieldId;
    readonly text: string;
    readonly reason: string;
  }[];
}

/** The misfits of one line of a receipt, with the tables that its records are of: before, and where they went. */
export interface StepMisfits extends Misfits {
  readonly step: number;
  readonly from: TableId;
  readonly to: TableId;
}

/** What one change of records did: chosen = written + same + the counts of all that was left. */
export interface ReceiptLine {
  readonly words: string;
  /** The table whose records it was about, by label and, where it still stands, by key. */
  readonly label: string;
  readonly table: string | null;
  readonly did: 'copyRecords' | 'setValues' | 'pointLinks' | 'clearLinks' | 'removeRecords';
  readonly chosen: number;
  readonly written: number;
  /** They had it already. */
  readonly same: number;
  readonly left: readonly LeftOut[];
  /** How many values did not fit and wait in Set aside. */
  readonly aside: number;
}

/** Sums of a number on both sides of what was moved. */
export interface ReceiptSum {
  readonly from: string;
  readonly to: string;
  readonly before: string;
  readonly after: string;
}

/** A calculated field, compared record by record before and after. */
export interface ReceiptFormula {
  readonly field: string;
  readonly records: number;
  readonly differ: number;
  readonly samples: readonly { readonly record: string; readonly before: string; readonly after: string }[];
}

/** What a transfer came to, tried or done. */
export interface TransferReceipt {
  readonly lines: readonly ReceiptLine[];
  readonly sums: readonly ReceiptSum[];
  readonly formulas: readonly ReceiptFormula[];
  readonly seconds: number;
}
