import { copyFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { authorize } from '../../../src/lib/server/access/workspaceAccess';
import { openPool } from '../../../src/lib/server/database/pool';
import { beginIntake, correctIntake, readIntake } from '../../../src/lib/server/intake/intakes';
import { benchPerson } from '../world';

/**
 * Files from their arrival to their proposal in the workspace bench_propose, and one correction of it; prints the times
 * and the peak memory.
 */
const pool = openPool(process.env.DATABASE_URL ?? '', 6);
const access = await authorize(pool, await benchPerson(pool), 'bench_propose', 'design');
// The intake takes over what was uploaded.
const uploads = process.argv.slice(2).map((file, at) => {
  const path = join(tmpdir(), `loom-bench-${process.pid}-${at}`);
  copyFileSync(file, path);
  return { name: basename(file), path };
});
const started = performance.now();
const { id } = await beginIntake(pool, access, uploads);
let intake = await readIntake(pool, access, id);
while (intake.state === 'reading') {
  await new Promise((resolve) => setTimeout(resolve, 50));
  intake = await readIntake(pool, access, id);
}
const milliseconds = performance.now() - started;
if (intake.problem || !intake.proposal) throw new Error(intake.problem ?? 'nothing was proposed');
const began = performance.now();
await correctIntake(pool, access, id, { tables: {}, columns: { '0.3': { as: 'text' } } });
const corrected = performance.now() - began;
await pool.end();
console.log(JSON.stringify({ milliseconds, corrected, peakMegabytes: process.resourceUsage().maxRSS / 1024 }));
