import { copyFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { authorize } from '../../../src/lib/server/access/workspaceAccess';
import { openPool } from '../../../src/lib/server/database/pool';
import { beginIntake, readIntake } from '../../../src/lib/server/intake/intakes';
import { benchPerson } from '../world';

/** A file from its arrival to its proposal in the workspace bench_propose; prints the time and the peak memory. */
const pool = openPool(process.env.DATABASE_URL ?? '', 6);
const access = await authorize(pool, await benchPerson(pool), 'bench_propose', 'administrator');
const [file = ''] = process.argv.slice(2);
// The intake takes over what was uploaded.
const path = join(tmpdir(), `loom-bench-${process.pid}`);
copyFileSync(file, path);
const started = performance.now();
const { id } = await beginIntake(pool, access, [{ name: basename(file), path }]);
let intake = await readIntake(pool, access, id);
while (intake.state === 'reading') {
  await new Promise((resolve) => setTimeout(resolve, 50));
  intake = await readIntake(pool, access, id);
}
const milliseconds = performance.now() - started;
if (intake.problem || !intake.proposal) throw new Error(intake.problem ?? 'nothing was proposed');
await pool.end();
console.log(JSON.stringify({ milliseconds, peakMegabytes: process.resourceUsage().maxRSS / 1024 }));
