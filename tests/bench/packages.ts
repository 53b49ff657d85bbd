import { execFile } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdtemp, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { promisify } from 'node:util';
import { structureReader, structureWriter } from '../../src/lib/server/api/packages/structureText';
import type { Pool } from '../../src/lib/server/database/pool';
import { filesRoot, keepFile } from '../../src/lib/server/files/store';
import { bringPackageIn } from '../../src/lib/server/packages/bringIn';
import { openPackage } from '../../src/lib/server/packages/open';
import { writePackage } from '../../src/lib/server/packages/write';
import { dropWorkspace } from '../../src/lib/server/workspaces/workspaces';
import { figure, timed, type Figure } from './measure';
import { apply, benchPerson, freshWorkspace } from './world';

const key = 'bench_packages';
const records = 1_000_000;
const files = 2_000;
const megabyte = 1_000_000;
const run = promisify(execFile);

/** What was written before is on the disk: else whoever comes first pays for it. */
const settled = () => run('sync');

/** By how many megabytes the memory of this process grows at most while something is done. */
async function grown(work: () => Promise<number>): Promise<{ readonly took: number; readonly most: number }> {
  globalThis.gc?.();
  const before = process.memoryUsage().rss;
  let most = 0;
  const watch = setInterval(() => (most = Math.max(most, process.memoryUsage().rss - before)), 50);
  const took = await work();
  clearInterval(watch);
  return { took, most: most / megabyte };
}

/**
 * A workspace of a million records and two gigabytes of files, taken out and brought into another one, against
 * `pg_dump` and `pg_restore` of its schema with `tar` of the same files.
 */
export async function* packages(pool: Pool, url: string): AsyncGenerator<Figure> {
  const folder = await mkdtemp(join(tmpdir(), 'loom-packages-'));
  process.env.LOOM_FILES = join(folder, 'store');
  try {
    yield* measured(pool, url, folder);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

async function* measured(pool: Pool, url: string, folder: string): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  let access = await freshWorkspace(pool, person, key);
  access = await apply(pool, access, [
    {
      do: 'addTable',
      label: 'Apiaries',
      fields: [
        { label: 'Name', type: 'text', unique: true },
        { label: 'Place', type: 'place' },
        { label: 'Pictures', type: 'files' },
      ],
    },
    {
      do: 'addTable',
      label: 'Harvests',
      fields: [
        { label: 'Number', type: 'runningNumber', pattern: 'H-{0000000}' },
        { label: 'Note', type: 'text' },
        { label: 'Day', type: 'date' },
        { label: 'At', type: 'dateTime' },
        { label: 'Kg', type: 'number', digits: 2, unit: 'kg' },
        { label: 'Paid', type: 'money', currency: 'EUR', digits: 2 },
        { label: 'Kind', type: 'option', options: ['heather', 'lime', 'meadow', 'forest'] },
        { label: 'Keeper', type: 'member' },
        { label: 'Apiary', type: 'link', to: 'apiaries', counterpart: { label: 'Harvests' } },
      ],
    },
    { do: 'addField', table: 'harvests', field: { label: 'Stood at', type: 'formula', formula: 'apiary.name' } },
    { do: 'addField', table: 'harvests', field: { label: 'Value', type: 'formula', formula: 'kg * 12' } },
    { do: 'addField', table: 'apiaries', field: { label: 'All kg', type: 'formula', formula: 'sum(harvests.kg)' } },
  ]);
  const own: object[] = [];
  for (let n = 0; n < files; n++) {
    const path = join(folder, `picture-${n}`);
    await writeFile(path, randomBytes(megabyte));
    own.push(await keepFile(pool, access, { path, name: `picture ${n}.bin` }));
  }
  await pool.query(
    `insert into ${key}.apiaries (name, pictures) select 'Apiary ' || n, jsonb_build_array(f) from jsonb_array_elements($1::jsonb) with ordinality e(f, n)`,
    [JSON.stringify(own)],
  );
  await pool.query(`
    insert into ${key}.harvests (note, day, at, kg, paid, kind, keeper, apiary)
    select 'n' || i, current_date - i % 1500, date_trunc('second', now() - i % 36000000 * interval '1 second'), (i % 4000) / 100.0,
      (i % 9000) / 100.0, (array['heather', 'lime', 'meadow', 'forest'])[1 + i % 4], ${person.id}, 1 + i % ${files}
    from generate_series(1, ${records}) i
  `);
  await pool.query(
    `update ${key}.harvests h set stood_at = a.name, value = kg * 12 from ${key}.apiaries a where a._id = h.apiary`,
  );
  await pool.query(
    `update ${key}.apiaries a set all_kg = (select sum(kg) from ${key}.harvests h where h.apiary = a._id)`,
  );
  await pool.query(`vacuum analyze ${key}.harvests, ${key}.apiaries`);

  const ours = join(folder, 'ours.zip');
  await settled();
  const out = await grown(() =>
    timed(async () =>
      pipeline(
        Readable.from(writePackage(pool, access, true, await structureWriter(pool, key))),
        createWriteStream(ours),
      ),
    ),
  );
  const [dump, tar, restored] = ['dump', 'files.tar', 'restored'].map((name) => join(folder, name));
  await settled();
  const dumping = await timed(async () => {
    await run('pg_dump', ['-Fc', '-Z1', '-n', key, '-f', dump ?? '', url]);
    await run('tar', ['-cf', tar ?? '', '-C', filesRoot(), '.']);
  });
  yield figure('packages', 'a million records and 2 GB of files out / pg_dump and tar', out.took, dumping, 'ms', 2);
  yield figure('packages', 'memory that it takes', out.most, null, 'MB', 150);
  yield figure(
    'packages',
    'its size / that of dump and tar',
    (await stat(ours)).size / megabyte,
    ((await stat(dump ?? '')).size + (await stat(tar ?? '')).size) / megabyte,
    'MB',
    1.5,
  );

  // The files come to another place: nothing of them is there.
  process.env.LOOM_FILES = join(folder, 'elsewhere');
  let made: readonly string[] = [];
  await settled();
  const into = await grown(() =>
    timed(async () => {
      const open = await openPackage(ours, 'ours.zip');
      try {
        const done = await bringPackageIn(pool, person, open, 'ours.zip', structureReader(pool, person), () =>
          Promise.resolve(),
        );
        made = done.workspaces;
      } finally {
        open.archive.close();
      }
    }),
  );
  const target = url.replace(/\/[^/?]*(\?.*)?$/, '/loom_bench_restored$1');
  await pool.query('drop database if exists loom_bench_restored with (force)');
  await pool.query('create database loom_bench_restored');
  // What the schema names of the program's own.
  await run('sh', ['-c', `pg_dump -n loom '${url}' | psql -q -v ON_ERROR_STOP=1 '${target}' > /dev/null`]);
  await settled();
  const restoring = await timed(async () => {
    await run('pg_restore', ['--exit-on-error', '-d', target, dump ?? '']);
    await run('mkdir', ['-p', restored ?? '']);
    await run('tar', ['-xf', tar ?? '', '-C', restored ?? '']);
  });
  yield figure('packages', 'the same in / pg_restore and tar', into.took, restoring, 'ms', 2);
  yield figure('packages', 'memory that it takes', into.most, null, 'MB', 150);
  await pool.query('drop database loom_bench_restored with (force)');
  for (const one of made) {
    const { rows } = await pool.query<{ id: number; same: boolean }>(
      `select id, (select count(*) from ${one}.harvests) = ${records}
         and (select sum(value) from ${one}.harvests) = (select sum(value) from ${key}.harvests)
         and (select sum(all_kg) from ${one}.apiaries) = (select sum(all_kg) from ${key}.apiaries) as same
       from loom.workspaces where key = '${one}'`,
    );
    if (rows[0]?.same !== true) throw new Error('what came in is not what went out');
    await dropWorkspace(pool, { id: rows[0].id, key: one });
  }
}
