import { isWritten, valueTypeOf } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import type { Client } from '../database/pool';
import { homeOf, storedName, type WorkspaceState } from '../access/workspaceState';
import { sequenceName } from '../sql/column';
import { isNumbered } from '$core/model/model';
import { identifier, raw, sql } from '../base/sql';
import type { PackedFile } from './descriptor';
import type { LastNumbers } from './format';

/** The files that records of tables hold, and those that the structure shows, such as a document’s pictures. */
export async function filesOf(
  client: Client,
  workspace: WorkspaceState,
  tables: readonly Table[],
  structure: string,
): Promise<PackedFile[]> {
  const held = tables.flatMap((table) =>
    table.fields
      .filter((field) => isWritten(field) && valueTypeOf(field).is === 'files')
      .map(
        (field) => `select f.value ->> 'file' as hash
          from ${storedName(workspace, table)} t, jsonb_array_elements(t.${quoteIdentifier(field.key)}) f`,
      ),
  );
  const shown = [...new Set(structure.match(/\b[0-9a-f]{64}\b/g) ?? [])];
  const homes = [...new Set([workspace.id, ...tables.map((table) => homeOf(workspace, table).id)])];
  const { rows } = await client.query<PackedFile>(sql`
    select distinct on (f.hash) f.hash, f.size, f.type
    from loom.files f
    where f.workspace = any(${homes})
      and f.hash in (${raw([...held, ...shown.map((hash) => `select ${quoteText(hash)}`), 'select null'].join(' union '))})
    order by f.hash
  `);
  return rows.map(({ hash, size, type }) => ({ hash, size: Number(size), type }));
}

/** The numbers that were given last in the tables of one workspace. */
export async function lastNumbers(
  client: Client,
  workspace: WorkspaceState,
  tables: readonly Table[],
): Promise<LastNumbers> {
  const last: Record<string, number> = {};
  const read = async (name: string, sequence: string) => {
    const { rows } = await client.query<{ last: number; given: boolean }>(
      sql`select last_value as last, is_called as given from ${raw(sequence)}`,
    );
    const [row] = rows;
    if (row?.given) last[name] = Number(row.last);
  };
  for (const table of tables) {
    const { rows } = await client.query<{ name: string | null }>(
      sql`select pg_get_serial_sequence(${storedName(workspace, table)}, '_id') as name`,
    );
    if (rows[0]?.name) await read(table.key, rows[0].name);
    for (const field of table.fields)
      if (isNumbered(field))
        await read(
          `${table.key}.${field.key}`,
          sql`${identifier(homeOf(workspace, table).key)}.${identifier(sequenceName(field))}`.text,
        );
  }
  return last;
}

/** The tables of a workspace by its key in the model. */
export const tablesAt = (model: Model, home: string | undefined): Table[] =>
  model.tables.filter((table) => table.home === home);
