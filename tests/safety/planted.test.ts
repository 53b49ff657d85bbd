import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import { endpoints } from '$server/api/openapi';
import type { Pool } from '$server/database/pool';
import { freshDatabase, makePerson } from '../server/database';
import { makePlace, text, type Place } from '../server/place';
import { called } from './calling';

/**
 * Every value of every record is a word that stands nowhere else, and so is every name of a field and a table. Random
 * roles then ask every call for everything they know of, and of what their role does not let them see no word is told.
 * Which words these are is worked out here, from the role as it was sent, and not by the application.
 */
let pool: Pool;
let drop: () => Promise<void>;
let [ida, wren]: Person[] = [];
let place: Place;

interface RecordIn {
  readonly id: number;
  readonly state: string;
  readonly weight: number;
  readonly own: boolean;
  /** The record that its link names; the link of the first table names nothing. */
  readonly to: number | null;
}
/** Each table links to the one before it; `words` are the fields whose values are planted. */
const tables = ['sites', 'hives', 'visits'] as const;
type TableKey = (typeof tables)[number];
const words = ['name', 'note', 'code', 'aside'] as const;
const records: Record<TableKey, RecordIn[]> = { sites: [], hives: [], visits: [] };
const planted = (table: string, field: string, id: number): string => `zq${table}${field}${id}`;
const nameOf = (table: string, field: string): string => `Zqlabel${table}${field}`;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('planted'));
  [ida, wren] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Wren')];
  place = await makePlace(pool, ida, 'Bees');
  for (const [at, table] of tables.entries()) {
    await place.change({
      do: 'addTable',
      key: table,
      label: `Zqtable${table}`,
      fields: [
        ...words.map((key) => text(nameOf(table, key), { key, ...(key === 'code' ? { unique: true } : {}) })),
        { label: `State of ${table}`, key: 'state', type: 'option', options: [{ label: 'open' }, { label: 'shut' }] },
        { label: `Weight of ${table}`, key: 'weight', type: 'number' },
        { label: `Owner of ${table}`, key: 'owner', type: 'member' },
      ],
    } as never);
    const before = tables[at - 1];
    if (before)
      await place.change({
        do: 'addField',
        table,
        field: {
          label: `Part of ${table}`,
          key: 'part',
          type: 'link',
          to: before,
          counterpart: { label: `Of ${table}`, key: `of_${table}` },
        },
      } as never);
  }
  await place.change({
    do: 'addField',
    table: 'hives',
    field: {
      label: 'Kept by',
      key: 'kept',
      type: 'link',
      to: 'sites',
      many: true,
      counterpart: { label: 'Keeps', key: 'keeps', many: true },
    },
  } as never);
  // What is calculated from something hidden keeps its value, so these tell numbers only.
  await place.change(
    {
      do: 'addField',
      table: 'sites',
      field: { label: 'Visited', key: 'visited', type: 'formula', formula: 'sum(of_hives.of_visits.weight)' },
    } as never,
    {
      do: 'addField',
      table: 'visits',
      field: { label: 'Long', key: 'long', type: 'formula', formula: 'char_length(note) + char_length(part.note)' },
    } as never,
    {
      do: 'addPart',
      kind: 'view',
      table: 'hives',
      part: { label: 'Few', filter: `note = '${planted('hives', 'note', 55)}'`, sort: 'part,-note' },
    } as never,
    { do: 'addRule', table: 'hives', message: 'Too heavy.', condition: 'weight < 1000' } as never,
  );
  for (const [at, table] of tables.entries())
    for (let id = 1; id <= 6; id++) {
      const before = tables[at - 1];
      const one = {
        id,
        state: id % 2 ? 'open' : 'shut',
        weight: id,
        own: id % 3 === 0,
        to: before ? ((id * 5) % 6) + 1 : null,
      };
      records[table].push(one);
      await place.insert(table, {
        ...Object.fromEntries(words.map((key) => [key, planted(table, key, id)])),
        state: one.state,
        weight: one.weight,
        owner: one.own ? wren!.id : ida!.id,
        ...(before ? { part: one.to } : {}),
        ...(table === 'hives' ? { kept: [id, (id % 6) + 1] } : {}),
      });
    }
  // A history with values of before, records in the bin, values set aside.
  for (const table of tables) {
    await place.write(table, { update: [{ id: 2, values: { aside: planted(table, 'aside', 92) } }] });
    await place.insert(table, Object.fromEntries(words.map((key) => [key, planted(table, key, 97)])));
    await place.write(table, { remove: [7] });
    await place.write(table, {
      update: [{ id: 4, values: { weight: null }, aside: [{ field: '', text: '', reason: '' }].slice(1) }],
    });
  }
  await keepSecrets();
  await pool.query(
    'insert into loom.members (workspace, person, role) select id, $1, $$reader$$ from loom.workspaces',
    [wren!.id],
  );
});
afterAll(() => drop());

/**
 * Private tables of Ida, beside and in the bin, linked with those of all: their words all begin with `zqsecret`,
 * `Zqlabelsecret` or `Zqtablesecret`, and are hers alone.
 */
async function keepSecrets(): Promise<void> {
  for (const key of ['secret', 'secrettwo']) {
    await place.change(
      {
        do: 'addTable',
        key,
        label: `Zqtable${key}`,
        private: true,
        fields: [
          text(`Zqlabel${key}name`, { key: 'name' }),
          { label: `Zqlabel${key}weight`, key: 'weight', type: 'number' },
        ],
      } as never,
      ...([false, true].map((many) => ({
        do: 'addField',
        table: key,
        field: {
          label: `Zqlabel${key}${many ? 'many' : 'one'}`,
          key: many ? 'many' : 'one',
          type: 'link',
          to: 'hives',
          ...(many ? { many } : {}),
          counterpart: { label: `Zqlabel${key}back${many}`, key: `${key}_${many}`, ...(many ? { many } : {}) },
        },
      })) as never[]),
      {
        do: 'addPart',
        kind: 'view',
        table: key,
        part: { label: `Zq${key}view`, filter: `name = 'zq${key}sought'` },
      } as never,
    );
    for (const id of [1, 2, 3])
      await place.insert(key, { name: `zq${key}name${id}`, weight: id, one: id, many: [id, id + 1] });
    await place.write(key, { update: [{ id: 2, values: { name: `zq${key}changed` } }] });
    await place.write(key, { remove: [3] });
    await place.change({ do: 'changeTable', table: key, set: { description: `Zq${key}about` } } as never);
  }
  await place.change({ do: 'removeField', table: 'secret', field: 'weight' } as never);
  await place.change({ do: 'removeTable', table: 'secrettwo' } as never);
}

/** A condition as it is written, and what it says of a record. */
const conditions: readonly (readonly [string, (table: TableKey, one: RecordIn) => boolean])[] = [
  ["state = 'open'", (_, { state }) => state === 'open'],
  ['weight > 3', (_, { weight }) => weight > 3],
  ['owner = person()', (_, { own }) => own],
  ["part.state = 'open'", (table, one) => parentOf(table, one)?.state === 'open'],
  ['part.owner = person()', (table, one) => parentOf(table, one)?.own ?? false],
];
const parentOf = (table: TableKey, { to }: RecordIn): RecordIn | undefined =>
  records[tables[tables.indexOf(table) - 1] ?? table].find(({ id }) => id === to);

interface RoleOf {
  readonly see: 'all' | 'none' | number;
  readonly hidden: readonly string[];
  readonly write: boolean;
}
const roleOf = (table: TableKey): fc.Arbitrary<RoleOf> =>
  fc.record({
    see: fc.oneof(
      { weight: 2, arbitrary: fc.constant('all' as const) },
      { weight: 1, arbitrary: fc.constant('none' as const) },
      { weight: 4, arbitrary: fc.integer({ min: 0, max: table === 'sites' ? 2 : conditions.length - 1 }) },
    ),
    hidden: fc.subarray(['note', 'code', 'aside', 'weight', ...(table === 'sites' ? [] : ['part'])]),
    write: fc.boolean(),
  });
const roles = fc.record({ sites: roleOf('sites'), hives: roleOf('hives'), visits: roleOf('visits') });

/** Words that must not be told to who has a role. */
function hiddenWords(role: Record<TableKey, RoleOf>): Set<string> {
  const hidden = new Set<string>();
  for (const table of tables) {
    const { see, hidden: fields } = role[table];
    if (see === 'none') hidden.add(`zqtable${table}`);
    for (const field of words) {
      if (see === 'none' || fields.includes(field)) hidden.add(nameOf(table, field).toLowerCase());
      for (const one of records[table]) {
        const isSeen = see === 'all' || (typeof see === 'number' && conditions[see]![1](table, one));
        if (!isSeen || fields.includes(field)) hidden.add(planted(table, field, one.id));
      }
      // What a view for everybody compares with is told to whoever sees the field.
      if (see === 'none' || fields.includes(field)) hidden.add(planted(table, field, 55));
      // What a record held before is told with the record; what is in the bin to those who see the whole table.
      const changed = records[table].find(({ id }) => id === 2)!;
      const seesChanged = see === 'all' || (typeof see === 'number' && conditions[see]![1](table, changed));
      if (!seesChanged || fields.includes(field)) hidden.add(planted(table, field, 92));
      if (see !== 'all' || fields.includes(field)) hidden.add(planted(table, field, 97));
    }
  }
  return hidden;
}

/** What somebody who knows all names would send to a call. */
function questions(takes: readonly string[], table: TableKey): Record<string, string>[] {
  const all: Record<string, string>[] = [
    { sort: 'note' },
    { sort: '-part' },
    { filter: `note = '${planted(table, 'note', 1)}' or weight > 0` },
    { filter: 'part.weight > 0' },
    { group: 'part' },
    { group: 'code' },
    { totals: 'max(weight),distinct(code)' },
    { view: 'Few' },
    { q: 'zq' },
    { q: planted(table, 'name', 3) },
    { typed: 'zq' },
    { of: 'kept:1' },
    ...['csv', 'json', 'ndjson', 'xlsx', 'ods', 'sql', 'datapackage'].map((format) => ({ format })),
    { format: 'sql', data: 'true' },
  ];
  return [{}, ...all.filter((one) => Object.keys(one).every((key) => takes.includes(key)))];
}

const bodies = (table: TableKey): Record<string, unknown>[] => [
  { table, formula: 'note || code', on: 6 },
  { table, formula: "string_agg(of_hives.note, ',')", on: 6 },
  { typed: 'zq', limit: 20, record: 2, draft: {} },
  { typed: '', limit: 20, record: null, draft: {}, any: true },
  { ids: [1, 2, 3, 4, 5, 6] },
  { changes: [] },
  { by: ['note'], how: 'near' },
  { by: ['code', 'part'], how: 'exact' },
  { by: ['note'], fields: ['code', 'name', 'part'] },
  { role: { others: { see: true }, tables: { [table]: { see: true } } } },
];

const isSecret = (word: string): boolean => /^zq(table|label)?secret/.test(word);

async function asks(role: Record<TableKey, RoleOf>, by = wren!, also: readonly string[] = []) {
  const hidden = hiddenWords(role);
  // What somebody wrote themself they know.
  await pool.query(`update loom.transfers set transfer = replace(transfer::text, 'zq', 'zz')::jsonb`);
  const told: string[] = [];
  const heard = new Set<string>();
  let successes = 0;
  const { rows } = await pool.query<{ id: number }>('select id from loom.batches order by id desc limit 12');
  const look = (what: string, sent: string, { status, text: answer }: { status: number; text: string }) => {
    if (status === 500) told.push(`${what}: 500 ${answer}`);
    if (status === 200) successes++;
    const low = answer.toLowerCase();
    for (const word of low.match(/zq[a-z]+\d*/g) ?? []) {
      heard.add(word);
      if ((hidden.has(word) || (by !== ida && isSecret(word))) && !sent.toLowerCase().includes(word))
        told.push(`${what} ${sent}: ${word}`);
    }
  };
  for (const endpoint of endpoints) {
    const isRead = endpoint.method === 'GET' || endpoint.reads === true;
    if (!isRead || endpoint.open || endpoint.path.endsWith('/events')) continue;
    const what = `${endpoint.method} ${endpoint.path}`;
    const takes = Object.keys((endpoint.query?.describe().keys ?? {}) as object);
    const ofTable = endpoint.path.includes('{t}');
    for (const table of ofTable ? [...tables, ...(also as TableKey[])] : tables.slice(1, 2))
      for (const f of endpoint.path.includes('{f}')
        ? ['note', 'part', 'long', 'visited', 'kept', `of_hives`]
        : ['none'])
        for (const id of endpoint.path.includes('{id}') ? ['1', '2', '3', '7'] : ['1'])
          for (const batch of endpoint.path.includes('{batch}') ? rows.map((row) => String(row.id)) : ['1'])
            for (const query of questions(takes, table))
              for (const body of endpoint.body ? bodies(table) : [undefined]) {
                const sent = JSON.stringify([query, body]);
                look(
                  what,
                  sent,
                  await called(pool, by, endpoint, { ws: place.key, t: table, f, id, batch }, query, body),
                );
              }
  }
  // What is written is refused, or answered, with nothing either.
  for (const table of tables) {
    const records_ = endpoints.filter(({ path, method }) => path.endsWith('/tables/{t}/records') && method !== 'GET');
    const edits: Record<string, unknown[]> = {
      POST: [
        { records: [{ values: { name: 'new', code: planted(table, 'code', 1) } }] },
        { records: [{ values: { name: 'new', part: { match: { code: 'zq' } } } }] },
        { records: [{ values: { name: 'new', part: 1 } }, { values: { nothing: 1 } }] },
      ],
      PATCH: [
        { records: [{ id: 1, version: 0, values: { name: 'changed' } }] },
        { records: [{ id: 2, values: { code: planted(table, 'code', 3) } }] },
        {
          records: [
            { id: 3, values: { weight: 5000 } },
            { id: 4, values: { weight: 5000 } },
          ],
        },
      ],
      DELETE: [{ ids: [1] }, { ids: [2] }],
    };
    for (const endpoint of records_)
      for (const body of edits[endpoint.method] ?? []) {
        const answer = await called(pool, by, endpoint, { ws: place.key, t: table }, {}, body);
        look(`${endpoint.method} ${table}`, JSON.stringify(body), answer);
        // Put back what was done, so that the oracle stays right.
        const batch = (JSON.parse(answer.text) as { batch?: number }).batch;
        if (answer.status === 200 && batch) await place.undo(batch);
      }
  }
  // Transfers are planned and tried, and roll back all that they did.
  for (const table of tables.slice(1, 2))
    for (const body of transfersOf(table)) {
      const asked = (method: string, end: string) => {
        const found = endpoints.find((one) => one.method === method && one.path.endsWith(end));
        if (!found) throw new Error(`no ${method} ${end}`);
        return found;
      };
      const plan = await called(pool, by, asked('POST', '/transfers'), { ws: place.key }, {}, body);
      look(`transfer ${table}`, JSON.stringify(body), plan);
      const { id } = JSON.parse(plan.text) as { id?: number };
      if (plan.status !== 200 || id === undefined) continue;
      const tried = await called(pool, by, asked('POST', '/{id}/dry-run'), { ws: place.key, id: String(id) });
      look(`try ${table}`, JSON.stringify(body), tried);
    }
  return { told, heard, successes };
}

/** Transfers of a table: what it reads, writes, and takes away. */
const transfersOf = (table: TableKey): Record<string, unknown>[] => [
  { work: 'fill', table, set: [{ field: 'name', formula: 'note || code' }] },
  { work: 'fill', table, set: [{ field: 'name', formula: `coalesce(part.note, '') || part.code` }] },
  { work: 'fill', table, set: [{ field: 'name', formula: `string_agg(of_visits.note, ',')` }] },
  { work: 'fill', table, where: 'part.weight > 0', set: [{ field: 'name', formula: 'part.name' }] },
  {
    work: 'fill',
    table,
    where: `note = '${planted(table, 'note', 1)}'`,
    set: [{ field: 'name', formula: `name || '!'` }],
  },
  { work: 'rekey', table, field: 'code', codes: [{ from: planted(table, 'code', 1), to: 'other' }] },
  { work: 'join', table, groups: [{ winner: 1, losers: [3], values: { note: 3, code: 3 } }] },
  { work: 'move', table, records: [1, 3, 5], to: { label: 'Elsewhere' }, links: [] },
  { work: 'splitOff', table, by: ['code'], fields: ['note', 'name'], label: 'Apart' },
  { work: 'merge', sources: tables.map((one) => ({ table: one })), to: { label: 'All' } },
];

const everything = { see: 'all', hidden: [], write: true } as const;

test('whoever may see everything is told every word, so that a word which is told is heard', async () => {
  await pool.query('update loom.members set role = $$editor$$ where person = $1', [wren!.id]);
  const { told, heard } = await asks({ sites: everything, hives: everything, visits: everything });
  expect(told).toEqual([]);
  for (const table of tables) {
    expect(heard).toContain(`zqtable${table}`);
    for (const field of words) {
      expect(heard).toContain(nameOf(table, field).toLowerCase());
      for (const id of [1, 2, 3, 4, 5, 6])
        if (field !== 'aside' || id !== 2) expect(heard).toContain(planted(table, field, id));
    }
    expect(heard).toContain(planted(table, 'aside', 92));
    expect(heard).toContain(planted(table, 'name', 97));
  }
}, 180_000);

test('of a private table even an administrator is told no word by any call; its owner is told all of them', async () => {
  await pool.query('update loom.members set role = $$administrator$$ where person = $1', [wren!.id]);
  const all = { sites: everything, hives: everything, visits: everything };
  const { told, successes } = await asks(all, wren!, ['secret', 'secrettwo']);
  expect(told).toEqual([]);
  expect(successes).toBeGreaterThan(100);
  const own = await asks(all, ida!, ['secret']);
  for (const word of [
    'zqtablesecret',
    'zqtablesecrettwo',
    'zqlabelsecretname',
    'zqlabelsecretbackfalse',
    'zqlabelsecretweight',
  ])
    expect(own.heard).toContain(word);
  for (const word of [
    'zqsecretname1',
    'zqsecretname2',
    'zqsecretname3',
    'zqsecretchanged',
    'zqsecretview',
    'zqsecretabout',
  ])
    expect(own.heard).toContain(word);
  await pool.query('update loom.members set role = $$reader$$ where person = $1', [wren!.id]);
  // Every call there is: one that is cut off would go on beside the next test.
}, 180_000);

describe('random roles', () => {
  const rounds = process.env.LOOM_LONG ? 40 : 6;
  test(
    `are told no word of what they may not see, by any call, in ${rounds} rounds`,
    { timeout: 600_000 },
    async () => {
      let successes = 0;
      await fc.assert(
        fc.asyncProperty(roles, async (role) => {
          const rights = (one: RoleOf) => ({
            see: one.see === 'all' ? true : one.see === 'none' ? false : conditions[one.see]![0],
            ...(one.see === 'none' || !one.write ? {} : { enter: true, change: true, delete: true }),
            fields: one.see === 'none' ? {} : Object.fromEntries(one.hidden.map((field) => [field, 'hidden'])),
          });
          const post = endpoints.find(({ method, path }) => method === 'POST' && path.endsWith('/roles'))!;
          const made = await called(
            pool,
            ida!,
            post,
            { ws: place.key },
            {},
            {
              label: `Role ${Date.now()} ${Math.random()}`,
              workspace: ['takeOut', 'share'],
              others: {},
              tables: Object.fromEntries(tables.map((table) => [table, rights(role[table])])),
            },
          );
          expect(made.text).toContain('"id"');
          const { id } = JSON.parse(made.text) as { id: string };
          await pool.query('update loom.members set role = $1 where person = $2', [id, wren!.id]);
          const found = await asks(role);
          expect(found.told.slice(0, 5)).toEqual([]);
          successes += found.successes;
        }),
        { numRuns: rounds, seed: Number(process.env.LOOM_SEED ?? 20261130), endOnFailure: true },
      );
      expect(successes).toBeGreaterThan(rounds * 100);
    },
  );
});
