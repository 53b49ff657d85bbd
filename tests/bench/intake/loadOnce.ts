import { copyFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { authorize } from '../../../src/lib/server/access/workspaceAccess';
import { openPool } from '../../../src/lib/server/database/pool';
import { beginIntake, readIntake } from '../../../src/lib/server/intake/intakes';
import { startLoad } from '../../../src/lib/server/intake/load/loading';
import { benchPerson } from '../world';

/** One whole intake of files into the workspace bench_load; prints its time, phases and the process's peak memory. */
const pool = openPool(process.env.DATABASE_URL ?? '', 6);
const access = await authorize(pool, await benchPerson(pool), 'bench_load', 'design');
const [rows = 0] = process.argv.slice(2, 3).map(Number);
const files = process.argv.slice(3).map((path, index) => {
  // The intake takes over what was uploaded.
  const copy = join(tmpdir(), `loom-bench-${process.pid}-${index}`);
  copyFileSync(path, copy);
  return { name: basename(path), path: copy };
});
const until = async (id: number, state: string) => {
  for (;;) {
    const intake = await readIntake(pool, access, id);
    if (intake.state !== state) return intake;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
};
const started = performance.now();
const { id } = await beginIntake(pool, access, files);
const read = await until(id, 'reading');
const afterReading = performance.now();
if (read.problem) throw new Error(read.problem);
await startLoad(pool, access, id);
const loaded = await until(id, 'loading');
const ended = performance.now();
const inspections = loaded.receipt?.sheets[2];
if (
  loaded.state !== 'loaded' ||
  inspections?.added !== rows ||
  inspections.links.length !== 2 ||
  inspections.links.some(({ made }) => made !== rows)
)
  throw new Error(JSON.stringify([loaded.problem, loaded.receipt]));
await pool.end();
console.log(
  JSON.stringify({
    milliseconds: ended - started,
    peakMegabytes: process.resourceUsage().maxRSS / 1024,
    phases: { reading: Math.round(afterReading - started), loading: Math.round(ended - afterReading) },
  }),
);
