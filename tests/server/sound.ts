import { join } from 'node:path';
import { afterAll, afterEach, expect } from 'vitest';
import { withModel } from '$server/access/workspaceAccess';
import { workspaces } from '$server/database/catalogue';
import { catalogueOn, type Pool } from '$server/database/pool';
import { structureDefects } from '$server/health/storedStructure';
import { openDatabases } from './database';

// Files are kept by the numbers of a database, and each worker has databases of its own.
process.env.LOOM_FILES ??= join('.loom', 'test files', process.env.VITEST_POOL_ID ?? '');

// What a test file sets is for itself.
const environment = { ...process.env };
afterAll(() => {
  for (const name of Object.keys(process.env)) if (!(name in environment)) Reflect.deleteProperty(process.env, name);
  Object.assign(process.env, environment);
  damaged.clear();
});

/** By database and workspace: the last batch and version that were looked at. */
const looked = new WeakMap<Pool, Map<number, string>>();

/**
 * After every case of every server test: what the server holds in memory is what the database holds, and both are what
 * stands. A test that damages a structure on purpose says so by `damaged`.
 */
afterEach(async () => {
  for (const pool of openDatabases) {
    const seen = looked.get(pool) ?? new Map<number, string>();
    looked.set(pool, seen);
    const { rows: batches } = await pool.query<{ id: number; last: number }>(
      'select workspace as id, max(id) as last from loom.batches group by 1',
    );
    const last = new Map(batches.map((row) => [row.id, row.last]));
    for (const row of await catalogueOn(pool).select().from(workspaces)) {
      const state = `${last.get(row.id) ?? 0} ${row.version}`;
      if (damaged.has(row.key)) continue;
      const known = await withModel(pool, row);
      expect(
        known.model.tables.filter(({ home }) => home === undefined),
        `the model of ${row.key} in memory`,
      ).toEqual(row.model.tables);
      if (seen.get(row.id) === state) continue;
      expect(await structureDefects(pool, known), `the tables of ${row.key}`).toEqual([]);
      seen.set(row.id, state);
    }
  }
});

/** Workspaces, by key, that are damaged on purpose. */
export const damaged = new Set<string>();
