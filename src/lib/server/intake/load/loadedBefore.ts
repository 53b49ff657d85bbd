import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { eq } from 'drizzle-orm';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { intakes } from '../../database/catalogue';
import { catalogueOn, type Pool } from '../../database/pool';
import { pathOfSource } from '../sources';
import type { SourceFile } from '$core/intake/sheets/sourceFile';
import { sql } from '../../base/sql';

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

/**
 * Remembers what is in an intake's files, and says of those that were loaded before, to the byte, when; null for the
 * others.
 */
export async function loadedBefore(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  files: readonly SourceFile[],
): Promise<(string | null)[]> {
  const hashed = await Promise.all(
    files.map(async (file, index) => ({ ...file, hash: await hashOf(pathOfSource(id, index)) })),
  );
  await catalogueOn(pool).update(intakes).set({ files: hashed }).where(eq(intakes.id, id));
  const { rows } = await pool.query<{ hash: string; at: string }>(
    sql`
      select f ->> 'hash' as hash, to_char(max(i.made_at), 'YYYY-MM-DD HH24:MI') || ' UTC' as at
      from loom.intakes i, jsonb_array_elements(i.files) f
      where i.workspace = ${access.workspace.id} and i.id <> ${id} and i.state = 'loaded'
        and f ->> 'hash' = any(${hashed.map(({ hash }) => hash)})
      group by 1
    `,
  );
  return hashed.map(({ hash }) => rows.find((row) => row.hash === hash)?.at ?? null);
}
