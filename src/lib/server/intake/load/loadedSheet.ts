import type { IntakeSheet, SheetMapping } from '$core/intake/intake';
import type { Table } from '$core/types/model';

export interface LoadedSheet {
  readonly sheet: IntakeSheet;
  readonly mapping: SheetMapping;
  readonly table: Table;
  /** A record's `_id` is this plus its row's number, so staged rows and records find each other without a search. */
  readonly offset: number;
  /** The standing table it goes into has records of its own. */
  readonly stands: boolean;
}
