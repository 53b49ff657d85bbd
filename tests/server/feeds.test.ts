import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { withWorkspace } from '$server/access/lock';
import type { Person } from '$server/access/workspaceAccess';
import { allCalculated } from '$server/calculation/calculatedFields';
import type { Pool } from '$server/database/pool';
import { recalculate } from '$server/records/recalculate';
import { called, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let [store, shop]: Place[] = [];
let places = 0;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('feeds'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

async function ask(by: Person, method: string, path: string, body?: unknown) {
  const { endpoint, params } = endpointAt(method, path.split('?')[0] ?? '');
  const query = Object.fromEntries(new URLSearchParams(path.split('?')[1]));
  const { status, text: answer } = await called(pool, by, endpoint, params, query, body);
  return { status, text: answer, answer: JSON.parse(answer) as Record<string, unknown> };
}
const at = (place: Place, rest = ''): string => `/api/workspaces/${place.key}${rest}`;

async function fed(place: Place, transfer: Record<string, unknown>): Promise<Record<string, unknown>> {
  const planned = await ask(ida, 'POST', at(place, '/transfers'), { work: 'feed', ...transfer });
  if (planned.status !== 200) throw new Error(planned.text);
  const done = await ask(ida, 'POST', at(place, `/transfers/${String(planned.answer.id)}/apply`));
  if (done.status !== 200) throw new Error(done.text);
  return done.answer;
}

/** The records of a table as rows of the values of some fields, links by their titles. */
async function rows(place: Place, table: string, ...keys: string[]): Promise<unknown[][]> {
  const { answer } = await ask(ida, 'GET', at(place, `/tables/${table}/records?limit=500`));
  const shown = (value: unknown): unknown =>
    typeof value === 'object' && value !== null && 'title' in value ? value.title : value;
  return (answer.items as { id: number; values: Record<string, unknown> }[]).map(({ id, values }) =>
    keys.map((key) => (key === 'id' ? id : shown(values[key]))),
  );
}

/** Every feed and every calculated field is what a pass from nothing makes of it. */
async function agrees(...all: Place[]): Promise<void> {
  for (const place of all)
    await withWorkspace(pool, await place.access(), 'exclusive', async (client, now) => {
      const { touched } = await recalculate({
        client,
        access: now,
        exclusive: true,
        anew: allCalculated(now.workspace.model),
      });
      expect([...touched].map(({ key }) => key)).toEqual([]);
    });
}

const kinds = { label: 'Kind', type: 'option', options: ['Jar', 'Lid'] };

beforeEach(async () => {
  places += 1;
  store = await makePlace(pool, ida, `Store ${places}`);
  shop = await makePlace(pool, ida, `Shop ${places}`);
  await store.change(
    { do: 'addTable', label: 'Suppliers', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Purchases',
      fields: [text('Article'), { label: 'Day', type: 'date' }, { label: 'Amount', type: 'number' }, kinds],
    },
    { do: 'addField', table: 'purchases', field: { label: 'Supplier', type: 'link', to: 'suppliers' } },
  );
  await shop.change({
    do: 'addTable',
    label: 'Deliveries',
    fields: [
      text('Article'),
      { label: 'Day', type: 'date' },
      { label: 'Amount', type: 'number' },
      { label: 'Sent', type: 'yesNo' },
      { ...kinds, options: ['Jar', 'Box'] },
    ],
  });
  await store.insert('suppliers', { name: 'Glassworks' });
  await store.insert(
    'purchases',
    { article: 'Jar 500', day: '2026-03-01', amount: 100, kind: 'jar', supplier: 1 },
    { article: 'Lid', day: '2026-03-02', amount: 50, kind: 'lid' },
  );
  await shop.insert(
    'deliveries',
    { article: 'Jar 500', day: '2026-03-05', amount: 30, sent: true, kind: 'jar' },
    { article: 'Jar 500', day: '2026-03-06', amount: 5, sent: false, kind: 'box' },
  );
});

const movements = (more: Record<string, unknown> = {}) => ({
  sources: [
    { table: 'purchases', mark: 'In' },
    { table: `${shop!.key}.deliveries`, mark: 'Out', where: 'sent' },
  ],
  to: { label: 'Movements' },
  ...more,
});

describe('a feed', () => {
  test('of two workspaces is filled, follows each edit of its sources, and keeps what is its own', async () => {
    await fed(store!, movements());
    const keys = ['source', 'article', 'day', 'amount', 'kind', 'supplier'];
    expect(await rows(store!, 'movements', ...keys)).toEqual([]);
  });
});
void agrees;
