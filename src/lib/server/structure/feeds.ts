import { changesToRemoveSource } from '$core/changes/feedPlans';
import { sourcesFrom, sourcesInto, type StandingSource } from '$core/flow/feeds';
import { calculationSteps } from '$core/flow/graph';
import type { Table } from '$core/types/model';
import { requireDesign } from '../access/changeRights';
import { withWorkspace } from '../access/lock';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { notHere } from '../base/refusal';
import { sql } from '../base/sql';
import { differingValues } from '../calculation/calculationStep';
import type { Pool } from '../database/pool';
import { progressOf } from '../database/progress';
import { inTransaction } from '../database/transaction';
import { feedCounts } from '../records/feedRecords';
import { keepIndexes } from './standingIndexes';
import { applyStructure } from './structure';

/** A feed against a pass from nothing. */
interface FeedDifferences {
  readonly records: number;
  /** Records of the sources that it should have and has not. */
  readonly lacking: number;
  /** Records that it has and should not have. */
  readonly beyond: number;
  readonly fields: readonly { readonly field: string; readonly label: string; readonly differ: number }[];
}

/** Compares a feed with what its sources and formulas come to now; nothing is written. All of it as at one moment. */
export async function feedDifferences(pool: Pool, access: WorkspaceAccess, table: Table): Promise<FeedDifferences> {
  const { whole, sight } = access;
  return inTransaction(pool, 'set transaction isolation level repeatable read, read only', async (client) => {
    let [lacking, beyond] = [0, 0];
    for (const source of sourcesInto(whole.model, table.id)) {
      const { come, leave } = await feedCounts(client, whole, source);
      [lacking, beyond] = [lacking + come, beyond + leave];
    }
    const steps = calculationSteps(whole.model).filter((step) => step.table.id === table.id && !step.feeds);
    const differing = [];
    for (const { fields, hierarchy, table: own } of steps)
      if (!hierarchy) differing.push(...(await differingValues(client, whole, own, fields)));
    const { rows } = await client.query<{ n: number }>(sql`select count(*)::int as n from ${tableSql(whole, table)}`);
    const seen = new Set(sight.tables.flatMap(({ fields }) => fields.map(({ id }) => id)));
    const fields = differing
      .filter(({ field }) => seen.has(field.id))
      .map(({ field, count }) => ({ field: field.key, label: field.label, differ: count }));
    return { records: rows[0]?.n ?? 0, lacking, beyond, fields };
  });
}

/**
 * Ends what a feed takes of a table, for whoever designs that table: whose data it is decides, whatever they may do where
 * the feed is. A step of the source's history.
 */
export async function endedBySource(
  pool: Pool,
  given: WorkspaceAccess,
  { source, link }: StandingSource,
): Promise<number> {
  requireDesign(given, source.id);
  const { batch, access } = await withWorkspace(pool, given, 'exclusive', async (client, now) => {
    requireDesign(now, source.id);
    const { model, id } = now.workspace;
    const found = sourcesFrom(model, source.id).find((one) => one.link.id === link.id);
    if (!found) throw notHere('feed');
    const changes = changesToRemoveSource(model, found.table.id, link.id);
    const reportProgress = progressOf(client, id, { kind: 'plan', id: 0 });
    return applyStructure({ client, access: now, exclusive: true, reportProgress }, changes, {
      kind: 'plan',
      title: `${source.label} feeds ${found.table.home === undefined ? found.table.label : 'another workspace'} no longer`,
    });
  });
  void keepIndexes(pool, access);
  return batch;
}
