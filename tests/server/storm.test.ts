import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { buildStorm, lookups, rollups, wrongAfter } from '../storm/world';
import { stormWithKill } from '../storm/withKill';
import { storm } from '../storm/writers';
import { freshDatabase, makePerson, makeAccess } from './database';

const writers = 8;
const seconds = 4;
const writes = 100;

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let ida: Person;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('storm'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

test.each([
  ['sums upwards only, side by side', 'up', rollups],
  ['lookups that come down again, by turns', 'down', [...rollups, ...lookups]],
])(
  `${writers} people writing at once leave every calculated value right: %s`,
  async (_, label, formulas) => {
    await makeAccess(pool, ida, label);
    const access = await buildStorm(pool, ida, label, formulas);
    const { done, faults } = await storm(pool, access, writers, seconds, writes);
    expect(faults).toEqual([]);
    expect(done).toBeGreaterThanOrEqual(writes);
    expect(await wrongAfter(pool, access)).toEqual([]);
  },
  60_000,
);

test('a process that is killed in the middle of its writes leaves no value wrong', async () => {
  await makeAccess(pool, ida, 'killed');
  const access = await buildStorm(pool, ida, 'killed', [...rollups, ...lookups]);
  const { done, faults, killed } = await stormWithKill(pool, url, access, writers, seconds);
  expect(killed).toBe(true);
  expect(faults).toEqual([]);
  expect(done).toBeGreaterThan(seconds * 5);
  expect(await wrongAfter(pool, access)).toEqual([]);
}, 60_000);
