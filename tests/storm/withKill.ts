import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import type { WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { storm, type StormTold } from './writers';

/** Half of the writers here, half in another process, which is killed when half the time is over. */
export async function stormWithKill(
  pool: Pool,
  url: string,
  access: WorkspaceAccess,
  writers: number,
  seconds: number,
): Promise<StormTold & { readonly killed: boolean }> {
  const half = Math.ceil(writers / 2);
  const child = spawn(
    process.execPath,
    [
      '--import',
      'tsx',
      fileURLToPath(new URL('inChild.ts', import.meta.url)),
      url,
      access.workspace.key,
      String(access.person.id),
      String(half),
      String(seconds * 2),
    ],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  );
  const ended = once(child, 'exit');
  // Its writers are at work before the time begins to count.
  await Promise.race([once(child.stdout, 'data'), ended]);
  const timer = setTimeout(() => child.kill('SIGKILL'), seconds * 500);
  const told = await storm(pool, access, writers - half, seconds);
  clearTimeout(timer);
  const [, signal] = (await ended) as [number | null, string | null];
  return { ...told, killed: signal === 'SIGKILL' };
}
