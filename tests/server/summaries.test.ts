import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { dateOfDayNumber, dayNumber } from '$core/fieldTypes/date';
import type { AskedData } from '$core/summaries/data';
import { partsOf } from '$core/types/part';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import type { BlockData, RecordRows } from '$server/summaries/data';
import { ask, at, fetched, type Asked } from './calls';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let noor: Person;
let place: Place;
let today: string;

/** Half an hour off the hours of others, so that days end where nobody's day in UTC does. */
const zone = 'America/St_Johns';
const random = (() => {
  let state = 11;
  return (below: number) => (state = (state * 48_271) % 2_147_483_647) % below;
})();
const blankOr = <T>(value: T): T | null => (random(7) === 0 ? null : value);
const daysAgo = (days: number): string => dateOfDayNumber(dayNumber(today) - days) ?? '';

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('summaries'));
  [ida, noor] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Noor')];
  place = await makePlace(pool, ida, 'Bees');
  await pool.query(`update loom.workspaces set zone = $1`, [zone]);
  await join(pool, await place.access(), noor, 'reader');
  today = (await place.access()).workspace.day;
  await place.change(
    {
      do: 'addTable',
      label: 'Apiaries',
      fields: [text('Name'), text('Valley'), { ...text('Owner'), internal: true } as never],
    },
    {
      do: 'addTable',
      label: 'Harvests',
      fields: [
        text('Note'),
        { label: 'Day', type: 'date' },
        { label: 'At', type: 'dateTime' },
        { label: 'Kg', type: 'number', digits: 2, unit: 'kg' },
        { label: 'Kind', type: 'option', options: ['heather', 'lime', 'meadow'] },
        { label: 'Seen', type: 'options', options: ['queen', 'eggs', 'cups'] },
        { label: 'Done', type: 'yesNo' },
        { label: 'Apiary', type: 'link', to: 'apiaries' },
      ],
    },
  );
  await place.insert(
    'apiaries',
    { name: 'Low', valley: 'North', owner: 'A' },
    { name: 'High', valley: 'South', owner: 'B' },
    // Two of one name are two groups.
    { name: 'Low', valley: 'South', owner: 'C' },
  );
  for (let part = 0; part < 3; part++)
    await place.insert(
      'harvests',
      ...Array.from({ length: 700 }, () => ({
        note: blankOr(`n${random(30)}`),
        day: blankOr(daysAgo(random(800) - 20)),
        at: blankOr(`${daysAgo(random(800))}T${String(random(24)).padStart(2, '0')}:${random(6)}5:00Z`),
        kg: blankOr(random(4000) / 100),
        kind: blankOr(['heather', 'lime', 'meadow'][random(3)]),
        seen: ['queen', 'eggs', 'cups'].filter(() => random(3) === 0),
        done: blankOr(random(2) === 0),
        apiary: blankOr(1 + random(3)),
      })),
    );
});
afterAll(() => drop());

const chart = (more: Asked): Asked => ({
  kind: 'table',
  title: '',
  place: { x: 0, y: 0, w: 6, h: 4 },
  table: 'harvests',
  measures: [{ total: 'count' }],
  groups: 'kind',
  ...more,
});

const tried = async (block: Asked, by = ida): Promise<BlockData> => {
  const { status, text: said } = await ask(pool, by, 'POST', at(place, '/summaries/try'), {
    summary: { blocks: [block] },
  });
  if (status !== 200) throw new Error(said);
  return (JSON.parse(said) as { items: [BlockData] }).items[0];
};
const asked = async (block: Asked, by = ida): Promise<AskedData> => {
  const { asked: data, problem } = await tried(block, by);
  if (!data) throw new Error(JSON.stringify(problem));
  return data;
};

describe('what a block shows is what a group by in SQL gives', () => {
  const month = (column: string) => `date_trunc('month', ${column})::date::text`;
  const local = `(r.at at time zone '${zone}')`;
  const a = 'left join apiaries a on a._id = r.apiary';
  /** Groups as they are written, and by hand: the join and the keys. */
  const cases: readonly [groups: string, keys: readonly string[], joined?: string][] = [
    ['kind', ['r.kind']],
    ['day:month', [month('r.day')]],
    ['day:week,kind', [`date_trunc('week', r.day)::date::text`, 'r.kind']],
    ['at:day', [`${local}::date::text`]],
    ['at:month,apiary', [month(local), 'r.apiary']],
    ['at:year', [`date_trunc('year', ${local})::date::text`]],
    ['kg:5', ['floor(r.kg / 5) * 5']],
    ['kg:2.5,done', ['floor(r.kg / 2.5) * 2.5', 'r.done']],
    ['apiary.valley', ['a.valley'], a],
    ['apiary,day:quarter', ['r.apiary', `date_trunc('quarter', r.day)::date::text`]],
    ['seen:each', ['u.v'], 'left join lateral unnest(r.seen) u(v) on true'],
    ['kind,seen:each', ['r.kind', 'u.v'], 'left join lateral unnest(r.seen) u(v) on true'],
  ];
  const measures = [
    { total: 'count', where: "kind = 'lime' or kind is null" },
    { total: 'sum', of: 'kg' },
    { total: 'avg', of: 'kg', where: 'done' },
    { total: 'max', of: 'kg * 2' },
    { total: 'share', where: 'kg > 10' },
    { total: 'distinct', of: 'note' },
  ];
  const inSql = `
    count(*)::int, count(*) filter (where r.kind = 'lime' or r.kind is null)::int, sum(r.kg)::float8,
    avg(r.kg) filter (where r.done)::float8, (max(r.kg) * 2)::float8,
    (count(*) filter (where r.kg > 10))::float8 / count(*), count(distinct r.note)::int
  `;
  const keyOf = (value: unknown) =>
    JSON.stringify(typeof value === 'object' && value !== null ? (value as { id: number }).id : value);

  test.each(cases)('by %s, in one step and in two', async (groups, keys, joined = '') => {
    const { rows } = await pool.query<{ row: unknown[] }>(
      `select jsonb_build_array(${keys.join(', ')}, ${inSql}) as row
       from bees.harvests r ${joined.replace('apiaries', 'bees.apiaries')}
       group by ${keys.join(', ')}`,
    );
    // An option is kept under its label here.
    const byHand = new Map(
      rows.map(({ row }) => [row.slice(0, keys.length).map(keyOf).join(), row.slice(keys.length)]),
    );
    for (const all of [measures, measures.slice(0, 5)]) {
      const data = await asked(chart({ groups, measures: all }));
      const deepest = data.rows.filter(({ level }) => level === keys.length);
      expect(new Set(deepest.map(({ values }) => values.map(keyOf).join()))).toEqual(new Set(byHand.keys()));
      for (const { values, count, totals } of deepest) {
        const hand = byHand.get(values.map(keyOf).join()) as (number | null)[];
        const close = (one: number | null | undefined) => (one == null ? null : expect.closeTo(one, 9));
        // Digits that no number of JSON has come as text.
        expect([count, ...totals.map((one) => (one === null ? null : Number(one)))]).toEqual(
          hand.slice(0, all.length + 1).map(close),
        );
      }
      expect(data.whole.count).toBe(2100);
    }
  });
});

describe('periods', () => {
  const sumOf = async (where: string): Promise<[number, number]> => {
    const { rows } = await pool.query<{ n: number; kg: number | null }>(
      `select count(*)::int as n, sum(kg)::float8 as kg from bees.harvests r where ${where}`,
    );
    return [rows[0]?.n ?? 0, Math.round((rows[0]?.kg ?? 0) * 100) / 100];
  };
  const number = (period: Asked) =>
    asked({ ...chart({ groups: '', measures: [{ total: 'sum', of: 'kg' }], period }), kind: 'number' });

  test.each([
    ['this year', { span: 'year' }],
    ['last month', { span: 'month', back: 1 }],
    ['this quarter', { span: 'quarter' }],
    ['the last 30 days', { span: 'day', count: 30 }],
    ['the 8 weeks up to the last', { span: 'week', count: 8, back: 1 }],
  ] as const)('%s, against the one before and the year before, on days and on moments', async (_, period) => {
    for (const [field, day] of [
      ['day', 'r.day'],
      ['at', `(r.at at time zone '${zone}')::date`],
    ] as const)
      for (const against of ['before', 'yearBefore'] as const) {
        const data = await number({ field, ...period, against });
        const { from, until, against: other } = data.period ?? { from: '', until: '', against: null };
        expect(await sumOf(`${day} >= '${from}' and ${day} < '${until}'`)).toEqual([
          data.whole.count,
          data.whole.totals[0] ?? 0,
        ]);
        expect(await sumOf(`${day} >= '${other?.from}' and ${day} < '${other?.until}'`)).toEqual([
          data.whole.against?.count ?? 0,
          data.whole.against?.totals[0] ?? 0,
        ]);
        // A stretch that is not over is held against as many days as it has had, never against more.
        const days = (one: { from: string; until: string }) => dayNumber(one.until) - dayNumber(one.from);
        const had = Math.min(dayNumber(until), dayNumber(today) + 1) - dayNumber(from);
        expect(Math.abs(days(other ?? { from, until }) - had)).toBeLessThanOrEqual(data.period?.toDate ? 3 : 62);
        expect((other?.until ?? '') <= from).toBe(true);
      }
  });

  test('by month and apiary this year against last: each month beside the same of the year before', async () => {
    const data = await asked(
      chart({
        groups: 'day:month,apiary',
        measures: [{ total: 'sum', of: 'kg' }],
        period: { field: 'day', span: 'year', against: 'yearBefore' },
      }),
    );
    const year = Number(today.slice(0, 4));
    const { rows } = await pool.query<{ y: number; m: string; a: number | null; n: number; kg: number | null }>(`
      select extract(year from day)::int as y, to_char(day, 'MM') as m, apiary as a, count(*)::int as n,
        sum(kg)::float8 as kg
      from bees.harvests where extract(year from day) in (${year}, ${year - 1}) group by 1, 2, 3`);
    const of = (y: number, month: string, apiary: number | null) =>
      rows.find((row) => row.y === y && row.m === month && row.a === apiary);
    const deepest = data.rows.filter(({ level }) => level === 2);
    expect(deepest.length).toBe(new Set(rows.map(({ m, a }) => `${m} ${a}`)).size);
    for (const { values, count, totals, against } of deepest) {
      const [month, apiary] = [String(values[0]), (values[1] as { id: number } | null)?.id ?? null];
      expect(month.slice(0, 4)).toBe(String(year));
      const [now, then] = [of(year, month.slice(5, 7), apiary), of(year - 1, month.slice(5, 7), apiary)];
      expect([count, totals[0] ?? 0]).toEqual([now?.n ?? 0, expect.closeTo(now?.kg ?? 0, 9)]);
      expect([against?.count ?? 0, against?.totals[0] ?? 0]).toEqual([then?.n ?? 0, expect.closeTo(then?.kg ?? 0, 9)]);
    }
  });
});

describe('a summary that is kept', () => {
  const make = async (blocks: Asked[], more: Asked = {}, by = ida, personal = false) => {
    const summary = { label: `S ${random(1e9)}`, blocks, ...more };
    const { status, answer, text: said } = await ask(pool, by, 'POST', at(place, '/summaries'), { summary, personal });
    if (status !== 200) throw new Error(said);
    return answer as { id: string; saved: { blocks: Asked[]; filters: Asked[] } };
  };
  const get = async <T>(path: string, by = ida) => {
    const { status, answer, text: said } = await ask(pool, by, 'GET', at(place, path));
    if (status !== 200) throw new Error(said);
    return answer as T;
  };

  test('the records behind each row are as many as it says, of each kind of group, now and before', async () => {
    for (const groups of [
      'kind',
      'day:month',
      'at:week',
      'kg:5',
      'apiary',
      'apiary.valley',
      'done',
      'seen:each',
      'note',
    ]) {
      const period = groups.startsWith('day') ? { field: 'day', span: 'year', against: 'yearBefore' } : null;
      const { id, saved } = await make([chart({ groups, period })]);
      const block = String(saved.blocks[0]?.id);
      const { items } = await get<{ items: BlockData[] }>(`/summaries/${id}/data`);
      const rows = items[0]?.asked?.rows ?? [];
      expect(rows.length).toBeGreaterThan(1);
      for (const { values, count, against } of rows.slice(0, 12))
        for (const [isBefore, wanted] of [
          [false, count],
          ...(against ? [[true, against.count] as const] : []),
        ] as const) {
          const path = `/summaries/${id}/blocks/${block}/records?values=${encodeURIComponent(JSON.stringify(values))}`;
          const behind = await get<RecordRows>(`${path}&against=${isBefore}`);
          expect([groups, values, isBefore, behind.count]).toEqual([groups, values, isBefore, wanted]);
          expect(behind.records.length).toBe(Math.min(200, wanted));
        }
    }
  });

  test('blocks follow the page’s filters, and say which of them say nothing of their table', async () => {
    const { id, saved } = await make(
      [
        chart({ groups: 'kind' }),
        { ...chart({ table: 'apiaries', groups: 'valley' }) },
        { kind: 'list', title: '', place: { x: 0, y: 9, w: 6, h: 4 }, table: 'harvests', view: 'all', most: 7 },
      ],
      {
        filters: [
          {
            label: 'Valley',
            fields: [
              { table: 'harvests', field: 'apiary.valley' },
              { table: 'apiaries', field: 'valley' },
            ],
          },
          { label: 'Day', fields: [{ table: 'harvests', field: 'day' }] },
          { label: 'Seen', fields: [{ table: 'harvests', field: 'seen' }] },
        ],
      },
    );
    const [valley, day, seen] = saved.filters.map((one) => String(one.id));
    const chosen = {
      [valley ?? '']: { is: ['South', null] },
      [day ?? '']: { from: daysAgo(300), until: daysAgo(20) },
      [seen ?? '']: { is: ['eggs'] },
    };
    const { items } = await get<{ items: BlockData[] }>(
      `/summaries/${id}/data?filters=${encodeURIComponent(JSON.stringify(chosen))}`,
    );
    const { rows } = await pool.query<{ n: number }>(
      `select count(*)::int as n from bees.harvests r left join bees.apiaries a on a._id = r.apiary
       where (a.valley = 'South' or a.valley is null) and day >= $1 and day < $2 and 'eggs' = any(seen)`,
      [daysAgo(300), daysAgo(20)],
    );
    expect(items[0]?.problem).toBeUndefined();
    expect(items[0]?.asked?.whole.count).toBe(rows[0]?.n);
    expect(items[2]?.list?.count).toBe(rows[0]?.n);
    expect(items[2]?.list?.records.length).toBe(7);
    expect(items[1]?.asked?.whole.count).toBe(2);
    expect(items[1]?.asked?.unfiltered).toEqual(['Day', 'Seen']);
    expect(items[0]?.asked?.unfiltered).toEqual([]);
  });

  test('no more groups than are asked for, the others as one; a million groups are cut, and it is said', async () => {
    const data = await asked(chart({ groups: 'note', order: 'most', most: 4, measures: [{ total: 'sum', of: 'kg' }] }));
    expect(data.rows.length).toBe(5);
    expect(data.rows[4]?.others).toBe(27);
    const sums = data.rows.map(({ totals }) => Number(totals[0]));
    expect(sums.slice(0, 4)).toEqual(sums.slice(0, 4).sort((one, other) => other - one));
    expect(sums.reduce((sum, one) => sum + one, 0)).toBeCloseTo(Number(data.whole.totals[0]), 6);
    expect(data.rows.reduce((sum, { count }) => sum + count, 0)).toBe(2100);
  });

  test('what a reader may not see is in no block of theirs, in no data, behind no row, and not in what is written', async () => {
    const secret = chart({ table: 'apiaries', groups: 'owner' });
    const { id, saved } = await make([
      secret,
      chart({ table: 'apiaries', groups: 'valley', where: "owner = 'A'" }),
      chart({ table: 'apiaries', groups: 'valley', measures: [{ total: 'max', of: 'char_length(owner)' }] }),
      chart({ groups: 'apiary.owner' }),
      chart({ groups: 'kind' }),
    ]);
    const seen = await ask(pool, noor, 'GET', at(place, `/summaries/${id}`));
    expect((seen.answer.saved as { blocks: unknown[] }).blocks.length).toBe(1);
    expect(seen.text).not.toMatch(/owner/i);
    expect((await ask(pool, noor, 'GET', at(place, '/model'))).answer.summaries).toEqual([]);
    const data = await ask(pool, noor, 'GET', at(place, `/summaries/${id}/data`));
    expect((data.answer.items as unknown[]).length).toBe(1);
    for (const block of saved.blocks.slice(0, 4))
      expect(
        (await ask(pool, noor, 'GET', at(place, `/summaries/${id}/blocks/${String(block.id)}/records`))).status,
      ).toBe(404);
    expect((await ask(pool, noor, 'POST', at(place, '/summaries/try'), { summary: { blocks: [secret] } })).status).toBe(
      422,
    );
    expect((await ask(pool, noor, 'PATCH', at(place, `/summaries/${id}`), { summary: { label: 'Mine' } })).status).toBe(
      403,
    );
  });

  test('for a group alone, for oneself alone; taken for oneself and given back; deleted and brought back', async () => {
    const { rows } = await pool.query<{ id: number }>(
      `insert into loom.groups (label) values ('Sellers') returning id`,
    );
    const { id } = await make([chart({})], { groups: [rows[0]?.id] });
    const listed = async (by: Person) =>
      (await get<{ items: { id: string }[] }>('/summaries', by)).items.some((one) => one.id === id);
    expect(await listed(noor)).toBe(false);
    await pool.query(`insert into loom.group_people ("group", person) values ($1, $2)`, [rows[0]?.id, noor.id]);
    expect(await listed(noor)).toBe(true);
    const patch = (body: Asked, by = ida) => ask(pool, by, 'PATCH', at(place, `/summaries/${id}`), body);
    expect((await patch({ personal: true })).status).toBe(200);
    expect(await listed(noor)).toBe(false);
    expect((await patch({ personal: false })).status).toBe(200);
    expect(await listed(noor)).toBe(true);
    const own = await make([chart({})], {}, noor, true);
    expect((await ask(pool, ida, 'GET', at(place, `/summaries/${own.id}`))).status).toBe(404);
    expect((await ask(pool, noor, 'DELETE', at(place, `/summaries/${own.id}`))).status).toBe(200);
  });

  test('a field that is renamed is followed, one that is deleted is said, and an undo brings it back', async () => {
    await place.change({ do: 'addField', table: 'harvests', field: text('Jar') });
    const { id } = await make([chart({ groups: 'jar', where: "jar <> 'x'" }), chart({ groups: 'kind' })]);
    await place.change({
      do: 'changeField',
      table: 'harvests',
      field: 'jar',
      set: { key: 'glass', label: 'Glass' },
    } as never);
    const read = () =>
      get<{ saved: { blocks: { where: string; groups: string }[] }; lost: string[] }>(`/summaries/${id}`);
    expect((await read()).saved.blocks[0]).toMatchObject({ where: "glass <> 'x'", groups: 'glass' });
    const batch = await place.change({ do: 'removeField', table: 'harvests', field: 'glass' } as never);
    expect((await read()).lost.length).toBe(1);
    const { items } = await get<{ items: BlockData[] }>(`/summaries/${id}/data`);
    expect(items[0]?.problem?.message).toMatch(/deleted/);
    expect(items[1]?.asked?.whole.count).toBe(2100);
    // Saved meanwhile, the block that cannot be read stays what it was.
    const { saved } = await get<{ saved: { blocks: Asked[] } }>(`/summaries/${id}`);
    const again = await ask(pool, ida, 'PATCH', at(place, `/summaries/${id}`), {
      summary: { label: `T ${random(1e9)}`, blocks: saved.blocks },
      over: saved,
    });
    expect([again.status, again.text]).toEqual([200, expect.stringContaining('lost')]);
    expect((await ask(pool, ida, 'POST', at(place, '/summaries/try'), { summary: saved })).status).toBe(422);
    await place.undo(batch);
    expect((await read()).lost).toEqual([]);
  });

  test('the records behind a value are found for each kind of field; nonsense in their place is refused, never a fault', async () => {
    await place.change({
      do: 'addTable',
      label: 'Kinds',
      fields: [
        text('Word'),
        { label: 'No', type: 'runningNumber', pattern: 'K-{000}' },
        { label: 'Mail', type: 'email' },
        { label: 'Page', type: 'url' },
        { label: 'Phone', type: 'phone' },
        { label: 'Spot', type: 'place' },
        { label: 'Share', type: 'percent', digits: 1 },
        { label: 'Took', type: 'duration' },
        { label: 'Stars', type: 'rating', most: 5 },
        { label: 'Far', type: 'progress' },
        { label: 'Price', type: 'money', currency: 'EUR', digits: 2 },
        { label: 'Paid', type: 'money', currency: null, digits: 2 },
        { label: 'Who', type: 'member' },
        { label: 'Twice', type: 'formula', formula: "word || '!'" },
      ] as never,
    });
    await place.insert(
      'kinds',
      ...[0, 1, 2, 2].map((n) => ({
        word: `w'${n}`,
        mail: `m${n}@alderfold.example`,
        page: `https://alderfold.example/${n}`,
        phone: `+00 555 100${n}`,
        share: n / 8,
        took: `PT${n + 1}H30M`,
        stars: n + 1,
        far: n / 4,
        price: n + 0.5,
        paid: `${n}.25 EUR`,
        who: n === 0 ? null : ida.id,
      })),
    );
    const keys = 'word,no,mail,page,phone,share,took,stars,far,price,paid,who,twice,created_by'.split(',');
    for (const key of keys) {
      const { id, saved } = await make([chart({ table: 'kinds', groups: key })]);
      const { items } = await get<{ items: BlockData[] }>(`/summaries/${id}/data`);
      const address = `/summaries/${id}/blocks/${String(saved.blocks[0]?.id)}/records`;
      for (const { values, count } of items[0]?.asked?.rows ?? [])
        expect([
          key,
          values,
          (await get<RecordRows>(`${address}?values=${encodeURIComponent(JSON.stringify(values))}`)).count,
        ]).toEqual([key, values, count]);
      for (const odd of ['x', -1, 1e300, { id: 'x' }, { id: 1e300 }, { id: -5 }, {}, [], true, '2026-02-30', "'"]) {
        const values = encodeURIComponent(JSON.stringify([odd]));
        expect([key, odd, (await ask(pool, ida, 'GET', at(place, `${address}?values=${values}`))).status]).toEqual([
          key,
          odd,
          expect.toSatisfy((status: number) => status === 200 || status === 422),
        ]);
      }
    }
    for (const groups of ['day:month', 'at:week', 'kg:5', 'apiary', 'seen:each']) {
      const filters = [{ label: 'One', fields: [{ table: 'harvests', field: groups.split(':')[0] }] }];
      const { id, saved } = await make([chart({ groups })], { filters });
      const address = `/summaries/${id}/blocks/${String(saved.blocks[0]?.id)}/records`;
      const filter = String(saved.filters[0]?.id);
      for (const odd of ['x', 1e300, -1, { id: 1e300 }, {}, '2026-02-30', '0000-01-01', '99999-01-01']) {
        const values = encodeURIComponent(JSON.stringify([odd]));
        const behind = await ask(pool, ida, 'GET', at(place, `${address}?values=${values}`));
        expect([groups, odd, behind.status]).toEqual([
          groups,
          odd,
          expect.toSatisfy((n: number) => n === 200 || n === 422),
        ]);
        for (const choice of [{ from: odd }, { until: odd }, { least: odd }, { is: [odd] }]) {
          const query = encodeURIComponent(JSON.stringify({ [filter]: choice }));
          const { status } = await ask(pool, ida, 'GET', at(place, `/summaries/${id}/data?filters=${query}`));
          expect([groups, choice, status]).toEqual([
            groups,
            choice,
            expect.toSatisfy((n: number) => n === 200 || n === 400),
          ]);
        }
      }
    }
  });

  test('who shares without seeing all changes nothing that they do not see; a list whose filter they may not see is not theirs', async () => {
    await place.change(
      { do: 'addPart', kind: 'view', table: 'apiaries', part: { label: 'Of A', filter: "owner = 'A'" } } as never,
      {
        do: 'addPart',
        kind: 'role',
        part: {
          label: 'Sharer',
          workspace: ['share'],
          others: { see: true, enter: false, change: false, delete: false, design: false },
        },
      } as never,
    );
    const sal = await makePerson(pool, 'Sal');
    const model = (await place.access()).whole.model;
    await join(pool, await place.access(), sal, String(partsOf(model, 'role')[0]?.id));
    const list = {
      kind: 'list',
      title: 'Of A',
      place: { x: 0, y: 9, w: 6, h: 4 },
      table: 'apiaries',
      view: 'Of A',
      most: 5,
    };
    const { id, saved } = await make([chart({ table: 'apiaries', groups: 'owner' }), list, chart({ groups: 'kind' })], {
      filters: [
        {
          label: 'Owner',
          fields: [
            { table: 'apiaries', field: 'owner' },
            { table: 'harvests', field: 'kind' },
          ],
        },
      ],
    });
    const theirs = await get<{ saved: { blocks: Asked[] } }>(`/summaries/${id}`, sal);
    expect(theirs.saved.blocks.map(({ groups }) => groups)).toEqual(['kind']);
    expect(JSON.stringify(theirs)).not.toMatch(/owner'|"owner"|Of A/);
    const done = await ask(pool, sal, 'PATCH', at(place, `/summaries/${id}`), {
      summary: { ...theirs.saved, description: 'By Sal' },
      over: theirs.saved,
    });
    expect([done.status, done.text]).toEqual([403, expect.stringContaining('may not see')]);
    expect((await ask(pool, sal, 'PATCH', at(place, `/summaries/${id}`), { personal: true })).status).toBe(403);
    expect((await get<{ saved: Asked }>(`/summaries/${id}`)).saved).toEqual(saved);
  });

  test('it goes with the structure to another workspace, and is the same there; an undo takes it away', async () => {
    const blocks = [
      chart({
        groups: 'day:month,apiary',
        measures: [{ total: 'sum', of: 'kg', where: "kind = 'lime'", label: 'Lime' }],
      }),
      { kind: 'list', title: 'All', place: { x: 6, y: 0, w: 6, h: 4 }, table: 'harvests', view: 'all', most: 5 },
    ];
    const filters = [{ label: 'Kind', fields: [{ table: 'harvests', field: 'kind' }] }];
    const { id } = await make(blocks, { filters });
    const bare = (structure: Asked) =>
      JSON.stringify(structure.summaries, (name, value: unknown) => (name === 'id' ? undefined : value));
    const structure = JSON.parse(await fetched(place, at(place, '/export?format=structure'))) as Asked;
    const other = await makePlace(pool, ida, 'Elsewhere');
    const plan = await ask(pool, ida, 'POST', at(other, '/structure/import'), structure);
    expect([plan.status, plan.text.slice(0, 300)]).toEqual([200, expect.anything()]);
    const applied = await ask(pool, ida, 'POST', at(other, `/plans/${String(plan.answer.id)}/apply`));
    expect(applied.status).toBe(200);
    const model = async (of: Place) => (await ask(pool, ida, 'GET', at(of, '/model'))).answer;
    expect(bare(await model(other))).toBe(bare(await model(place)));
    expect(bare(await model(other))).toContain('Lime');
    await other.undo(Number(applied.answer.batch));
    expect((await model(other)).summaries).toEqual([]);
    await ask(pool, ida, 'DELETE', at(place, `/summaries/${id}`));
  });

  test.each([
    [
      'a scale for two units',
      { kind: 'chart', chart: 'bars', measures: [{ total: 'sum', of: 'kg' }, { total: 'count' }] },
      /one scale/,
    ],
    [
      'slices of what does not add up',
      { kind: 'chart', chart: 'shares', measures: [{ total: 'avg', of: 'kg' }] },
      /cannot show/,
    ],
    ['lines between words', { kind: 'chart', chart: 'lines' }, /cannot show/],
    ['a calendar by month', { kind: 'chart', chart: 'calendar', groups: 'day:month' }, /cannot show/],
    ['three groups', { groups: 'kind,done,day:month' }, /two fields/],
    ['a sum of texts', { measures: [{ total: 'sum', of: 'note' }] }, /no sum/i],
    ['an unknown field', { groups: 'nothing' }, /cannot be sorted|no field/],
    ['a field of hidden records', { where: 'apiary.nothing = 1' }, /nothing/],
    ['a step of nothing', { groups: 'kg:0' }, /kg:5/],
    ['a place off the page', { place: { x: 9, y: 0, w: 6, h: 4 } }, /page/],
  ] as const)('%s is refused with a reason', async (_, more, reason) => {
    const { status, text: said } = await ask(pool, ida, 'POST', at(place, '/summaries/try'), {
      summary: { blocks: [chart(more as Asked)] },
    });
    expect([status, said]).toEqual([422, expect.stringMatching(reason)]);
  });
});
