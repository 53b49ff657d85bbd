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

/** The demo's data, made once; every worker works on a copy of its own. */
export default async function prepare(): Promise<() => Promise<void>> {
  const admin = new pg.Client({ connectionString: databaseUrl('postgres') });
  await admin.connect();
  await admin.query(`drop database if exists ${database} with (force)`);
  await admin.query(`create database ${database}`);
  const pool = openPool(databaseUrl(database), 4);
  await migrateCatalogue(pool);
  await makeDemo(pool);
  await pool.end();
  // Nobody may be connected to what is copied; the connections for intakes stay open as long as the process.
  await admin.query(`alter database ${database} with allow_connections false`);
  await admin.query('select pg_terminate_backend(pid) from pg_stat_activity where datname = $1', [database]);
  return async () => {
    await admin.query(`drop database if exists ${database} with (force)`);
    await admin.end();
  };
}

export interface RunningServer {
  readonly origin: string;
  /** The name of its database. */
  readonly database: string;
  readonly stop: () => Promise<void>;
}

export interface Served {
  readonly origin: string;
  readonly pid: number;
  readonly stop: () => Promise<void>;
}

/**
 * The production build over a database that stands; `disk`: what it writes is on one of this size, over this empty
 * folder.
 */
export async function serve(url: string, disk?: { readonly folder: string; readonly size: string }): Promise<Served> {
  const port = String(await freePort());
  const origin = `http://127.0.0.1:${port}`;
  const own = disk ? { DISK: disk.folder, TMPDIR: disk.folder, LOOM_FILES: `${disk.folder}/files` } : {};
  const [command, args] = disk
    ? ([
        'unshare',
        ['-Urm', 'sh', '-c', `mount -t tmpfs -o size=${disk.size} none "$DISK" && exec "${process.execPath}" build`],
      ] as const)
    : ([process.execPath, ['build']] as const);
  const server = spawn(command, args, {
    env: {
      ...process.env,
      ...own,
      DATABASE_URL: url,
      PORT: port,
      HOST: '127.0.0.1',
      ORIGIN: origin,
      BODY_SIZE_LIMIT: '1G',
      SHUTDOWN_TIMEOUT: '1',
      LOOM_STAND_INS: '1',
      LOG_LEVEL: 'error',
    },
    stdio: 'inherit',
  });
  await untilAnswering(`${origin}/sign-in`, server);
  return {
    origin,
    pid: server.pid ?? 0,
    stop: async () => {
      server.kill();
      await once(server, 'exit');
    },
  };
}

/** The same with a copy of the demo's data, which no other worker's tests change. */
export async function startServer(worker: number): Promise<RunningServer> {
  const own = `${database}_${worker}`;
  const admin = new pg.Client({ connectionString: databaseUrl('postgres') });
  await admin.connect();
  await admin.query(`drop database if exists ${own} with (force)`);
  await admin.query(`create database ${own} template ${database}`);
  const { origin, stop } = await serve(databaseUrl(own));
  return {
    origin,
    database: own,
    stop: async () => {
      await stop();
      await admin.query(`drop database if exists ${own} with (force)`);
      await admin.end();
    },
  };
}
