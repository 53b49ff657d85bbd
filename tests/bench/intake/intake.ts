import type { Pool } from '../../../src/lib/server/database/pool';
import type { Figure } from '../measure';
import { discovery } from './discovery';
import { loads } from './load';
import { matching } from './matching';
import { proposing } from './propose';
import { reading } from './reading';

/**
 * Everything between a file and its receipt: reading, profiles, discovery, near misses, loading; and how each grows.
 */
export async function* intake(pool: Pool, url: string): AsyncGenerator<Figure> {
  for (const one of matching()) yield one;
  yield* reading();
  yield* discovery(pool);
  yield* await proposing(pool, url);
  yield* loads(pool, url);
}
