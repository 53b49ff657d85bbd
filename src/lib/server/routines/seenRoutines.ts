import { partsOf } from '$core/types/part';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { isSeenBy } from '../records/routines/runRoutines';

/**
 * The labels of the routines, by identity, of which somebody sees all that they use: of these alone they are told what
 * was written, made and sent. What a routine did that is gone nobody is told any more, as it is not known whose it was.
 */
export const seenRoutines = (access: WorkspaceAccess): ReadonlyMap<string, string> =>
  new Map(
    access.whole.model.tables.flatMap((table) =>
      table.home === undefined
        ? partsOf(table, 'routine').flatMap((routine) =>
            isSeenBy(access, table, routine) ? [[routine.id, routine.label] as const] : [],
          )
        : [],
    ),
  );
