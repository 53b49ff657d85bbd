import type { Model, Table } from '$core/types/model';
import { quoteIdentifier } from '$core/base/sql';

/**
 * The statements of one change. `shape` makes, renames or converts; `rules` are the indexes and constraints, which are
 * built after the records are in. They are written for the model as it is then: a later change of the same list may
 * have renamed what they are on.
 */
export interface ChangeStatements {
  readonly shape: readonly string[];
  readonly rules: (model: Model) => readonly string[];
}

export interface DdlContext {
  /** The schema and the time zone of a table's workspace. */
  readonly homeOf: (table: Table) => { readonly key: string; readonly zone: string };
  /** The schema that a table is in while the change goes on. */
  readonly schemaOf: (table: Table) => string;
  /** The model before and after the change. */
  readonly before: Model;
  readonly after: Model;
  /** Names of columns and tables that wait in the bin, so that what comes back finds its values again. */
  readonly bin: ReadonlySet<string>;
}

export const none = (): readonly string[] => [];
export const nothing: ChangeStatements = { shape: [], rules: none };

/** What is removed keeps its values under this name until it is brought back. Keys never begin with `_`. */
export const binName = (id: string): string => `_bin_${id}`;

/** The column of before a change of type, kept for taking it back. */
export const keptName = (keep: string): string => `_was_${keep}`;

export interface Places {
  readonly named: (table: Table) => string;
  /** What stays in the schema of the workspace: numberings, and what waits in the bin. */
  readonly inSchema: (table: Table, name: string) => string;
  /** What is in the schema of the table. */
  readonly inTableSchema: (table: Table, name: string) => string;
  readonly zoneOf: (table: Table) => string;
  readonly homeSchemaOf: (table: Table) => string;
}

export function placesOf({ homeOf, schemaOf }: Pick<DdlContext, 'homeOf' | 'schemaOf'>): Places {
  return {
    named: (table) => `${quoteIdentifier(schemaOf(table))}.${quoteIdentifier(table.key)}`,
    inSchema: (table, name) => `${quoteIdentifier(homeOf(table).key)}.${quoteIdentifier(name)}`,
    inTableSchema: (table, name) => `${quoteIdentifier(schemaOf(table))}.${quoteIdentifier(name)}`,
    zoneOf: (table) => homeOf(table).zone,
    homeSchemaOf: (table) => homeOf(table).key,
  };
}
