import { migrateCatalogue } from '../../src/lib/server/database/migrate';
import { openPool } from '../../src/lib/server/database/pool';
import { access } from './access';
import { calculate } from './calculate/calculate';
import { fit } from '../truth/fit';
import { edit } from './edit';
import { faults } from './faults/faults';
import { feeds } from './feeds';
import { fuzz } from './fuzz';
import { intake } from './intake/intake';
import { lookups } from './lookups';
import type { Figure } from './measure';
import { packages } from './packages';
import { page } from './page';
import { documents } from './documents';
import { present } from './present';
import { recalculate } from './recalculate';
import { recordsBench } from './records';
import { stormBench } from './storm';
import { stranger } from './stranger/stranger';
import { routines } from './routines';
import { structure } from './structure';
import { transfer } from './transfer';
import { truth } from './truth';

/**
 * `./loom bench [NAME] [--json]`: in a database of its own on the same server as the demo's, with durability as it is
 * there.
 */
const benches = {
  edit,
  intake,
  recalculate,
  calculate,
  lookups,
  storm: stormBench,
  page,
  structure,
  records: recordsBench,
  fuzz,
  faults,
  stranger,
  transfer,
  feeds,
  routines,
  documents,
  packages,
  present,
  truth,
  access,
  fit,
};
const args = process.argv.slice(2);
const json = args.includes('--json');
const wanted = args.filter((arg) => !arg.startsWith('--'));
const unknown = wanted.find((name) => !(name in benches));
if (unknown) {
  console.error(`loom: there is no bench “${unknown}”; there are ${Object.keys(benches).join(', ')}.`);
  process.exit(1);
}
const database = 'loom_bench';
const base = process.env.DATABASE_URL ?? '';
const admin = openPool(base.replace(/\/[^/?]*(\?.*)?$/, '/postgres$1'), 1);
const { rowCount } = await admin.query('select 1 from pg_database where datname = $1', [database]);
if (rowCount === 0) await admin.query(`create database ${database}`);
await admin.end();
const url = base.replace(/\/[^/?]*(\?.*)?$/, `/${database}$1`);
const pool = openPool(url, 12);
await migrateCatalogue(pool);

const show = (figure: Figure) =>
  json
    ? console.log(JSON.stringify(figure))
    : console.log(
        `${figure.bench.padEnd(12)} ${figure.case.padEnd(56)} ours ${String(figure.ours).padStart(9)} ${figure.unit}${figure.against === null ? '' : `   against ${String(figure.against).padStart(9)} ${figure.unit}   ratio ${figure.ratio}`}${figure.bar === null ? '' : `   at most ${figure.bar}: ${figure.holds ? 'holds' : 'DOES NOT HOLD'}`}`,
      );
for (const [name, bench] of Object.entries(benches)) {
  if (wanted.length > 0 && !wanted.includes(name)) continue;
  for await (const figure of await bench(pool, url)) show(figure);
}
const made = await pool.query<{ key: string }>(`select key from loom.workspaces where starts_with(key, 'bench_')`);
for (const { key } of made.rows) {
  await pool.query(`drop schema if exists "${key}" cascade`);
  await pool.query('delete from loom.workspaces where key = $1', [key]);
}
await pool.query(`drop schema loom_staging cascade; create schema loom_staging`);
await pool.end();
