import { sourcesFrom } from '$core/flow/feeds';
import type { Table } from '$core/types/model';
import { sql, type Sql } from '../../base/sql';
import type { Effects } from '../../calculation/effects';
import { leaveFeeds } from '../writeEdits';
import type { SetWork } from './chosen';

/** Takes the records out of feeds that stand for those which are about to be deleted; `ids` gives their numbers. */
export async function leaveFeedsOf(work: SetWork, table: Table, ids: Sql): Promise<readonly Effects[]> {
  const { client, access, batch, step } = work;
  const { workspace } = access;
  if (sourcesFrom(workspace.model, table.id).length === 0) return [];
  const { rows } = await client.query<{ id: number }>(ids);
  const going = rows.map(({ id }) => id);
  const { effects, history } = await leaveFeeds({ client, access, workspace, exclusive: true }, table, going);
  for (const { table: of, first, last, kind, before, after } of history)
    await client.query(sql`
      insert into loom.history (batch, table_id, first_id, last_id, kind, step, before, after)
      values (
        ${batch}, ${of}, ${first}, ${last}, ${kind}, ${step},
        ${before && JSON.stringify(before)}::jsonb, ${after && JSON.stringify(after)}::jsonb
      )
    `);
  return effects;
}
