import type { Pool } from '../../../src/lib/server/database/pool';
import type { Figure } from '../measure';
import { benchPerson } from '../world';
import { editsThroughChains, hotParent, makeChains } from './chains';
import { inMemory, planning } from './memory';
import { paste } from './paste';
import { wholeTable } from './wholeTable';

/** Calculation with its writes, beside what one would write by hand; each part is told as soon as it is measured. */
export async function* calculate(pool: Pool, url: string): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  yield* planning();
  yield* inMemory();
  yield* await paste(pool, person);
  yield* await wholeTable(pool, person);
  const accesses = [];
  for (const records of [10_000, 100_000, 1_000_000])
    accesses.push({ records, access: await makeChains(pool, person, `bench_chain_${records}`, records) });
  yield* await editsThroughChains(pool, accesses);
  const [small] = accesses;
  if (small) yield* await hotParent(pool, url, small.access);
}
