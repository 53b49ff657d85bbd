import { valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { homeOf } from '../../access/workspaceState';
import { join, raw, sql, type Sql } from '../../base/sql';
import type { SetWork } from './chosen';
import { quoted, type FilledValue } from './values';

/**
 * Files belong to the workspace that they were sent to. Those of records that come of another workspace's belong to
 * theirs as well from now on. `named` gives the column of a field in the table of what is written.
 */
export async function bringFiles(
  { client, access: { workspace } }: SetWork,
  table: Table,
  values: readonly FilledValue[],
  stage: Sql,
  named: (field: Field) => string = quoted,
): Promise<void> {
  const fields = values.flatMap(({ field }) => (valueTypeOf(field).is === 'files' ? [field] : []));
  const { id: home } = homeOf(workspace, table);
  const others = [workspace, ...workspace.peers].filter(({ id }) => id !== home);
  if (fields.length === 0 || others.length === 0) return;
  await client.query(sql`
    insert into loom.files (workspace, hash, size, type, sent_at, sent_by)
    select distinct on (f.hash) ${home}::integer, f.hash, f.size, f.type, f.sent_at, f.sent_by
    from loom.files f
    where f.workspace = any(${others.map(({ id }) => id)}) and f.hash in (${join(
      fields.map(
        (field) => sql`
          select e.value ->> 'file' from ${stage} s, jsonb_array_elements(s.${raw(named(field))}) e
          where s._refused is null
        `,
      ),
      ' union all ',
    )})
    order by f.hash, f.sent_at
    on conflict do nothing
  `);
}
