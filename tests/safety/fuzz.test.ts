import Joi from 'joi';
import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import { endpoints } from '$server/api/openapi';
import type { Pool } from '$server/database/pool';
import { recordId } from '$server/base/numbers';
import { freshDatabase, makePerson } from '../server/database';
import { makePlace, text, type Place } from '../server/place';
import { called } from './calling';
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
  await place.change({
    do: 'addField',
    table: 'sites',
    field: { label: 'Total', type: 'formula', formula: 'sum(visits.kg)' },
  });
  await place.insert('sites', { name: 'Low', opened: '2026-01-01' }, { name: 'High' });
  await place.insert(
    'visits',
    { note: 'a', kg: 1, site: 1, state: 'weak', seen: ['eggs'], share: 0.5 },
    { note: 'b', at: '2026-05-01T12:00:00Z', helpers: [1, 2] },
  );
});
afterAll(() => drop());

/** Where a description takes a number of any size, which a column may not hold. */
function boundless(described: unknown, at: string): string[] {
  if (typeof described !== 'object' || described === null) return [];
  const { type, rules, flags } = described as Joi.Description & {
    rules?: { name: string }[];
    flags?: { only?: boolean };
  };
  const isNumber = type === 'number' && !flags?.only;
  if (isNumber) return rules?.some(({ name }) => name === 'max') ? [] : [at];
  return Object.entries(described).flatMap(([key, value]) => boundless(value, `${at}.${key}`));
}

test('every number that a call takes has a largest one', () => {
  const sent = endpoints.flatMap(({ method, path, query, body }) =>
    [query, body].flatMap((schema) => boundless(schema?.describe(), `${method} ${path}`)),
  );
  expect(sent).toEqual([]);
  expect(boundless(recordId.describe(), 'a record')).toEqual([]);
  expect(boundless({ keys: { most: Joi.number().integer().min(0).describe() } }, 'call')).toEqual(['call.keys.most']);
});

test('a person beyond every person has done nothing', async () => {
  const history = endpoints.find(({ path }) => path.endsWith('{ws}/history'))!;
  const { status } = await called(pool, ida, history, { ws: place.key }, { person: String(2 ** 31) });
  expect(status).toBe(400);
});

/** Ten minutes of it are `./loom bench fuzz`. */
const calls = 1000;

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
