import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { eq } from 'drizzle-orm';
import type { Seat } from '../../access/seat';
import { intakes } from '../../database/catalogue';
import { catalogueOn, type Pool } from '../../database/pool';
import { pathOfSource } from '../sources';
import type { SourceFile } from '$core/intake/sourceFile';

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
  seat: Seat,
  id: number,
  files: readonly SourceFile[],
): Promise<(string | null)[]> {
  const hashed = await Promise.all(
    files.map(async (file, index) => ({ ...file, hash: await hashOf(pathOfSource(id, index)) })),
  );
  await catalogueOn(pool).update(intakes).set({ files: hashed }).where(eq(intakes.id, id));
  const { rows } = await pool.query<{ hash: string; at: string }>(
    `select f ->> 'hash' as hash, to_char(max(i.made_at), 'YYYY-MM-DD HH24:MI') || ' UTC' as at from loom.intakes i, jsonb_array_elements(i.files) f
     where i.workspace = $1 and i.id <> $2 and i.state = 'loaded' and f ->> 'hash' = any($3) group by 1`,
    [seat.workspace.id, id, hashed.map(({ hash }) => hash)],
  );
  return hashed.map(({ hash }) => rows.find((row) => row.hash === hash)?.at ?? null);
}
