import { spawn, type ChildProcess } from 'node:child_process';
import { openSync } from 'node:fs';

/**
 * The built application on a port of its own, over the bench's database; what goes wrong in it is in
 * .loom/bench-server.log.
 */
export async function startServer(url: string, port: number): Promise<ChildProcess> {
  const log = openSync('.loom/bench-server.log', 'w');
  const origin = `http://127.0.0.1:${port}`;
  const server = spawn(process.execPath, ['build'], {
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      DATABASE_URL: url,
      PORT: String(port),
      HOST: '127.0.0.1',
      ORIGIN: origin,
      SHUTDOWN_TIMEOUT: '1',
      LOG_LEVEL: 'error',
    },
    stdio: ['ignore', log, log],
  });
  for (let tries = 0; tries < 100; tries++) {
    const up = await fetch(`${origin}/sign-in`).then(
      (answer) => answer.ok,
      () => false,
    );
    if (up) return server;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error('the server did not start; .loom/bench-server.log says why');
}
