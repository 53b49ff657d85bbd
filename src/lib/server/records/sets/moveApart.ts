import { valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableSql } from '../../access/workspaceState';
import { identifier, raw, sql, type Sql } from '../../base/sql';
import type { SetWork } from './chosen';

/**
 * PostgreSQL looks whether a value stands twice record by record. So where records are about to exchange values of a
 * field that may stand once, theirs become such first as nobody has. `changing` gives `id` and what it will have, `now`.
 */
export async function moveApart({ client, access }: SetWork, table: Table, field: Field, changing: Sql): Promise<void> {
  if (!field.unique) return;
  const name = tableSql(access.workspace, table);
  const column = identifier(field.key);
  const exchanged = await client.query(sql`
    select from (${changing}) s
    join ${name} o on o.${column} = s.now and o._id <> s.id
    limit 1
  `);
  const { is } = valueTypeOf(field);
  const other = is === 'text' ? raw(`chr(1) || t._id`) : is === 'number' ? raw(`-1e29 - t._id`) : raw('null');
  if (exchanged.rowCount === 0 || (other.sql === 'null' && field.required === true)) return;
  await client.query(sql`update ${name} t set ${column} = ${other} from (${changing}) s where t._id = s.id`);
}
