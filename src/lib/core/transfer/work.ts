import type { View } from '../types/view';
import type { Problem, Result } from '../base/problem';
import type { Written } from '../filled/written';
import type { Change } from '../types/change';
import type { Expression } from '../types/expression';
import type { TableId } from '../types/identity';
import type { Model } from '../types/model';
import type { WorkName, Works } from '../types/transfer';

/** A link around the records of a transfer, and what becomes of it. */
export interface LinkLine {
  /** `Inspections.Hive`. */
  readonly link: string;
  readonly fate: 'follows' | 'pointed' | 'cleared' | 'keptBehind' | 'deleted';
  readonly words: string;
}

/** A formula, a view, a form, a rule that reads what is transferred. */
export interface FormulaLine {
  readonly words: string;
  readonly before: string;
  /** As it is written afterwards; null where it cannot follow. */
  readonly after: string | null;
  readonly problem: string | null;
}

/** What a transfer is in changes, in their order, and what is to be said of it before. */
export interface Compiled {
  readonly changes: readonly Change[];
  readonly links: readonly LinkLine[];
  readonly formulas: readonly FormulaLine[];
  /** Records that would not come along, by a condition; counted before. `words` stand behind the number of records. */
  readonly left?: readonly { readonly table: TableId; readonly where: Expression; readonly words: string }[];
  /** Why it cannot be done as it is. */
  readonly problems: readonly Problem[];
  /** What becomes of a view of somebody's own, of a table that goes: these stand in no model. */
  readonly ownView?: (table: TableId, view: View) => { readonly table: TableId; readonly view: View } | null;
}

/** All that the core knows of one work. */
export interface WorkDescriptor<K extends WorkName> {
  /** What a person says: *Move or copy records*. */
  readonly label: string;
  /** In one sentence what comes out. */
  readonly help: string;
  /** The title of its step in the history. */
  title(model: Model, transfer: Works[K]): string;
  compile(model: Model, transfer: Works[K]): Result<Compiled>;
  /** As programs write it, with today's keys; everything that was proposed is in it. */
  print(model: Model, transfer: Works[K]): Written;
  /** Reads what programs write; what is left out is proposed. */
  read(model: Model, json: Written): Result<Works[K]>;
}
