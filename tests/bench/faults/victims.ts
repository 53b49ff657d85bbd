import { execFileSync, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { once } from 'node:events';
import { startServer } from '../server';

/** A database server and an application server of the run's own, each of which can be killed where it stands. */
export interface Victims {
  readonly url: string;
  readonly origin: string;
  /** Kills without a word, and starts again; resolves once it answers. */
  readonly kill: Readonly<Record<Victim, () => Promise<void>>>;
  readonly end: () => Promise<void>;
}
export const victimNames = ['node', 'postgres'] as const;
export type Victim = (typeof victimNames)[number];

const startCluster = (folder: string): string =>
  execFileSync('./loom', ['cluster', folder], { encoding: 'utf8' }).trim().split('\n').at(-1) ?? '';

/**
 * A port that no outgoing connection is given while its server is down: below those that the system chooses from
 * (ip(7)).
 */
async function freePort(): Promise<number> {
  for (;;) {
    const port = 20_000 + Math.floor(Math.random() * 10_000);
    const server = createServer().listen(port, '127.0.0.1');
    const free = await Promise.race([
      once(server, 'listening').then(() => true),
      once(server, 'error').then(() => false),
    ]);
    server.close();
    if (free) return port;
  }
}

/** What /proc knows of a process: its state and its parent; null once it is gone (proc(5)). */
function processAt(pid: number): { readonly state: string; readonly parent: number } | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    // The name, in brackets, may hold blanks.
    const [state = '', parent] = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    return { state, parent: Number(parent) };
  } catch {
    return null;
  }
}

/** Kills the database server with all of its processes, so that none writes on after it was killed. */
async function killCluster(folder: string): Promise<void> {
  const [first] = readFileSync(join(folder, 'postmaster.pid'), 'utf8').split('\n').map(Number);
  if (!first) throw new Error('no database server to kill');
  const all = readdirSync('/proc').filter(
    (name) => /^\d+$/.test(name) && (Number(name) === first || processAt(Number(name))?.parent === first),
  );
  for (const pid of all.map(Number))
    try {
      process.kill(pid, 'SIGKILL');
    } catch {
      // It ended by itself meanwhile.
    }
  // Where nobody takes them away they stay as zombies, which the next start would hold for the server.
  while (all.some((pid) => !'ZX'.includes(processAt(Number(pid))?.state ?? 'X')))
    await new Promise((resolve) => setTimeout(resolve, 10));
  rmSync(join(folder, 'postmaster.pid'));
}

/** With durability as anybody's PostgreSQL has it: what was committed stands after a kill. */
export async function startVictims(prepare: (url: string) => Promise<void>): Promise<Victims> {
  const folder = join(mkdtempSync(join(tmpdir(), 'loom-faults-')), 'cluster');
  // Where the cluster is started from is where it was the last time.
  writeFileSync(`${folder}.port`, String(await freePort()));
  const url = startCluster(folder);
  await prepare(url);
  const port = await freePort();
  let node: ChildProcess = await startServer(url, port);
  return {
    url,
    origin: `http://127.0.0.1:${port}`,
    kill: {
      node: async () => {
        node.kill('SIGKILL');
        await once(node, 'exit');
        node = await startServer(url, port);
      },
      postgres: async () => {
        await killCluster(folder);
        if (startCluster(folder) !== url) throw new Error('the database server did not come back where it was');
      },
    },
    end: async () => {
      node.kill('SIGKILL');
      await killCluster(folder);
      execFileSync('rm', ['-rf', folder, `${folder}.port`, `${folder}.log`]);
    },
  };
}
