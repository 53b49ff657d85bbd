import { Worker } from 'node:worker_threads';
import { from as copyFrom } from 'pg-copy-streams';
import { once } from 'node:events';
import type { IntakeSheet } from '../../../src/lib/core/intake/intake';
import { usualLimits, type SearchLimits } from '../../../src/lib/core/intake/discovery/search';
import { ColumnProfiler } from '../../../src/lib/core/intake/columns/profile';
import { confirmLinks } from '../../../src/lib/server/intake/discovery/links';
import { stagedName } from '../../../src/lib/server/intake/staged/stagedName';
import type { Pool } from '../../../src/lib/server/database/pool';
import { figure, median, timed, type Figure } from '../measure';
import { flatNames, flatRow } from './flatSheet';

interface Searched {
  readonly milliseconds: number;
  readonly keys: number;
  readonly found: number;
}

const inWorker = (rows: number, limits: SearchLimits = usualLimits): Promise<Searched> =>
  new Promise((resolve, reject) => {
    // A worker does not inherit what runs TypeScript here.
    const script = new URL('./discoverInWorker.ts', import.meta.url).href;
    const worker = new Worker(
      `import('tsx/esm/api').then(({ register }) => (register(), import(${JSON.stringify(script)})))`,
      {
        eval: true,
        workerData: { rows, limits },
      },
    );
    worker.once('message', (found: Searched) => {
      void worker.terminate();
      if (found.found === 6 && found.keys > 0) resolve(found);
      else reject(new Error(`not everything was found: ${JSON.stringify(found)}`));
    });
    worker.once('error', reject);
  });

/** A staged table of texts, row by row. */
async function stage(
  pool: Pool,
  name: string,
  columns: number,
  rows: number,
  row: (i: number) => readonly (string | null)[],
): Promise<void> {
  const client = await pool.connect();
  try {
    await client.query(`drop table if exists ${stagedName(name)}`);
    await client.query(
      `create unlogged table ${stagedName(name)} (_row bigint not null, _unreadable text, _refused text, _target bigint${Array.from({ length: columns }, (_, i) => `, c${i} text`).join('')})`,
    );
    const copy = client.query(
      copyFrom(
        `copy ${stagedName(name)} (_row${Array.from({ length: columns }, (_, i) => `, c${i}`).join('')}) from stdin`,
      ),
    );
    for (let i = 0; i < rows; i += 1000) {
      let lines = '';
      for (let j = i; j < Math.min(rows, i + 1000); j++)
        lines += `${[j + 1, ...row(j).map((text) => text ?? '\\N')].join('\t')}\n`;
      if (!copy.write(lines)) await once(copy, 'drain');
    }
    copy.end();
    await once(copy, 'finish');
    await client.query(`analyze ${stagedName(name)}`);
  } finally {
    client.release();
  }
}

/**
 * All sets of up to so many columns counted by PostgreSQL, one `group by` each: which follows from which is told from
 * the counts.
 */
const setsBySql = (pool: Pool, name: string, columns: number, most: number): Promise<number> =>
  timed(async () => {
    const count = (set: readonly number[]) =>
      pool.query(
        `select count(*) from (select 1 from ${stagedName(name)} group by ${set.map((column) => `c${column}`).join(', ')}) g`,
      );
    const widen = async (set: readonly number[]): Promise<void> => {
      for (let next = (set.at(-1) ?? -1) + 1; next < columns; next++) {
        const wider = [...set, next];
        await count(wider);
        if (wider.length < most) await widen(wider);
      }
    };
    await widen([]);
  });

async function* dependencies(pool: Pool): AsyncGenerator<Figure> {
  for (const rows of [10_000, 100_000, 1_000_000]) {
    const times: number[] = [];
    for (let round = 0; round < 3; round++) times.push((await inWorker(rows)).milliseconds);
    yield figure(
      'intake',
      `keys and dependencies of ${rows} x 20 in a worker`,
      median(times) / 1000,
      null,
      's',
      rows === 100_000 ? 10 : null,
    );
    if (rows !== 100_000) continue;
    await stage(pool, 'bench_flat', flatNames.length, rows, flatRow);
    // Twenty times faster is a twentieth of the time.
    const pairs: number[] = [];
    for (let round = 0; round < 3; round++)
      pairs.push((await inWorker(rows, { keyColumns: 2, determinants: 1, exceptions: 0.03 })).milliseconds);
    yield figure(
      'intake',
      'what pairs of columns tell, against each pair counted by SQL',
      median(pairs),
      await setsBySql(pool, 'bench_flat', flatNames.length, 2),
      'ms',
      1 / 20,
    );
    yield figure(
      'intake',
      'all of it, against each set of up to three columns counted by SQL',
      median(times),
      await setsBySql(pool, 'bench_flat', flatNames.length, 3),
      'ms',
      1 / 20,
    );
    await pool.query(`drop table ${stagedName('bench_flat')}`);
  }
}

const columns = 30;

/** 27 columns of codes, words and numbers, 3 of them contained in keys of the other sheet. */
const wideRow = (i: number): string[] =>
  Array.from({ length: columns }, (_, c) =>
    c === 0
      ? `H-${(i * 7919) % 50_000}`
      : c === 1
        ? `K-${(i * 31) % 5_000}`
        : c === 2
          ? `Q-${(i * 17) % 20_000}`
          : c % 3 === 0
            ? `text ${(i * (c + 1)) % (1000 * c)}`
            : String((i * (c + 3)) % (997 * c)),
  );

async function profiledSheet(
  name: string,
  staged: string,
  names: readonly string[],
  rows: number,
  row: (i: number) => readonly string[],
  keys: readonly number[],
): Promise<IntakeSheet> {
  const profilers = names.map((column) => new ColumnProfiler(column));
  for (let i = 0; i < rows; i++) row(i).forEach((text, index) => profilers[index]?.take(text));
  return Promise.resolve({
    name,
    rows,
    file: 0,
    read: { kind: 'delimited text' },
    heading: { preamble: 0, rows: 1 },
    notes: [],
    columns: profilers.map((profiler) => profiler.profile()),
    keys,
    unique: keys,
    staged,
  });
}

/**
 * Which of 30 columns lie in keys of another sheet, on all rows, against one pass of `select distinct` over each of
 * them.
 */
async function* inclusions(pool: Pool): AsyncGenerator<Figure> {
  for (const rows of [10_000, 100_000, 1_000_000]) {
    const keyRow = (i: number) => [`H-${i}`, `K-${i}`, `Q-${i}`];
    await stage(pool, 'bench_wide', columns, rows, wideRow);
    await stage(pool, 'bench_keys', 3, 50_000, keyRow);
    const wide = await profiledSheet(
      'visits',
      'bench_wide',
      Array.from({ length: columns }, (_, c) => `column ${c}`),
      rows,
      wideRow,
      [],
    );
    const keys = await profiledSheet('hives', 'bench_keys', ['hive', 'keeper', 'queen'], 50_000, keyRow, [0, 1, 2]);
    const [ours, theirs]: [number[], number[]] = [[], []];
    const client = await pool.connect();
    try {
      for (let round = 0; round < 3; round++) {
        ours.push(
          await timed(async () => {
            const links = await confirmLinks(client, [wide, keys]);
            const found = links
              .filter(({ from }) => from.sheet === 0)
              .map(({ from, to }) => `${from.column}${to.column}`);
            if (found.toSorted().join() !== '00,11,22') throw new Error(found.join());
          }),
        );
        theirs.push(
          await timed(async () => {
            for (let c = 0; c < columns; c++)
              await client.query(`select count(*) from (select distinct c${c} from ${stagedName('bench_wide')}) d`);
          }),
        );
      }
    } finally {
      client.release();
    }
    yield figure(
      'intake',
      `inclusion tests, ${columns} columns of ${rows} in 3 keys, against a distinct pass`,
      median(ours),
      median(theirs),
      'ms',
      rows === 1_000_000 ? 2 : null,
    );
  }
  await pool.query(`drop table ${stagedName('bench_wide')}, ${stagedName('bench_keys')}`);
}

export async function* discovery(pool: Pool): AsyncGenerator<Figure> {
  yield* dependencies(pool);
  yield* inclusions(pool);
}
