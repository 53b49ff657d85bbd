import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import pg from 'pg';

// Identities and counts stay far below 2^53; numeric and date stay the texts that the core works with.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);
pg.types.setTypeParser(pg.types.builtins.DATE, (text) => text);

export type Client = pg.PoolClient;
export type Pool = pg.Pool;

/**
 * A pool of connections. Small and with a short life for idle ones: a connection keeps about 30 kB for every table it
 * has touched. `settings`: of PostgreSQL, for each connection.
 */
export function openPool(url: string, size = 10, settings: Readonly<Record<string, number>> = {}): Pool {
  const options = Object.entries({ timezone: 'UTC', datestyle: 'ISO,YMD', ...settings });
  const pool = new pg.Pool({
    connectionString: url,
    max: size,
    idleTimeoutMillis: 60_000,
    maxLifetimeSeconds: 3600,
    // Rather an answer than a page that waits for ever.
    connectionTimeoutMillis: 20_000,
    allowExitOnIdle: true,
    options: options.map(([name, value]) => `-c ${name}=${value}`).join(' '),
    application_name: 'inner-loom',
  });
  // A connection that breaks says so at its next statement, or is replaced when it is idle; one that breaks between two
  // statements of whoever holds it, with nobody listening, would end the process.
  pool.on('error', () => undefined).on('connect', (client) => void client.on('error', () => undefined));
  return pool;
}

/** Typed statements on the catalogue, on a pool or inside a transaction's connection. */
// Without the tables: all of them would be looked through anew for each statement.
export const catalogueOn = (connection: Pool | Client): NodePgDatabase => drizzle(connection);

/** Whether statements go through the pool, each committed by itself, and not in a transaction that may roll back. */
export const isPool = (connection: Pool | Client): connection is Pool => 'totalCount' in connection;
