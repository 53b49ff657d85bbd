import type { LeftOut, Misfits, ReceiptSum } from '$core/transfer/receipt';
import type { Table } from '$core/types/model';
import { raw, sql, type Sql } from '../../base/sql';
import type { Effects } from '../../calculation/effects';
import type { FieldId } from '$core/types/identity';
import type { SetAsideRow } from '../keepAside';
import { titleSql } from '../../query/selection';
import { tableSql } from '../../access/workspaceState';
import type { SetWork } from './chosen';
import type { LookedAt } from './lookedAt';

export const noMisfits: Misfits = { left: [], aside: [] };
/** So many of each kind and reason are kept. */
export const mostMisfits = 100_000;

/** How many records a change was about, and what became of them: chosen = written + same + left. */
export interface SetCounts {
  readonly chosen: number;
  readonly written: number;
  /** They had it already. */
  readonly same: number;
  readonly left: readonly LeftOut[];
  readonly misfits: Misfits;
  /** Sums of numbers on both sides, where records were copied. */
  readonly sums?: readonly ReceiptSum[];
}

/** What became of a set of records. */
export interface SetDone {
  readonly effects: readonly Effects[];
  readonly anew: readonly FieldId[];
  readonly aside: readonly SetAsideRow[];
  readonly counts: SetCounts;
  /** What is to be looked at once all is calculated. */
  readonly lookedAt: readonly LookedAt[];
}

/** So many records of each reason are named. */
const named = 20;

/** The records that a stage left out, by reason, the most frequent first; `id` names their column there. */
export async function leftOut(
  { client, access }: SetWork,
  table: Table,
  stage: Sql,
  id: Sql,
): Promise<Pick<SetCounts, 'left' | 'misfits'>> {
  const { rows } = await client.query<LeftOut & { ids: number[] }>(sql`
    select g.reason, g.count::int, to_jsonb(g.ids) as ids, (
      select coalesce(jsonb_agg(jsonb_build_object('id', r._id, 'title', ${raw(titleSql(access, table, 'r'))}) order by r._id), '[]')
      from ${tableSql(access.workspace, table)} r
      where r._id = any(g.ids[1:${raw(String(named))}])
    ) as records
    from (
      select _refused as reason, count(*) as count, (array_agg(${id} order by ${id}))[1:${raw(String(mostMisfits))}] as ids
      from ${stage}
      where _refused is not null
      group by 1
    ) g
    order by g.count desc, g.reason
  `);
  return {
    left: rows.map(({ reason, count, records }) => ({ reason, count, records })),
    misfits: { left: rows.map(({ reason, ids }) => ({ reason, ids })), aside: [] },
  };
}
