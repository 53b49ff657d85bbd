import { applyChange, describeChange } from '$core/changes/change';
import type { Effect } from '$core/changes/effect';
import { findTable } from '$core/model/model';
import type { Change } from '$core/types/change';
import { carriedBy } from '../access/carried';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client } from '../database/pool';
import { countsOf } from './changes/changes';

/** The effects of changes in order, each counted on what is stored now. */
export async function effectsOf(
  client: Client,
  access: WorkspaceAccess,
  changes: readonly Change[],
): Promise<Effect[]> {
  const effects: Effect[] = [];
  let model = access.workspace.model;
  for (const [index, change] of changes.entries()) {
    const applied = applyChange(model, change);
    const known = applied.ok && change.do !== 'removeField' && change.do !== 'removeTable' ? applied.value : model;
    const effect: Effect = {
      change: describeChange(known, change, model),
      counts: [],
      samples: [],
      dependents: [],
      carries: applied.ok ? carriedBy(applied.value, change) : [],
      breaks: [],
      ways: [],
      broken: null,
      nearMisses: [],
      duration: 'instant',
    };
    if (!applied.ok) {
      effects.push({
        ...effect,
        breaks: [
          {
            ...applied.problem,
            at: `/changes/${index}${typeof applied.problem.at === 'string' ? applied.problem.at : ''}`,
          },
        ],
      });
      continue;
    }
    const table =
      change.do === 'addTable' || change.table === null ? undefined : findTable(access.workspace.model, change.table);
    const found = table ? await countsOf(change, { client, access, before: model, after: applied.value, table }) : {};
    effects.push({
      ...effect,
      ...(change.do === 'addTable' ? { counts: [{ what: 'fields', count: change.table.fields.length }] } : {}),
      ...found,
    });
    model = applied.value;
  }
  return effects;
}
