import { shownType } from '$core/formula/shownType';
import type { TransferPlan } from '$core/transfer/receipt';
import { tableOf } from '$core/model/model';
import type { Change } from '$core/types/change';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableSql } from '../access/workspaceState';
import { raw, sql } from '../base/sql';
import type { Client } from '../database/pool';
import { textSql } from '../fieldTypes/registry';
import { titleSql } from '../query/selection';
import { chosenSql, columnOf } from '../records/sets/chosen';
import { filledValues } from '../records/sets/values';

const shown = 5;

/** A few records whose values a transfer that only fills fields would change, before and after. */
export async function samplesOf(
  client: Client,
  given: WorkspaceAccess,
  changes: readonly Change[],
): Promise<TransferPlan['samples']> {
  const access = { ...given, workspace: given.whole };
  const { model } = access.workspace;
  const samples: TransferPlan['samples'][number][] = [];
  for (const change of changes) {
    if (change.do !== 'setValues' || change.source || changes.some(({ do: done }) => done !== 'setValues')) continue;
    const table = tableOf(model, change.table);
    const { values, joins } = filledValues({ client, access, batch: 0, step: 0 }, table, table, change.set, true);
    const chosen = chosenSql(access, table, change.chosen, true);
    const { zone } = homeOf(access.workspace, table);
    for (const { field, value } of values) {
      const type = shownType(model, field);
      const words = (column: string) => (field.type.kind === 'link' ? `'#' || ${column}` : textSql(column, type, zone));
      const { rows } = await client.query<{ record: string; before: string | null; after: string | null }>(sql`
        select s.record, ${raw(words('s.before'))} as before, ${raw(words('s.after'))} as after
        from (
          select r._id, ${raw(titleSql(access, table, 'r'))} as record, ${raw(columnOf('r', field.key))} as before,
            ${value} as after
          from ${tableSql(access.workspace, table)} r ${joins} ${raw(chosen.joins)}
          where ${chosen.where}
        ) s
        where s.before is distinct from s.after
        order by s._id limit ${shown}
      `);
      samples.push(...rows.map(({ record, before, after }) => ({ record, before: before ?? '', after: after ?? '' })));
    }
  }
  return samples;
}
