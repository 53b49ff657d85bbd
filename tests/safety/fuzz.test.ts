import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/seat';
import type { Pool } from '$server/database/pool';
import { freshDatabase, makePerson } from '../server/database';
import { makePlace, text, type Place } from '../server/place';
import { fuzzing, type Fault } from './fuzzing';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('fuzz'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Ground');
  await place.change(
    { do: 'addTable', label: 'Sites', fields: [text('Name', { unique: true }), { label: 'Opened', type: 'date' }] },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        text('Note'),
        { label: 'Kg', type: 'number' },
        { label: 'At', type: 'dateTime' },
        { label: 'Share', type: 'percent' },
        { label: 'State', type: 'option', options: ['weak', 'strong'] },
        { label: 'Seen', type: 'options', options: ['eggs', 'queen'] },
        { label: 'Price', type: 'money' },
        { label: 'Site', type: 'link', to: 'sites', counterpart: { label: 'Visits' } },
        { label: 'Helpers', type: 'link', to: 'sites', many: true },
      ],
    },
  );
  await place.change({ do: 'addField', table: 'sites', field: { label: 'Total', type: 'formula', formula: 'sum(visits.kg)' } });
  await place.insert('sites', { name: 'Low', opened: '2026-01-01' }, { name: 'High' });
  await place.insert(
    'visits',
    { note: 'a', kg: 1, site: 1, state: 'weak', seen: ['eggs'], share: 0.5 },
    { note: 'b', at: '2026-05-01T12:00:00Z', helpers: [1, 2] },
  );
});
afterAll(() => drop());

/** Ten minutes of it are `./loom bench fuzz`. */
const calls = 1500;

test('calls that nobody meant are refused or answered, and never a fault', async () => {
  const ground = {
    workspace: place.key,
    tables: ['sites', 'visits'],
    fields: ['name', 'note', 'kg', 'at', 'state', 'seen', 'price', 'site', 'helpers', 'visits', 'total', 'opened'],
  };
  const next = fuzzing(pool, ida, ground, 20_261_129);
  const faults: Fault[] = [];
  const statuses = new Map<number, number>();
  for (let call = 0; call < calls; call++) {
    const { status, fault } = await next();
    statuses.set(status, (statuses.get(status) ?? 0) + 1);
    if (fault) faults.push(fault);
  }
  expect(faults.map(({ call, sent, answer }) => `${call} ${sent.slice(0, 600)} ${answer.slice(0, 200)}`)).toEqual([]);
  // They reached what they were meant for: many were answered, and many were refused for what they said.
  expect(statuses.get(200) ?? 0).toBeGreaterThan(calls / 10);
  expect(statuses.get(422) ?? 0).toBeGreaterThan(calls / 40);
}, 180_000);
