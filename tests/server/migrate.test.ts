import { afterAll, beforeAll, expect, test } from 'vitest';
import { migrateCatalogue } from '$server/database/migrate';
import type { Pool } from '$server/database/pool';
import { freshDatabase, makePerson } from './database';

let pool: Pool;
let drop: () => Promise<void>;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('migrating'));
});
afterAll(() => drop());

test('a catalogue that is up to date stays as it is; one of an earlier set is told so, and left alone', async () => {
  const { id } = await makePerson(pool, 'Ida');
  await migrateCatalogue(pool);
  await pool.query(
    `update loom.migrations set hash = 'of another set' where id = (select min(id) from loom.migrations)`,
  );
  await expect(migrateCatalogue(pool)).rejects.toThrow('made by an earlier version');
  expect((await pool.query('select id from loom.people')).rows).toEqual([{ id }]);
});
