import { sql as catalogueSql } from 'drizzle-orm';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { schemaOf, storedName, type WorkspaceState } from '../access/workspaceState';
import { withWorkspace } from '../access/lock';
import { systemAccess, withModel } from '../access/workspaceAccess';
import { sql } from '../base/sql';
import { workspaces } from '../database/catalogue';
import { commentsOf } from '../sql/comments';
import { catalogueOn, type Client, type Pool } from '../database/pool';

/** Writes the comments of a workspace's tables, and of those it is linked with, where they say something else now. */
export async function keepComments(client: Client, workspace: WorkspaceState): Promise<void> {
  const schemas = [...new Set(workspace.model.tables.map((table) => schemaOf(workspace, table)))];
  const { rows } = await client.query<{
    schema: string;
    table: string;
    column: string | null;
    words: string | null;
  }>(sql`
    select n.nspname as schema, c.relname as table, a.attname as column, d.description as words
    from pg_class c
    join pg_namespace n on n.oid = c.relnamespace and n.nspname = any(${schemas})
    left join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
    left join pg_description d
      on d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = coalesce(a.attnum, 0)
    where c.relkind = 'r'
    union all
    select n.nspname, c.relname, null, d.description
    from pg_class c
    join pg_namespace n on n.oid = c.relnamespace and n.nspname = any(${schemas})
    left join pg_description d on d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = 0
    where c.relkind = 'r'
  `);
  const placeOf = (schema: string, table: string, column: string | null) => JSON.stringify([schema, table, column]);
  const standing = new Map(rows.map(({ schema, table, column, words }) => [placeOf(schema, table, column), words]));
  const statements = workspace.model.tables.flatMap((table) => {
    const { table: about, columns } = commentsOf(workspace.model, table);
    const name = storedName(workspace, table);
    const differs = (column: string | null, words: string) => {
      const place = placeOf(schemaOf(workspace, table), table.key, column);
      return standing.has(place) && standing.get(place) !== words;
    };
    return [
      ...(differs(null, about) ? [`comment on table ${name} is ${quoteText(about)}`] : []),
      ...[...columns].flatMap(([column, words]) =>
        differs(column, words) ? [`comment on column ${name}.${quoteIdentifier(column)} is ${quoteText(words)}`] : [],
      ),
    ];
  });
  if (statements.length > 0) await client.query(statements.join('; '));
}

/** Says of tables made by earlier versions what they are. */
export async function addComments(pool: Pool): Promise<void> {
  const bare = await catalogueOn(pool)
    .select()
    .from(workspaces)
    .where(
      catalogueSql`exists (
        select from pg_class c join pg_namespace n on n.oid = c.relnamespace
        where n.nspname = ${workspaces.key} and c.relkind = 'r' and c.relname !~ '^_' and obj_description(c.oid) is null
      )`,
    );
  for (const row of bare) {
    const access = systemAccess(await withModel(pool, row));
    await withWorkspace(pool, access, 'exclusive', (client, now) => keepComments(client, now.workspace));
  }
}
