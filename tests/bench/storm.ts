import type { Pool } from '../../src/lib/server/database/pool';
import { buildStorm, lookups, rollups, wrongAfter } from '../storm/world';
import { stormWithKill } from '../storm/withKill';
import { figure, type Figure } from './measure';
import { benchPerson, freshWorkspace } from './world';

/**
 * Sixteen writers for a minute over shared parents, three levels, links moved, records deleted, one process killed half
 * way.
 */
export async function* stormBench(pool: Pool, url: string): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  for (const [key, words, formulas] of [
    ['bench_storm_up', 'sums upwards', rollups],
    ['bench_storm_turns', 'sums and lookups that turn around', [...rollups, ...lookups]],
  ] as const) {
    await freshWorkspace(pool, person, key);
    const access = await buildStorm(pool, person, key, formulas);
    const { done, faults, refused, killed } = await stormWithKill(pool, url, access, 16, 60);
    const clashes = Object.values(refused).reduce((sum, n) => sum + n, 0);
    yield figure('storm', `${words}: edits of the eight that lived on`, done, null, 'edits', null);
    yield figure('storm', `${words}: clashes of versions or with deletions`, clashes, null, 'edits', null);
    yield figure(
      'storm',
      `${words}: other errors, or the process not killed`,
      faults.length + (killed ? 0 : 1),
      null,
      'errors',
      0,
    );
    yield figure(
      'storm',
      `${words}: tables with a wrong value afterwards`,
      (await wrongAfter(pool, access)).length,
      null,
      'tables',
      0,
    );
    for (const fault of [...new Set(faults)].slice(0, 5)) console.error(fault);
  }
}
