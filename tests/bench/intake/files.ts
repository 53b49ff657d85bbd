import { createWriteStream, existsSync, mkdirSync } from 'node:fs';
import { once } from 'node:events';

const folder = '.loom/bench';

/** The three files of a load: keepers, hives, and inspections × 12 that name both by their codes. */
export interface LoadFiles {
  readonly rows: number;
  readonly hives: number;
  readonly keepers: number;
  readonly paths: {
    readonly keepers: string;
    readonly hives: string;
    readonly inspections: string;
    readonly resolved: string;
  };
}

const padded = (prefix: string, i: number) => `${prefix}-${String(i + 1).padStart(6, '0')}`;
const two = (n: number) => String(n).padStart(2, '0');
const words = ['calm', 'fair', 'wild', 'strong'];

export const keeperLine = (i: number): string =>
  `${padded('K', i)},keeper ${i},20${10 + (i % 15)}-0${1 + (i % 9)}-${two(1 + (i % 28))}`;
export const hiveLine = (i: number): string =>
  `${padded('H', i)},place ${i % 1000},20${10 + (i % 15)}-0${1 + (i % 9)}-${two(1 + (i % 28))}`;
export const inspectionHeader = 'visit,hive_number,day,frames,weight,stores,state,fed,notes,keeper_code,height,temper';
export const inspectionCells = (i: number, hives: number, keepers: number): (string | number)[] => [
  `V${i}`,
  padded('H', (i * 7919) % hives),
  `20${16 + (i % 10)}-${two(1 + (i % 12))}-${two(1 + (i % 28))}`,
  i % 12,
  ((i * 31) % 100000) / 1000,
  i % 101,
  words[i % 4] ?? '',
  i % 3 ? 'yes' : 'no',
  `note ${(i * 104729) % 99991}`,
  padded('K', (i * 31) % keepers),
  100 + (i % 400),
  ((i * 17) % 50) / 10,
];

async function write(path: string, header: string, count: number, line: (i: number) => string): Promise<void> {
  if (existsSync(path)) return;
  const out = createWriteStream(path);
  out.write(`${header}\n`);
  for (let i = 0; i < count; i += 1000) {
    let chunk = '';
    for (let j = i; j < Math.min(count, i + 1000); j++) chunk += `${line(j)}\n`;
    if (!out.write(chunk)) await once(out, 'drain');
  }
  out.end();
  await once(out, 'finish');
}

/** Makes the files once: a hive for twenty inspections, a keeper for two hundred. */
export async function loadFiles(rows: number): Promise<LoadFiles> {
  const [hives, keepers] = [Math.max(500, rows / 20), Math.max(100, rows / 200)];
  mkdirSync(folder, { recursive: true });
  const path = (name: string) => `${folder}/${name}_${rows}.csv`;
  const paths = {
    keepers: path('keepers'),
    hives: path('hives'),
    inspections: path('inspections'),
    resolved: path('resolved'),
  };
  await write(paths.keepers, 'code,name,since', keepers, keeperLine);
  await write(paths.hives, 'number,place,since', hives, hiveLine);
  await write(paths.inspections, inspectionHeader, rows, (i) => inspectionCells(i, hives, keepers).join(','));
  return { rows, hives, keepers, paths };
}
