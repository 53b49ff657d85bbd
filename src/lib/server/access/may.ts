import { has, rightsOver, writes, writesIn } from '$core/access/rights';
import { feedOf } from '$core/flow/feeds';
import { ownTables } from '$core/model/model';
import { workspaceRights, type FieldLimit, type WorkspaceRight } from '$core/types/role';
import type { FieldId, TableId } from '$core/types/identity';
import { allows, type WorkspaceAccess } from './workspaceAccess';

/** What pages offer in one table; whether a single record may be changed is said by the server where it is tried. */
interface TableMay {
  readonly write: boolean;
  readonly enter: boolean;
  readonly change: boolean;
  readonly delete: boolean;
  readonly design: boolean;
  /** Fields that are seen and not entered. */
  readonly still: readonly FieldId[];
}

/** What pages offer to somebody in a workspace. */
export type May = Readonly<Record<WorkspaceRight, boolean>> & {
  readonly write: boolean;
  /** By the identity of the table. */
  readonly tables: Readonly<Record<TableId, TableMay>>;
};

/** What somebody may do, for pages: what they may not is not offered. */
export function mayOf({ rights, sight, whole }: WorkspaceAccess): May {
  const tables = ownTables(sight).map((table): [TableId, TableMay] => {
    const own = rightsOver(whole.model, rights, table);
    const limits = Object.entries(own.fields) as [FieldId, FieldLimit][];
    return [
      table.id,
      {
        write: writesIn(own),
        // Records of a feed come and go with those of its sources.
        enter: own.enter !== 'none' && !feedOf(table),
        change: own.change !== 'none',
        delete: own.delete !== 'none' && !feedOf(table),
        design: own.design,
        still: limits.flatMap(([id, limit]) => (limit === 'seen' ? [id] : [])),
      },
    ];
  });
  const held = workspaceRights.map((right) => [right, has(rights, right)] as const);
  return {
    ...(Object.fromEntries(held) as Record<WorkspaceRight, boolean>),
    design: allows(rights, 'design'),
    write: writes(rights),
    tables: Object.fromEntries(tables),
  };
}
