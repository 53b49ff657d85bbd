import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import type { Pool } from '../../../src/lib/server/database/pool';
import { figure, type Figure } from '../measure';
import { benchPerson, freshWorkspace } from '../world';

const columns = 60;
const rows = 100_000;
const words = ['red', 'blue', 'green', 'calm', 'wild'];

/** A key, a name, a place, and 57 columns of words and numbers that have nothing to do with each other. */
function wideFile(): string {
  const path = '.loom/bench/wide.csv';
  if (existsSync(path)) return path;
  mkdirSync('.loom/bench', { recursive: true });
  let state = 3;
  const random = (below: number) => (state = (Math.imul(state, 1103515245) + 12345) >>> 0) % below;
  const names = ['code', 'name', 'place', ...Array.from({ length: columns - 3 }, (_, at) => `c${at}`)];
  const lines = Array.from({ length: rows }, (_, row) =>
    [
      `C${String(row).padStart(6, '0')}`,
      `name ${row % 5_000}`,
      `place ${row % 40}`,
      ...names
        .slice(3)
        .map((_, at) =>
          at % 3 === 0 ? words[(random(1 << 20) >> 8) % 5] : (random(1 << 30) >> 6) % 10 ** (1 + (at % 5)),
        ),
    ].join(','),
  );
  writeFileSync(path, [names.join(','), ...lines].join('\n'));
  return path;
}

/** The whole proposal for a wide sheet: time and memory have bars of their own, as nothing else does this work. */
export async function proposing(pool: Pool, url: string): Promise<Figure[]> {
  await freshWorkspace(pool, await benchPerson(pool), 'bench_propose');
  const { status, stdout, stderr } = spawnSync('npx', ['tsx', 'tests/bench/intake/proposeOnce.ts', wideFile()], {
    env: { ...process.env, DATABASE_URL: url, NODE_OPTIONS: '' },
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(stderr);
  const taken = JSON.parse(stdout) as { milliseconds: number; peakMegabytes: number };
  const what = `the proposal for ${columns} columns of ${rows}`;
  return [
    figure('intake', `${what}, at most 15 s`, taken.milliseconds, null, 'ms', 15_000),
    figure('intake', `${what}: memory, at most 500 MB`, taken.peakMegabytes, null, 'MB', 500),
  ];
}
