import type { ChangeField } from '$core/types/change';
import { fieldOf, isNumbered, isStored, valueTypeOf } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import { plainReading, type EnteredType } from '$core/fieldTypes/registry';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableSql } from '../access/workspaceState';
import type { Client } from '../database/pool';
import type { Row } from '../sql/statement';
import type { HistoryRow } from './edits';
import { fromColumn } from '../sql/column';
import { readSql } from '../fieldTypes/registry';
import { raw, sql } from '../base/sql';

/** More than so many stay where they are: each is a line of the history. */
const mostTried = 50_000;

/**
 * Gives what was set aside of a field a second chance when the field gets another type: texts that fit it now are
 * written into their records, where these are still blank. The history of the batch says so, which settles them as long
 * as it stands.
 */
export async function secondChance(
  client: Client,
  access: WorkspaceAccess,
  change: ChangeField,
): Promise<HistoryRow[]> {
  // What an undo brings back is what it was, set aside included.
  if (!change.set.type || change.restore) return [];
  const { field, table } = fieldOf(access.workspace.model, change.field);
  const { kind } = field.type;
  if (!isStored(field) || isNumbered(field) || ['formula', 'link', 'files', 'pictures'].includes(kind)) return [];
  const column = quoteIdentifier(field.key);
  const reading = { ...plainReading, ...change.reading, zone: homeOf(access.workspace, table).zone };
  const { rows: count } = await client.query<{ n: number }>(
    sql`
      select count(*)::int as n
      from loom.open_set_aside
      where workspace = ${access.workspace.id} and table_id = ${table.id} and field_id = ${field.id}
    `,
  );
  if (!count[0] || count[0].n === 0 || count[0].n > mostTried) return [];
  const { rows } = await client.query<Row>(
    sql`
      update ${tableSql(access.workspace, table)} t
      set ${raw(column)} = a.value
      from (
        select distinct on (record_id) record_id,
          ${raw(readSql('loom.trimmed(text)', field.type as EnteredType, reading))} as value
        from loom.open_set_aside
        where workspace = ${access.workspace.id} and table_id = ${table.id} and field_id = ${field.id}
        order by record_id, id desc
      ) a
      where t._id = a.record_id and t.${raw(column)} is null and a.value is not null
      returning t._id, t.${raw(column)} as value
    `,
  );
  return rows.map((row): HistoryRow => {
    const id = row._id as number;
    const value = fromColumn(valueTypeOf(field), row.value);
    return {
      table: table.id,
      first: id,
      last: id,
      kind: 'changed',
      before: { [field.id]: null },
      after: { [field.id]: value },
    };
  });
}
