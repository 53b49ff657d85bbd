import type { FieldId } from '$core/types/identity';
import { NeedsExclusive } from '../access/lock';
import type { WorkspaceState } from '../access/workspaceAccess';
import type { Client } from '../database/pool';
import type { ReportProgress } from '../database/progress';

/** What a recalculation works with. */
export interface Recalculation {
  readonly client: Client;
  readonly workspace: WorkspaceState;
  /** Whether the transaction holds the workspace alone, so that no record needs a lock of its own. */
  readonly exclusive: boolean;
  /** Calculated fields to work out for every record, whatever changed. */
  readonly anew?: ReadonlySet<FieldId>;
  readonly reportProgress?: ReportProgress | undefined;
  /** Whether to stop and ask where the consequences reach more than `mostLimited` records. */
  readonly ask?: boolean | undefined;
}

/** Thrown where an edit reaches so many records that whoever makes it is asked first. */
export class ReachesMany extends Error {}

/** Work over a whole table is asked about first, where somebody waits, and done by a transaction that stands alone. */
export function requireAlone({ ask, exclusive }: Recalculation): void {
  if (ask) throw new ReachesMany();
  if (!exclusive) throw new NeedsExclusive();
}
