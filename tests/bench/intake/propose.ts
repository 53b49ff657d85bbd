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

const [sheets, wide, few] = [12, 150, 300];

/** Sheets of many columns of all kinds, each about the one before it, all with suppliers by code and name. */
function wideFolder(): string[] {
  mkdirSync('.loom/bench/folder', { recursive: true });
  return Array.from({ length: sheets }, (_, sheet) => {
    const path = `.loom/bench/folder/sheet${sheet}.csv`;
    let state = sheet + 5;
    const random = (below: number) => ((state = (Math.imul(state, 1103515245) + 12345) >>> 0) >>> 8) % below;
    const code = (of: number, row: number) => `S${of}-${String(row).padStart(4, '0')}`;
    const kinds = [
      () => words[random(5)],
      () => random(9973),
      () => `2026-0${1 + random(9)}-1${random(9)}`,
      () => ['yes', 'no', ''][random(3)],
      () => (random(100_000) / 100).toFixed(2),
      () => `remark ${random(997)}`,
    ];
    const others = Array.from({ length: wide - 4 }, (_, column) => column);
    const lines = Array.from({ length: few }, (_, row) => {
      const supplier = random(40);
      return [
        code(sheet, row),
        sheet > 0 ? code(sheet - 1, random(few)) : '',
        `SUP-${10 + supplier}`,
        `Farm ${supplier * 31}`,
        ...others.map((column) => kinds[column % kinds.length]?.()),
      ].join(',');
    });
    const names = ['code', 'parent', 'supplier code', 'supplier name', ...others.map((at) => `field ${sheet} ${at}`)];
    writeFileSync(path, [names.join(','), ...lines].join('\n'));
    return path;
  });
}

/** Brings files in, in a process of its own. */
async function proposed(pool: Pool, url: string, files: readonly string[]) {
  await freshWorkspace(pool, await benchPerson(pool), 'bench_propose');
  const { status, stdout, stderr } = spawnSync('npx', ['tsx', 'tests/bench/intake/proposeOnce.ts', ...files], {
    env: { ...process.env, DATABASE_URL: url, NODE_OPTIONS: '' },
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout) as { milliseconds: number; corrected: number; peakMegabytes: number };
}

/** The whole proposal for wide sheets: time and memory have bars of their own, as nothing else does this work. */
export async function proposing(pool: Pool, url: string): Promise<Figure[]> {
  const one = await proposed(pool, url, [wideFile()]);
  const folder = await proposed(pool, url, wideFolder());
  const what = `the proposal for ${columns} columns of ${rows}`;
  const all = `the proposal for ${sheets} sheets of ${wide} columns`;
  return [
    figure('intake', `${what}, at most 15 s`, one.milliseconds, null, 'ms', 15_000),
    figure('intake', `${what}: memory, at most 500 MB`, one.peakMegabytes, null, 'MB', 500),
    figure('intake', `${all}, at most 30 s`, folder.milliseconds, null, 'ms', 30_000),
    figure('intake', `${all}: a correction, at most 2 s`, folder.corrected, null, 'ms', 2_000),
  ];
}
