import { afterAll, beforeAll, expect, test } from 'vitest';
import { withWorkspace } from '$server/access/lock';
import { takeSeat, tableAt, type Person, type Seat } from '$server/access/seat';
import type { Pool } from '$server/database/pool';
import { Refusal } from '$server/refusal';
import { ChangedValues, recalculate } from '$server/tables/recalculate';
import { allCalculated } from '$server/tables/structure';
import { writeRecords, type RecordEdits } from '$server/tables/write';
import { changeNow, formulaField, linkField, plainField, plainTable } from './changes';
import { freshDatabase, makePerson, makeSeat } from './database';

const writers = 8;
const seconds = 4;

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let seat: Seat;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('storm'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

const rollups = [
  ['hives', 'last_day', 'max(inspections.day)'],
  ['hives', 'frames', 'sum(inspections.frames)'],
  ['apiaries', 'frames', 'sum(hives.frames)'],
  ['apiaries', 'last_day', 'max(hives.inspections.day)'],
  ['keepers', 'frames', 'sum(apiaries.frames)'],
  ['keepers', 'inspections', 'count(apiaries.hives.inspections)'],
] as const;
const lookups = [
  ['hives', 'steward', "coalesce(apiary.steward.name, 'nobody')"],
  ['inspections', 'at', "hive.steward || ' ' || hive.apiary.name"],
  ['hives', 'share', 'frames / nullif(apiary.frames, 0)'],
] as const;

/** A small world on which everybody gets in everybody's way. */
async function build(label: string, formulas: readonly (readonly [string, string, string])[]): Promise<void> {
  seat = await makeSeat(pool, ida, label);
  const key = seat.workspace.key;
  const keepers = plainTable('keepers', [plainField('name', { kind: 'text' })]);
  const apiaries = plainTable('apiaries', [plainField('name', { kind: 'text' })]);
  const hives = plainTable('hives', [plainField('number', { kind: 'text' })]);
  const inspections = plainTable('inspections', [plainField('day', { kind: 'date' }), plainField('frames', { kind: 'number', digits: 0 })]);
  await changeNow(pool, seat, [
    { do: 'addTable', table: keepers, at: 0 },
    { do: 'addTable', table: apiaries, at: 1 },
    { do: 'addTable', table: hives, at: 2 },
    { do: 'addTable', table: inspections, at: 3 },
    linkField(apiaries, keepers, 'steward', 'apiaries', 'clear'),
    linkField(hives, apiaries, 'apiary', 'hives', 'remove'),
    linkField(inspections, hives, 'hive', 'inspections', 'remove'),
  ]);
  for (const [table, field, text] of formulas) {
    seat = await takeSeat(pool, ida, key, 'administrator');
    await changeNow(pool, seat, [formulaField(seat, tableAt(seat, table), field, text)]);
  }
  seat = await takeSeat(pool, ida, key, 'administrator');
  const many = <T>(n: number, make: (i: number) => T) => Array.from({ length: n }, (_, i) => make(i));
  await writeRecords(pool, seat, 'keepers', { insert: many(3, (i) => ({ values: { name: `K-${i}` } })) });
  await writeRecords(pool, seat, 'apiaries', { insert: many(5, (i) => ({ values: { name: `A-${i}`, steward: 1 + (i % 3) } })) });
  await writeRecords(pool, seat, 'hives', { insert: many(20, (i) => ({ values: { number: `H-${i}`, apiary: 1 + (i % 5) } })) });
  await writeRecords(pool, seat, 'inspections', { insert: many(200, (i) => ({ values: { day: '2026-01-01', frames: i % 9, hive: 1 + (i % 20) } })) });
}

test.each([
  ['sums upwards only, side by side', 'up', rollups],
  ['lookups that come down again, by turns', 'down', [...rollups, ...lookups]],
])(
  `${writers} people writing at once leave every calculated value right: %s`,
  async (_, label, formulas) => {
    await build(label, formulas);
    const until = Date.now() + seconds * 1000;
    let done = 0;
    const refused = new Map<string, number>();
    async function ids(table: string): Promise<number[]> {
      const { rows } = await pool.query<{ id: number }>(`select _id as id from ${label}.${table} order by random() limit 3`);
      return rows.map(({ id }) => id);
    }
    async function edit(): Promise<[string, RecordEdits]> {
      const chance = Math.random();
      const [inspection, hive, apiary, keeper] = [await ids('inspections'), await ids('hives'), await ids('apiaries'), await ids('keepers')];
      const day = `2026-0${1 + Math.floor(Math.random() * 9)}-1${Math.floor(Math.random() * 9)}`;
      if (chance < 0.4) return ['inspections', { update: inspection.map((id) => ({ id, values: { frames: Math.floor(Math.random() * 12), day } })) }];
      if (chance < 0.55) return ['inspections', { insert: hive.map((id) => ({ values: { hive: id, day, frames: 3 } })) }];
      if (chance < 0.65) return ['inspections', { update: inspection.slice(0, 1).map((id) => ({ id, values: { hive: hive[0] } })) }];
      if (chance < 0.75) return ['inspections', { remove: inspection.slice(0, 2) }];
      if (chance < 0.85) return ['hives', { update: hive.slice(0, 2).map((id) => ({ id, values: { apiary: apiary[0] } })) }];
      if (chance < 0.9) return ['apiaries', { update: [{ id: apiary[0]!, values: { steward: keeper[0], name: `A-${Math.random()}` } }] }];
      if (chance < 0.95) return ['keepers', { update: [{ id: keeper[0]!, values: { name: `K-${Math.random()}` } }] }];
      return Math.random() < 0.5 ? ['hives', { insert: [{ values: { number: 'new', apiary: apiary[0] } }] }] : ['hives', { remove: hive.slice(0, 1) }];
    }
    async function writer(): Promise<void> {
      while (Date.now() < until) {
        const [table, edits] = await edit();
        try {
          await writeRecords(pool, seat, table, edits);
          done++;
        } catch (error) {
          // What another writer deleted in between may be refused; anything else is a fault.
          if (!(error instanceof Refusal) || ![409, 422].includes(error.status)) throw error;
          refused.set(error.message.replace(/\d+/g, 'n'), (refused.get(error.message) ?? 0) + 1);
        }
      }
    }
    await Promise.all(Array.from({ length: writers }, writer));
    expect(done).toBeGreaterThan(seconds * 20);
    const wrong = await withWorkspace(pool, seat, 'whole', async (client, now) => {
      const anew = allCalculated(now.workspace.model);
      const touched = await recalculate({ client, workspace: now.workspace, whole: true, changed: new ChangedValues(), anew });
      return [...touched].map(({ label }) => label);
    });
    expect(wrong).toEqual([]);
  },
  60_000,
);
