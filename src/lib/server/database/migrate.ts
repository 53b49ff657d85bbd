import { readMigrationFiles } from 'drizzle-orm/migrator';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { runMigrations } from 'graphile-worker';
import { migrationLock } from './locks';
import { silent } from './workerLog';
import { catalogueOn, type Client, type Pool } from './pool';
import { sql } from '../base/sql';

/** Brings the catalogue up to the newest committed migration. */
export async function migrateCatalogue(pool: Pool, folder = 'migrations'): Promise<void> {
  const client = await pool.connect();
  try {
    await client.query(sql`select pg_advisory_lock(${migrationLock})`);
    await refuseOlder(client, folder);
    await migrate(catalogueOn(client), {
      migrationsFolder: folder,
      migrationsSchema: 'loom',
      migrationsTable: 'migrations',
    });
  } finally {
    await client.query(sql`select pg_advisory_unlock(${migrationLock})`).catch(() => undefined);
    client.release();
  }
  await runMigrations({ pgPool: pool, logger: silent });
}

/** The set of migrations began anew once: a database that was made by the one before is not taken for one of this. */
async function refuseOlder(client: Client, folder: string): Promise<void> {
  const { rows: there } = await client.query<{ there: boolean }>(
    `select to_regclass('loom.migrations') is not null as there`,
  );
  if (!there[0]?.there) return;
  const { rows } = await client.query<{ hash: string }>(`
    select hash from loom.migrations order by created_at limit 1
  `);
  const [first] = readMigrationFiles({ migrationsFolder: folder });
  if (rows[0] && rows[0].hash !== first?.hash)
    throw new Error(
      'This database was made by an earlier version, whose structure this one cannot take over. ' +
        'Choose an empty one with DATABASE_URL; ./loom reset forgets that of the demo.',
    );
}
