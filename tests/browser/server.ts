import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { createServer } from 'node:net';
import pg from 'pg';
import { makeDemo } from '../../demo/make';
import { migrateCatalogue } from '../../src/lib/server/database/migrate';
import { openPool } from '../../src/lib/server/database/pool';
import { databaseUrl } from '../server/database';

const database = 'loom_browser';

async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1');
  await once(server, 'listening');
  const address = server.address();
  server.close();
  if (address === null || typeof address === 'string') throw new Error('no port');
  return address.port;
}

async function untilAnswering(url: string, server: ChildProcess): Promise<void> {
  for (let tries = 0; tries < 100; tries++) {
    if (server.exitCode !== null) throw new Error('the server ended before it answered');
    if (
      await fetch(url).then(
        (answer) => answer.ok,
        () => false,
      )
    )
      return;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error('the server did not answer');
}

/** The production build with the demo's data in a database of its own. */
export default async function start(): Promise<() => Promise<void>> {
  const admin = new pg.Client({ connectionString: databaseUrl('postgres') });
  await admin.connect();
  await admin.query(`drop database if exists ${database} with (force)`);
  await admin.query(`create database ${database}`);
  const pool = openPool(databaseUrl(database), 4);
  await migrateCatalogue(pool);
  await makeDemo(pool);
  await pool.end();
  const port = String(await freePort());
  const origin = `http://127.0.0.1:${port}`;
  const server = spawn(process.execPath, ['build'], {
    env: {
      ...process.env,
      DATABASE_URL: databaseUrl(database),
      PORT: port,
      HOST: '127.0.0.1',
      ORIGIN: origin,
      BODY_SIZE_LIMIT: '1G',
      SHUTDOWN_TIMEOUT: '1',
      LOG_LEVEL: 'error',
    },
    stdio: 'inherit',
  });
  await untilAnswering(`${origin}/sign-in`, server);
  process.env.LOOM_ORIGIN = origin;
  return async () => {
    server.kill();
    await once(server, 'exit');
    await admin.query(`drop database if exists ${database} with (force)`);
    await admin.end();
  };
}
