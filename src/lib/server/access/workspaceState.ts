import { quoteIdentifier } from '$core/base/sql';
import type { Dye } from '$core/types/field';
import type { Icon } from '$core/types/icons';
import type { TableId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import { raw, type Sql } from '../base/sql';
import type { Home } from './models';

/**
 * The tables of which somebody may see some records only, each with what stands for it behind `from`. A subquery
 * without more than a condition is planned as if the condition stood in the statement itself.
 */
export interface RecordCuts {
  /** Tells cuts apart: statements that are kept for a structure differ by it. */
  readonly name: string;
  readonly of: ReadonlyMap<TableId, string>;
}

/** A workspace as it was at one version of its model. */
export interface WorkspaceState extends Home {
  readonly label: string;
  readonly description: string;
  readonly dye: Dye;
  readonly icon: Icon | null;
  /**
   * The workspaces that links lead to or come from; their tables stand in the model behind its own, with their `home`.
   */
  readonly peers: readonly Home[];
  readonly model: Model;
  /** Where the person may see some records of tables only: what is read then, instead of all. */
  readonly cuts?: RecordCuts;
  /** Tables that a change in progress works on beside those that are read meanwhile. */
  readonly shadowed?: ReadonlySet<TableId>;
  /**
   * The structure is that of an open transaction: nothing that is made for it may be kept, as it may never come to be.
   */
  readonly uncommitted?: true;
}

/** Where a table lives. */
export function homeOf(workspace: WorkspaceState, table: Pick<Table, 'home'>): Home {
  return workspace.peers.find(({ key }) => key === table.home) ?? workspace;
}

/** The schema in which a change in progress works on copies of a workspace's tables. */
export const shadowSchema = ({ id }: Pick<Home, 'id'>): string => `_shadow_${id}`;

/** The schema that a table is in now. */
export const schemaOf = (workspace: WorkspaceState, table: Pick<Table, 'id' | 'home'>): string =>
  workspace.shadowed?.has(table.id) ? shadowSchema(homeOf(workspace, table)) : (table.home ?? workspace.key);

/** The quoted name of a table in the schema it is in now, with all its records. */
export const storedName = (workspace: WorkspaceState, table: Pick<Table, 'id' | 'key' | 'home'>): string =>
  `${quoteIdentifier(schemaOf(workspace, table))}.${quoteIdentifier(table.key)}`;

/**
 * What stands for a table behind \`from\`: its name or, where the person may see some of its records only, those. All
 * that is read of records comes by this, so that nothing else has to know of it.
 */
export const tableName = (workspace: WorkspaceState, table: Pick<Table, 'id' | 'key' | 'home'>): string =>
  workspace.cuts?.of.get(table.id) ?? storedName(workspace, table);

/** The same as a part of a statement. */
export const tableSql = (workspace: WorkspaceState, table: Pick<Table, 'id' | 'key' | 'home'>): Sql =>
  raw(tableName(workspace, table));
