import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { migrationLock } from './locks';
import { catalogueOn, type Pool } from './pool';

/** Brings the catalogue up to the newest committed migration. */
export async function migrateCatalogue(pool: Pool, folder = 'migrations'): Promise<void> {
  const client = await pool.connect();
  try {
    await client.query('select pg_advisory_lock($1)', [migrationLock]);
    await migrate(catalogueOn(client), {
      migrationsFolder: folder,
      migrationsSchema: 'loom',
      migrationsTable: 'migrations',
    });
  } finally {
    await client.query('select pg_advisory_unlock($1)', [migrationLock]).catch(() => undefined);
    client.release();
  }
}
