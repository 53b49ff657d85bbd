import type { Component } from 'svelte';
import { linkedTable } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';

/** A record that another one names. */
export interface RecordName {
  readonly id: number;
  readonly title: string;
}

/** The records that a field's value names, and their table; null where it names none, as a count does. */
export function namedRecords(
  model: Model,
  field: Field,
  value: unknown,
): { readonly table: Table; readonly records: readonly RecordName[] } | null {
  // Asked of every cell that is drawn: most are blank, or no link.
  const table = value === null || value === undefined ? undefined : linkedTable(model, field)?.table;
  if (!table) return null;
  const records = (Array.isArray(value) ? value : [value]).filter(
    (one): one is RecordName => typeof one === 'object' && one !== null && 'id' in one && 'title' in one,
  );
  return records.length > 0 ? { table, records } : null;
}

/** The address of a record's own page; tables of other workspaces are shown there. */
export const recordAddress = (workspace: string, table: Table, id: number): string =>
  `/w/${table.home ?? workspace}/t/${table.key}/r/${id}`;

/** What a record of another table is shown with, beside the records that name it. */
export interface LinkedShown {
  /** What shows the record that is gone on to from there. */
  readonly Linked: Component<LinkedShown>;
  readonly workspace: string;
  readonly model: Model;
  readonly table: Table;
  readonly record: RecordName;
  readonly mayEdit: boolean;
  /** The way back to what was beside before. */
  readonly back: { readonly label: string; readonly go: () => void } | null;
  readonly onclose: () => void;
}
