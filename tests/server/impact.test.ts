import { afterAll, beforeAll, expect, test } from 'vitest';
import { fieldNamed } from '$core/model/model';
import { tableAt } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import type { Refusal } from '$server/base/refusal';
import { estimateImpact } from '$server/calculation/impact';
import { stopWork, workAt } from '$server/structure/work';
import { freshDatabase, makePerson } from './database';
import { makePlace, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let home: Place;
const visits = 40_000;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('reach'));
  home = await makePlace(pool, await makePerson(pool, 'Ida'), 'Reach');
  await home.change(
    {
      do: 'addTable',
      label: 'Apiaries',
      fields: [
        { label: 'Name', type: 'text' },
        { label: 'Height', type: 'number', digits: 0 },
      ],
    },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Apiary', type: 'link', to: 'apiaries', counterpart: { label: 'Visits' } },
      ],
    },
  );
  await pool.query(`insert into reach.apiaries (name) values ('Lower Meadow'), ('Fell Gate')`);
  await pool.query(
    `insert into reach.visits (day, apiary) select date '2026-01-01', case when i <= 10 then 2 else 1 end from generate_series(1, ${visits}) i`,
  );
  await home.change(
    { do: 'addField', table: 'visits', field: { label: 'Place', type: 'formula', formula: 'apiary.name' } },
    {
      do: 'addField',
      table: 'visits',
      field: { label: 'Shown', type: 'formula', formula: "place || ' ' || cast(day as text)" },
    },
    { do: 'addField', table: 'apiaries', field: { label: 'Latest', type: 'formula', formula: 'max(visits.shown)' } },
  );
  await pool.query('vacuum analyze reach.visits');
});
afterAll(() => drop());

const rename = (id: number, name: string, ask: boolean) =>
  home.write('apiaries', { update: [{ id, values: { name } }], ask });
const placesOf = async (name: string) =>
  Number((await pool.query(`select count(*) as n from reach.visits where place = $1`, [name])).rows[0].n);

test('an edit of few consequences is not asked about; one of very many says how many, and is done when told to', async () => {
  await rename(2, 'Fell Gates', true);
  expect(await placesOf('Fell Gates')).toBe(10);
  const refused = await rename(1, 'Upper Meadow', true).then(
    () => null,
    (error: Refusal) => error,
  );
  expect(refused?.problem.message).toBe(
    'Up to 39,991 records would be calculated anew: 39,990 of Visits, 1 of Apiaries.',
  );
  expect(refused?.details.reach).toEqual([
    { table: 'visits', label: 'Visits', count: 39_990 },
    { table: 'apiaries', label: 'Apiaries', count: 1 },
  ]);
  expect(await placesOf('Upper Meadow')).toBe(0);
  await rename(1, 'Upper Meadow', false);
  expect(await placesOf('Upper Meadow')).toBe(39_990);
  const access = await home.access();
  expect(
    await estimateImpact(pool, access.workspace, new Set([fieldNamed(tableAt(access, 'apiaries'), 'height')!.id]), [1]),
  ).toEqual([]);
});

test('while it runs it is told, and stopping it leaves nothing of it', async () => {
  // Somebody who reads a record for update holds the calculation up, so that it can be caught at work.
  const holder = await pool.connect();
  await holder.query('begin; select 1 from reach.visits where _id = 20000 for update');
  const renaming = rename(1, 'Middle Meadow', false).then(
    () => 'done',
    (error: Refusal) => error.message,
  );
  const access = await home.access();
  let work = await workAt(pool, access);
  for (let tries = 0; work.length === 0 && tries < 200; tries++) {
    await new Promise((resolve) => setTimeout(resolve, 25));
    work = await workAt(pool, access);
  }
  expect(work).toMatchObject([{ kind: 'edit', phase: 'calculation' }]);
  await stopWork(pool, access, work[0]!);
  expect(await renaming).toMatch(/stopped/i);
  await holder.query('rollback');
  holder.release();
  expect(await placesOf('Middle Meadow')).toBe(0);
});
