import type { RequestEvent } from '@sveltejs/kit';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Model } from '$core/types/model';
import { authorize, type Person } from '$server/access/workspaceAccess';
import { getFindings } from '$server/api/findings';
import { listRecords } from '$server/api/recordQueries';
import { getFacts } from '$server/api/structure';
import type { Pool } from '$server/database/pool';
import { respond, type Endpoint } from '$server/http/endpoint';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let hire: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('reads_meanwhile'));
  ida = await makePerson(pool, 'Ida');
  hire = await makePlace(pool, ida, 'Tool hire');
  await hire.change(
    { do: 'addTable', label: 'Tools', fields: [text('Tag'), { label: 'Price', type: 'number', digits: 0 }] },
    {
      do: 'addTable',
      label: 'Hires',
      fields: [
        text('Note'),
        { label: 'Days', type: 'number', digits: 0 },
        { label: 'Tool', type: 'link', to: 'tools', counterpart: { label: 'Hires' } },
      ],
    },
  );
  await hire.insert('tools', ...Array.from({ length: 9 }, (_, n) => ({ tag: `T${n}`, price: n })));
  await hire.insert(
    'hires',
    ...Array.from({ length: 60 }, (_, n) => ({ note: `n ${n % 3}`, days: n, tool: 1 + (n % 9) })),
  );
});
afterAll(() => drop());

/** Calls an endpoint as its route does, and gives the status of the answer. */
async function status(
  called: Endpoint,
  params: Record<string, string>,
  over: Pool,
  query = '',
  body?: object,
): Promise<number> {
  const url = new URL(`http://loom.example${called.path}${query}`);
  const request = new Request(url, {
    method: called.method,
    ...(body ? { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } } : {}),
  });
  const event = {
    locals: { pool: over, reads: over, downloads: over, caller: () => Promise.resolve({ person: ida }) },
    params: { ws: hire.key, ...params },
    url,
    request,
  } as unknown as RequestEvent;
  return (await respond(called)(event)).status;
}

/** A pool before whose first statement of a kind somebody else changes the structure: as late as can be. */
function overtaken(
  change: () => Promise<unknown>,
  at = (text: string) => text.includes(`"${hire.key}"."hires"`),
): { over: Pool; done: () => boolean } {
  let done = false;
  const over = new Proxy(pool, {
    get(target, name) {
      const value: unknown = Reflect.get(target, name);
      if (name !== 'query')
        return typeof value === 'function' ? (value as (...all: unknown[]) => unknown).bind(target) : value;
      return async (...given: unknown[]) => {
        const [asked] = given;
        const text = typeof asked === 'string' ? asked : ((asked as { text?: string }).text ?? '');
        if (!done && at(text)) {
          done = true;
          await change();
        }
        return (target.query as (...all: unknown[]) => Promise<unknown>)(...given);
      };
    },
  });
  return { over, done: () => done };
}

const changes: readonly (readonly [string, () => Promise<unknown>])[] = [
  [
    'a field has another key',
    () =>
      hire.change({
        do: 'changeField',
        table: 'hires',
        field: 'days',
        set: { key: 'length_of_hire', label: 'Length of hire' },
      }),
  ],
  [
    'a field is of another type',
    () => hire.change({ do: 'changeField', table: 'hires', field: 'days', set: { type: 'text' } }),
  ],
  ['a field is gone', () => hire.change({ do: 'removeField', table: 'hires', field: 'days' })],
];
const reads: readonly (readonly [string, (over: Pool) => Promise<number>, number])[] = [
  ['records', (over) => status(listRecords, { t: 'hires' }, over, '?limit=100'), 200],
  ['findings', (over) => status(getFindings, { t: 'hires' }, over), 200],
  ['facts', (over) => status(getFacts, { t: 'hires', f: 'note' }, over), 200],
];

describe.each(changes)('while it is read, %s', (_, change) => {
  test.each(reads)('%s are what there is afterwards', async (_name, read, expected) => {
    let batch: unknown;
    const { over, done } = overtaken(async () => (batch = await change()));
    expect(await read(over)).toBe(expected);
    expect(done()).toBe(true);
    await hire.undo(batch as number);
  });
});

test('a model is never taken for another version’s', async () => {
  const before = await authorize(pool, ida, hire.key, 'see');
  // Between the row of the workspace and its model.
  const rename = () => hire.change({ do: 'changeTable', table: 'tools', set: { label: 'Tools for hire' } });
  const { over, done } = overtaken(rename, (text) => /select "model"/.test(text));
  // Its model is in memory no more.
  await pool.query('update loom.workspaces set version = version + 1 where key = $1', [hire.key]);
  const { version, model } = (await authorize(over, ida, hire.key, 'see')).workspace;
  expect(done()).toBe(true);
  const { rows } = await pool.query<{ version: number; model: Model }>(
    'select version, model from loom.workspaces where key = $1',
    [hire.key],
  );
  expect([version, model]).toEqual([rows[0]?.version, rows[0]?.model]);
  expect(version).toBe(before.workspace.version + 2);
});
