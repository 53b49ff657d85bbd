import type { RequestEvent } from '@sveltejs/kit';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { checkCondition } from '$core/formula/checker';
import { fieldNamed } from '$core/model/model';
import type { TotalKind } from '$core/types/view';
import { viewOfAll } from '$core/views/view';
import { decodeCursor, parseSort } from '$core/query/query';
import { viewJson } from '$core/views/viewJson';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import { getAnchors, getExport, listRecords } from '$server/api/recordQueries';
import { openPool, type Pool } from '$server/database/pool';
import { respond, type Endpoint } from '$server/http/endpoint';
import { readAnchors } from '$server/query/anchors';
import { streamOf } from '$server/base/streamOf';
import { csvPieces } from '$server/export/csv';
import { readRecords } from '$server/query/read';
import { readTotals, totalOf } from '$server/query/totals';
import { undoBatch } from '$server/history/undo';
import { addView, removeView, saveView, setFavourite, viewNamed, viewsOf } from '$server/structure/views';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let tom: Person;
let noor: Person;
let place: Place;

const seen = ['queen', 'eggs', 'cups'];
const random = (() => {
  let state = 7;
  return (below: number) => (state = (state * 48_271) % 2_147_483_647) % below;
})();

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('views'));
  [ida, tom, noor] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Tom'), await makePerson(pool, 'Noor')];
  place = await makePlace(pool, ida, 'Bees');
  await join(pool, await place.access(), tom, 'editor');
  await join(pool, await place.access(), noor, 'reader');
  await place.change(
    { do: 'addTable', label: 'Keepers', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number'),
        { label: 'Since', type: 'date' },
        { label: 'Parts', type: 'options', options: ['roof', 'floor'] },
        { label: 'Keeper', type: 'link', to: 'keepers' },
        { label: 'Mother', type: 'link', to: 'hives' },
      ],
    },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        text('Note'),
        { label: 'Day', type: 'date' },
        { label: 'At', type: 'dateTime' },
        { label: 'Kg', type: 'number', digits: 2 },
        { label: 'Done', type: 'yesNo' },
        { label: 'Seen', type: 'options', options: seen },
        { label: 'State', type: 'option', options: ['weak', 'fair', 'strong'] },
        { label: 'Hive', type: 'link', to: 'hives' },
        { label: 'Helpers', type: 'link', to: 'keepers', many: true },
      ],
    },
  );
  // Two keepers of one name are two groups.
  await place.insert('keepers', { name: 'Ida Vale' }, { name: 'Tom Orrin' }, { name: 'Ida Vale' });
  await place.insert(
    'hives',
    { number: 'H-2', keeper: 3, since: '2025-04-20', parts: ['roof', 'floor'] },
    { number: 'H-10', keeper: 1, since: '2025-04-02' },
    { number: 'H-1', parts: ['floor'] },
  );
  await place.write('hives', {
    update: [
      { id: 1, values: { mother: 2 } },
      { id: 3, values: { mother: 1 } },
    ],
  });
  const blankOr = (value: unknown) => (random(5) === 0 ? null : value);
  await place.insert(
    'visits',
    ...Array.from({ length: 700 }, () => ({
      note: blankOr(`n${random(40)}`),
      day: blankOr(`2026-0${1 + random(6)}-1${random(10)}`),
      at: blankOr(`2026-05-01T1${random(10)}:00:00Z`),
      kg: blankOr(random(2000) / 100),
      done: blankOr(random(2) === 0),
      seen: seen.filter(() => random(3) === 0),
      state: blankOr(['weak', 'fair', 'strong'][random(3)]),
      hive: blankOr(1 + random(3)),
      helpers: [1, 2, 3].filter(() => random(4) === 0),
    })),
  );
});
afterAll(() => drop());

const sortIn = (access: WorkspaceAccess, written: string) => {
  const sort = parseSort(access.workspace.model, tableAt(access, 'visits'), written);
  if (!sort.ok) throw new Error(sort.problem.message);
  return sort.value;
};

async function rows(
  access: WorkspaceAccess,
  sort: string,
  filter: string | null,
  { after = null as string | null, skip = 0, limit = 1000 } = {},
) {
  const table = tableAt(access, 'visits');
  const cursor = after === null ? null : decodeCursor(after);
  return readRecords(pool, access, table, {
    fields: table.fields.map(({ id }) => id),
    filter: filter === null ? null : checkCondition(access.workspace.model, table.id, filter).expression,
    sort: sortIn(access, sort),
    limit,
    after: cursor?.ok ? cursor.value : null,
    skip,
  });
}

const orders = [
  '',
  'note',
  '-kg',
  'day:month,-note',
  '-at',
  'done,state',
  'state,-hive',
  'hive',
  'seen:each',
  '-seen:each,kg',
  'helpers:each,day',
  '-day:quarter,helpers:each',
  'seen',
  'hive.number',
  '-hive.keeper,note',
  'hive.keeper.name,-kg',
  'hive.since:month,hive.mother.mother',
  'hive.parts:each,day',
  '-hive.mother.since,hive',
];

describe('any row of an order', () => {
  test.each(orders)('“%s” is the same read from an anchor as read through', async (sort) => {
    const access = await place.access();
    const all: number[] = [];
    for (let after: string | null = null, first = true; first || after !== null; first = false) {
      const page: Awaited<ReturnType<typeof rows>> = await rows(access, sort, null, { after, limit: 97 });
      all.push(...page.records.map(({ id }) => id));
      after = page.next;
    }
    const { count, every, anchors } = await readAnchors(pool, access, tableAt(access, 'visits'), {
      filter: null,
      sort: sortIn(access, sort),
    });
    expect(count).toBe(all.length);
    expect(anchors).toHaveLength(Math.floor(count / every));
    for (let row = 0; row < count; row += 61) {
      const stretch = Math.floor(row / every);
      const page = await rows(access, sort, null, {
        after: stretch === 0 ? null : (anchors[stretch - 1] ?? null),
        skip: row % every,
        limit: 25,
      });
      expect(page.records.map(({ id }) => id)).toEqual(all.slice(row, row + 25));
    }
  });

  test('is counted and anchored within a filter', async () => {
    const access = await place.access();
    const filter = "state = 'weak' and hive.number <> 'H-1'";
    const table = tableAt(access, 'visits');
    const { count } = await readAnchors(pool, access, table, {
      filter: checkCondition(access.workspace.model, table.id, filter).expression,
      sort: sortIn(access, 'kg'),
    });
    expect(count).toBe((await rows(access, 'kg', filter)).records.length);
    expect(count).toBeGreaterThan(50);
  });

  test.each([
    ['hive', 2, ({ hive }: Readonly<Record<string, unknown>>) => (hive as { id: number } | null)?.id === 2],
    [
      'helpers',
      3,
      ({ helpers }: Readonly<Record<string, unknown>>) => (helpers as { id: number }[]).some(({ id }) => id === 3),
    ],
  ] as const)('is counted and read among those linked with one record by “%s”', async (key, id, linked) => {
    const access = await place.access();
    const table = tableAt(access, 'visits');
    const of = { field: fieldNamed(table, key)!.id, id };
    const all = (await rows(access, '', null)).records
      .filter(({ values }) => linked(values))
      .map((record) => record.id);
    const found = await readRecords(pool, access, table, {
      fields: [],
      filter: null,
      sort: [],
      limit: 1000,
      after: null,
      of,
    });
    expect(found.records.map((record) => record.id)).toEqual(all);
    expect((await readAnchors(pool, access, table, { filter: null, sort: sortIn(access, '-kg'), of })).count).toBe(
      all.length,
    );
    expect(all.length).toBeGreaterThan(20);
  });

  test('is refused from a place in another order', async () => {
    const access = await place.access();
    const { next } = await rows(access, 'kg,note', null, { limit: 5 });
    expect(await place.refused(rows(access, 'kg', null, { after: next }))).toContain('no place in this order');
  });
});

test('an export that is left in the middle gives its connection free', async () => {
  await pool.query(
    `insert into "${place.key}".visits (note) select 'long ' || repeat('x', 200) || i from generate_series(1, 30000) i`,
  );
  const access = await place.access();
  const table = tableAt(access, 'visits');
  const own = openPool(pool.options.connectionString ?? '', 1);
  for (const fields of [[fieldNamed(table, 'note')!], [fieldNamed(table, 'seen')!, fieldNamed(table, 'note')!]]) {
    // Once written by PostgreSQL itself, once read through a cursor.
    const reader = streamOf(
      csvPieces(own, access, { table, fields, filter: null, sort: [] }, 'spreadsheet'),
    ).getReader();
    for (let read = 0; read < 3; read++) await reader.read();
    await reader.cancel();
    expect((await own.query<{ one: number }>('select 1 as one')).rows).toEqual([{ one: 1 }]);
  }
  await own.end();
  await pool.query(`delete from "${place.key}".visits where note like 'long %'`);
}, 20_000);

describe('groups', () => {
  const keyOf = (value: unknown): string =>
    typeof value === 'object' && value !== null && 'id' in value ? `#${String(value.id)}` : String(value);
  const month = (value: unknown) => (value === null ? null : `${String(value).slice(0, 7)}-01`);
  /** What is written of the hives above: the keeper, the mother, the month and the parts of each. */
  const hives = [
    { keeper: { id: 3 }, mother: { id: 2 }, month: '2025-04-01', parts: ['roof', 'floor'] },
    { keeper: { id: 1 }, mother: null, month: '2025-04-01', parts: [null] },
    { keeper: null, mother: { id: 1 }, month: null, parts: ['floor'] },
  ];
  const hiveOf = ({ hive }: Readonly<Record<string, unknown>>) =>
    hives[(hive as { id: number } | null) === null ? -1 : (hive as { id: number }).id - 1];
  const cases: readonly [string, ((values: Readonly<Record<string, unknown>>) => unknown[])[]][] = [
    ['state', [({ state }) => [state]]],
    ['hive', [({ hive }) => [hive]]],
    ['-hive,state', [({ hive }) => [hive], ({ state }) => [state]]],
    ['day:month,hive,done', [({ day }) => [month(day)], ({ hive }) => [hive], ({ done }) => [done]]],
    ['seen:each', [({ seen: all }) => (all as string[] | null) ?? [null]]],
    ['hive.keeper', [(values) => [hiveOf(values)?.keeper ?? null]]],
    [
      '-hive.since:month,hive.keeper,state',
      [
        (values) => [hiveOf(values)?.month ?? null],
        (values) => [hiveOf(values)?.keeper ?? null],
        ({ state }) => [state],
      ],
    ],
    ['hive.mother.keeper', [(values) => [hives[(hiveOf(values)?.mother?.id ?? 0) - 1]?.keeper ?? null]]],
    ['done,hive.parts:each', [({ done }) => [done], (values) => hiveOf(values)?.parts ?? [null]]],
    [
      'state,helpers:each',
      [({ state }) => [state], ({ helpers: all }) => ((all as unknown[]).length > 0 ? (all as unknown[]) : [null])],
    ],
  ];
  test.each(cases)(
    'by “%s” have the counts and sums that adding up gives, in the order of the records',
    async (written, parts) => {
      const access = await place.access();
      const table = tableAt(access, 'visits');
      const total = (key: string, kind: TotalKind) => totalOf(fieldNamed(table, key)!, kind);
      const totals = [total('kg', 'sum'), total('kg', 'max'), total('note', 'filled'), total('note', 'distinct')];
      const groups = sortIn(access, written);
      const found = await readTotals(pool, access, table, { filter: null, groups, totals });
      // Without unique values it is worked out in two steps, to the same.
      const inSteps = await readTotals(pool, access, table, { filter: null, groups, totals: totals.slice(0, 3) });
      expect(inSteps).toEqual({
        ...found,
        totals: found.totals.slice(0, 3),
        groups: found.groups.map((group) => ({ ...group, totals: group.totals.slice(0, 3) })),
      });
      const { records } = await rows(access, '', null);
      // Worked out by hand from the records themselves.
      const byHand = new Map<string, { count: number; kg: number; most: number | null; notes: string[] }>();
      for (const { values } of records) {
        const paths = parts.reduce<unknown[][]>(
          (soFar, part) => soFar.flatMap((path) => part(values).map((value) => [...path, value])),
          [[]],
        );
        const prefixes = new Map(
          paths.flatMap((path) =>
            path.map(
              (_, index) =>
                [
                  path
                    .slice(0, index + 1)
                    .map(keyOf)
                    .join('|'),
                  true,
                ] as const,
            ),
          ),
        );
        for (const key of prefixes.keys()) {
          const group = byHand.get(key) ?? { count: 0, kg: 0, most: null, notes: [] };
          const kg = values.kg as number | null;
          byHand.set(key, {
            count: group.count + 1,
            kg: group.kg + (kg ?? 0),
            most: kg === null ? group.most : Math.max(group.most ?? 0, kg),
            notes: values.note === null ? group.notes : [...group.notes, String(values.note)],
          });
        }
      }
      expect(found.cut).toBe(false);
      expect(found.count).toBe(700);
      expect(new Set(found.groups.map(({ values }) => values.map(keyOf).join('|')))).toEqual(new Set(byHand.keys()));
      for (const {
        values,
        count,
        totals: [kg, most, notes, different],
      } of found.groups) {
        const hand = byHand.get(values.map(keyOf).join('|'))!;
        expect([count, Number(kg ?? 0), most, notes, different]).toEqual([
          hand.count,
          expect.closeTo(hand.kg, 6),
          hand.most,
          hand.notes.length,
          new Set(hand.notes).size,
        ]);
      }
      // The innermost groups, one after the other, are exactly the rows of the order.
      const innermost = found.groups.filter(({ level }) => level === parts.length);
      const { count } = await readAnchors(pool, access, table, { filter: null, sort: sortIn(access, written) });
      expect(innermost.reduce((sum, group) => sum + group.count, 0)).toBe(count);
      const ordered = (await rows(access, written, null)).records;
      let at = 0;
      for (const group of innermost) {
        for (const { values } of ordered.slice(at, at + group.count))
          parts.forEach((part, level) => expect(part(values).map(keyOf)).toContain(keyOf(group.values[level])));
        at += group.count;
      }
    },
  );
});

describe('views', () => {
  const whole = viewOfAll();
  const names = async (person: Person) => {
    const access = await authorize(pool, person, place.key, 'see');
    return (await viewsOf(pool, access, tableAt(access, 'visits'))).map(({ view }) => view.label);
  };
  const as = async (person: Person) => {
    const access = await authorize(pool, person, place.key, 'see');
    return { access, table: tableAt(access, 'visits') };
  };

  test('of one person are seen by that person alone; shared ones by all', async () => {
    const reader = await as(noor);
    await addView(pool, reader.access, reader.table, { ...whole, label: 'Mine' }, { personal: true });
    const editor = await as(tom);
    await addView(pool, editor.access, editor.table, { ...whole, label: 'Ours' }, { personal: false });
    expect(await names(noor)).toEqual(['All records', 'Ours', 'Mine']);
    expect(await names(tom)).toEqual(['All records', 'Ours']);
  });

  test('readers keep none for everybody, nor change what everybody has', async () => {
    const { access, table } = await as(noor);
    expect(
      await place.refused(addView(pool, access, table, { ...whole, label: 'For all' }, { personal: false })),
    ).toContain('read');
    const ours = await viewNamed(pool, access, table, 'Ours');
    expect(
      await place.refused(saveView(pool, access, table, { ...ours, label: 'Theirs' }, { personal: false })),
    ).toContain('read');
    expect(await place.refused(removeView(pool, access, table, ours.id))).toContain('read');
    expect(await names(noor)).toContain('Ours');
  });

  test('a name stands once among what a person has', async () => {
    const { access, table } = await as(noor);
    expect(
      await place.refused(addView(pool, access, table, { ...whole, label: 'ours' }, { personal: true })),
    ).toContain('already');
    const editor = await as(tom);
    expect(
      await place.refused(addView(pool, editor.access, editor.table, { ...whole, label: 'OURS' }, { personal: false })),
    ).toContain('already');
  });

  test('of one’s own stand in the order one gives them', async () => {
    const { access, table } = await as(noor);
    const second = await addView(pool, access, table, { ...whole, label: 'Second' }, { personal: true });
    const third = await addView(pool, access, table, { ...whole, label: 'Third' }, { personal: true });
    await saveView(pool, access, table, third, { personal: true, at: 0 });
    expect((await names(noor)).slice(2)).toEqual(['Third', 'Mine', 'Second']);
    await saveView(pool, access, table, second, { personal: true, at: 1 });
    expect((await names(noor)).slice(2)).toEqual(['Third', 'Second', 'Mine']);
    for (const { id } of [second, third]) await removeView(pool, access, table, id);
  });

  test('change hands: from one person to everybody and back', async () => {
    let editor = await as(tom);
    const own = await addView(pool, editor.access, editor.table, { ...whole, label: 'Draft' }, { personal: true });
    await saveView(pool, editor.access, editor.table, own, { personal: false });
    expect(await names(noor)).toContain('Draft');
    editor = await as(tom);
    await saveView(pool, editor.access, editor.table, own, { personal: true });
    expect(await names(noor)).not.toContain('Draft');
    expect(await names(tom)).toContain('Draft');
  });

  test('who may change views undoes nothing else of the structure', async () => {
    const batch = await place.change({ do: 'addTable', label: 'Passing', fields: [text('Name')] });
    await pool.query('update loom.batches set changes = null where id = $1', [batch]);
    const editor = await as(tom);
    expect(await place.refused(undoBatch(pool, editor.access, batch))).toContain('structure');
    await place.undo(batch);
  });

  test('a shared one changed is a batch that its maker undoes', async () => {
    const editor = await as(tom);
    const ours = await viewNamed(pool, editor.access, editor.table, 'Ours');
    await saveView(pool, editor.access, editor.table, { ...ours, frozen: 3 }, { personal: false });
    const batch = (await pool.query<{ id: number }>('select max(id) as id from loom.batches')).rows[0]!.id;
    const now = await as(tom);
    expect((await viewNamed(pool, now.access, now.table, 'Ours')).frozen).toBe(3);
    await place.undo(batch);
    const later = await as(tom);
    expect((await viewNamed(pool, later.access, later.table, 'Ours')).frozen).toBe(1);
  });

  test('that of all records can be saved otherwise, and is whole again when that is taken away', async () => {
    const editor = await as(tom);
    await saveView(pool, editor.access, editor.table, { ...whole, frozen: 2 }, { personal: false });
    const now = await as(tom);
    expect((await viewNamed(pool, now.access, now.table, 'all')).frozen).toBe(2);
    expect(await place.refused(saveView(pool, now.access, now.table, whole, { personal: true }))).toContain(
      'belongs to everybody',
    );
    await removeView(pool, now.access, now.table, 'all');
    const later = await as(noor);
    expect((await viewNamed(pool, later.access, later.table, 'all')).frozen).toBe(1);
  });

  test('are kept at hand by each person for themselves', async () => {
    const reader = await as(noor);
    const ours = await viewNamed(pool, reader.access, reader.table, 'Ours');
    await setFavourite(pool, reader.access, { kind: 'view', target: ours.id }, true);
    const liked = async (person: Person) => {
      const { access, table } = await as(person);
      return (await viewsOf(pool, access, table)).filter(({ favourite }) => favourite).map(({ view }) => view.label);
    };
    expect([await liked(noor), await liked(tom)]).toEqual([['Ours'], []]);
  });

  test('one whose field goes says so and stands on', async () => {
    await place.change({
      do: 'addPart',
      kind: 'view',
      table: 'visits',
      part: {
        label: 'Heavy',
        filter: 'kg > 15',
        columns: [{ field: 'note' }, { field: 'kg', total: 'sum' }],
        takesNew: false,
      },
    });
    const batch = await place.change({ do: 'removeField', table: 'visits', field: 'kg' });
    const { access, table } = await as(noor);
    const heavy = viewJson(access.workspace.model, table, await viewNamed(pool, access, table, 'Heavy'));
    expect(heavy.view).toMatchObject({ filter: '', columns: [{ field: 'note' }] });
    expect(heavy.lost).toHaveLength(2);
    await place.undo(batch);
    const later = await as(noor);
    expect(
      viewJson(later.access.workspace.model, later.table, await viewNamed(pool, later.access, later.table, 'Heavy')),
    ).toMatchObject({
      lost: [],
      view: { filter: 'kg > 15', columns: [{ field: 'note' }, { field: 'kg', total: 'sum' }] },
    });
  });
});

describe('a view over a field that is gone', () => {
  const asks: readonly [string, Endpoint][] = [
    ['records', listRecords],
    ['anchors', getAnchors],
    ['export', getExport],
  ];
  test.each(asks)('is answered as far as it stands by %s; without its filter it is refused', async (_, endpoint) => {
    const other = await makePlace(pool, ida, 'Gone');
    await other.change(
      { do: 'addTable', label: 'Sites', fields: [text('Name'), text('Town')] },
      {
        do: 'addTable',
        label: 'Visits',
        fields: [text('Note'), text('Kind'), { label: 'Site', type: 'link', to: 'sites' }],
      },
    );
    await other.insert('sites', { name: 'Low Meadow', town: 'Fell' });
    await other.insert('visits', { note: 'b', kind: 'x', site: 1 }, { note: 'a', kind: 'x' });
    const sorted = { ...viewOfAll(), id: 'v', label: 'Sorted', filter: null, sort: [] };
    const access = await other.access();
    const table = tableAt(access, 'visits');
    const [kind, site, town] = [
      fieldNamed(table, 'kind')!,
      fieldNamed(table, 'site')!,
      fieldNamed(tableAt(access, 'sites'), 'town')!,
    ];
    await addView(
      pool,
      access,
      table,
      {
        ...sorted,
        sort: [
          { field: town.id, via: [site.id], descending: false },
          { field: kind.id, descending: true },
        ],
      },
      { personal: true },
    );
    const { expression } = checkCondition(access.workspace.model, table.id, "kind = 'x'");
    await addView(pool, access, table, { ...sorted, label: 'Filtered', filter: expression }, { personal: false });
    await other.change({ do: 'removeField', table: 'visits', field: 'kind' });
    await other.change({ do: 'removeField', table: 'sites', field: 'town' });
    const ask = async (query: string) => {
      const url = new URL(`http://loom.example${endpoint.path}?${query}`);
      const event = {
        locals: { pool, reads: pool, downloads: pool, caller: () => Promise.resolve({ person: ida }) },
        params: { ws: other.key, t: 'visits' },
        url,
        request: new Request(url),
      } as unknown as RequestEvent;
      return respond(endpoint)(event);
    };
    expect((await ask('view=Sorted')).status).toBe(200);
    const refused = await ask('view=Filtered');
    expect([refused.status, ((await refused.json()) as { detail: string }).detail]).toEqual([
      409,
      expect.stringContaining('filter of “Filtered”'),
    ]);
    expect((await ask('view=Filtered&filter=')).status).toBe(200);
  });
});
