import type { Expression } from './expression';
import type { FieldId, TableId } from './identity';

/** What one may do in a workspace besides seeing and writing records. */
export const workspaceRights = ['design', 'bringIn', 'takeOut', 'share', 'routines', 'people'] as const;
export type WorkspaceRight = (typeof workspaceRights)[number];

/** Which records of a table: none of them, those that meet a condition, or all. */
export type Reach = 'none' | 'all' | Expression;

/** What one does with records, each with its own reach. */
export const recordRights = ['see', 'enter', 'change', 'delete'] as const;
export type RecordRight = (typeof recordRights)[number];

/** A field that is not seen, or seen and not entered. All others are both. */
export type FieldLimit = 'hidden' | 'seen';

/** What one may do in one table. */
export type TableRights = Readonly<Record<RecordRight, Reach>> & {
  /** Changes its structure. */
  readonly design: boolean;
  readonly fields: Readonly<Record<FieldId, FieldLimit>>;
};

/** What somebody may see and do: a value that everything else follows from. */
export interface Rights {
  readonly workspace: readonly WorkspaceRight[];
  /** In the tables that are not named. */
  readonly others: TableRights;
  readonly tables: Readonly<Record<TableId, TableRights>>;
}

/** Rights with a name: people and groups have one in a workspace. */
export interface Role extends Rights {
  readonly id: string;
  readonly label: string;
  readonly description: string;
}
