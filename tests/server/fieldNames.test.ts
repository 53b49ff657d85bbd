import type { RequestEvent } from '@sveltejs/kit';
import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import { endpoints } from '$server/api/openapi';
import type { Pool } from '$server/database/pool';
import { respond } from '$server/http/endpoint';
import { freshDatabase, makePerson } from './database';
import { makePlace, type Place } from './place';

/** Names that statements of ours may use for something of their own; a field can be called any of them. */
const letters = [...'abcdefghijklmnopqrstuvwxyz'];
const words = [
  'id',
  'key',
  'value',
  'values',
  'total',
  'place',
  'count',
  'title',
  'label',
  'text',
  'record',
  'records',
  'row',
  'rows',
  'batch',
  'at',
  'month',
  'top',
  'once',
  'seen',
];
const numbers = [...letters, ...words].map((key) => ({ label: `${key} n`, key, type: 'number' as const, digits: 0 }));
const texts = [...letters, ...words].map((key) => ({ label: `${key} t`, key, type: 'text' as const }));
const options = [...letters, ...words].map((key) => ({
  label: `${key} o`,
  key,
  type: 'option' as const,
  options: ['one', 'two'],
}));

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;
beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('field_names'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Names');
  const link = (to: string, label: string) => ({
    label: 'Up',
    key: 'up',
    type: 'link' as const,
    to,
    counterpart: { label, key: label.toLowerCase() },
  });
  await place.change(
    { do: 'addTable', label: 'N', key: 'n', title: 'n', fields: numbers },
    { do: 'addTable', label: 'T', key: 't', title: 't', fields: [...texts, link('n', 'Downt')] },
    { do: 'addTable', label: 'O', key: 'o', title: 'o', fields: [...options, link('t', 'Downo')] },
    {
      do: 'addField',
      table: 'n',
      field: { label: 'All', key: 'all_n', type: 'formula', formula: letters.join(' + ') },
    },
    {
      do: 'addField',
      table: 'n',
      field: {
        label: 'Below',
        key: 'below',
        type: 'formula',
        formula: 'count(downt) filter (where downt.q = downt.y)',
      },
    },
    {
      do: 'addField',
      table: 't',
      field: { label: 'Over', key: 'over_t', type: 'formula', formula: 'up.n + up.t + up.r' },
    },
  );
  const record = (fields: readonly { key: string }[], value: (n: number) => unknown) =>
    Object.fromEntries(fields.map(({ key }, n) => [key, value(n)]));
  await place.insert('n', ...[1, 2, 3].map((n) => record(numbers, (m) => n * m)));
  await place.insert('t', ...[1, 2, 3].map((n) => ({ ...record(texts, (m) => `w${n} ${m}`), up: n })));
  await place.insert(
    'o',
    ...Array.from({ length: 24 }, (_, n) => ({ ...record(options, (m) => (m % 2 ? 'one' : 'two')), up: 1 + (n % 3) })),
  );
});
afterAll(() => drop());

/** Calls what the API has at an address, as its route does. */
async function call(
  method: string,
  path: string,
  params: Record<string, string>,
  query: Record<string, string> = {},
  body?: object,
) {
  const called = endpoints.find(
    (one) => one.method === method && one.path === `/api/workspaces/{ws}/tables/{t}${path}`,
  );
  if (!called) throw new Error(`${method} ${path} is no call`);
  const url = new URL(`http://loom.example/?${new URLSearchParams(query)}`);
  const request = new Request(url, {
    method,
    ...(body ? { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } } : {}),
  });
  const answer = await respond(called)({
    locals: { pool, reads: pool, downloads: pool, caller: () => Promise.resolve({ person: ida }) },
    params: { ws: place.key, ...params },
    url,
    request,
  } as unknown as RequestEvent);
  const text = await answer.text();
  if (answer.status >= 300)
    throw new Error(
      `${method} ${path} ${JSON.stringify(params)} ${JSON.stringify(query)}: ${answer.status} ${text.slice(0, 300)}`,
    );
  return text;
}

test.each(['n', 't', 'o'])(
  'whatever its fields are called, table %s is read, asked, written and exported',
  async (t) => {
    const keys = [...letters, ...words];
    expect(JSON.parse(await call('GET', '/findings', { t }))).toHaveProperty('findings');
    for (const f of [...keys, ...(t === 'n' ? ['all_n', 'below', 'downt'] : ['up'])]) {
      expect(JSON.parse(await call('GET', '/fields/{f}/facts', { t, f }))).toMatchObject({ setAside: 0 });
      if (t === 't' && f !== 'up') await call('GET', '/fields/{f}/values', { t, f });
    }
    for (const key of keys) {
      const condition = t === 'n' ? `${key} > 1` : t === 't' ? `${key} like 'w%'` : `${key} = 'one'`;
      for (const query of [
        { sort: `-${key}`, filter: condition },
        ...(t === 'n' ? [] : [{ filter: `up.${key} is not null`, sort: 'up' }]),
        { marks: JSON.stringify([condition]) },
      ] as Record<string, string>[]) {
        await call('GET', '/records', { t }, { limit: '5', ...query });
        const { filter = '', sort = '' } = query;
        await call('GET', '/records/anchors', { t }, { filter, sort });
      }
      await call(
        'GET',
        '/totals',
        { t },
        {
          group: t === 'n' ? '' : key,
          totals: t === 'n' ? `sum(${key}),avg(${key})` : `filled(${key}),distinct(${key})`,
          filter: condition,
        },
      );
    }
    await call('GET', '/search', { t }, { q: 'w1' });
    if (t !== 'n') await call('POST', '/fields/{f}/candidates', { t, f: 'up' }, {}, { q: '1' });
    for (const format of ['csv', 'json'])
      expect((await call('GET', '/export', { t }, { format })).length).toBeGreaterThan(100);
    const cells = keys.map((_, n) => (t === 'n' ? String(n) : t === 't' ? `p ${n}` : 'two'));
    for (const dry of [true, false])
      await call(
        'POST',
        '/records/paste',
        { t },
        {},
        {
          fields: keys,
          rows: [
            { id: 1, cells },
            { id: null, cells },
          ],
          misfits: 'setAside',
          dry,
        },
      );
    expect((await place.values(t, 'n')).length).toBeGreaterThan(3);
  },
);

test('their types change, they are set aside, become lists and links, and all of it is undone', async () => {
  const before = await place.values('t', 'n');
  for (const key of ['n', 't', 'r', 'x', 'value', 'place', 'label', 'id', 'text', 'word', 'top'].filter((one) =>
    [...letters, ...words].includes(one),
  )) {
    for (const set of [
      { type: 'number' },
      { type: 'option', options: [] },
      { type: 'date' },
      { unique: true },
    ] as const)
      await place.undo(
        await place.change({
          do: 'changeField',
          table: 't',
          field: key,
          set,
          ...('unique' in set ? { breaking: 'setAside' as const } : {}),
        }),
      );
    await place.undo(
      await place.change({ do: 'textToLink', table: 't', field: key, to: 'n', match: 'n', missing: 'setAside' }),
    );
    await place.undo(await place.change({ do: 'addRule', table: 'n', message: 'No', condition: `${key} < 10000` }));
    await place.undo(await place.change({ do: 'optionsToTable', table: 'o', field: key, label: `List of ${key}` }));
  }
  expect(await place.values('t', 'n')).toEqual(before);
});
