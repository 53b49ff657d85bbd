import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { checkCondition } from '$core/formula/checker';
import { decodeCursor, parseSort } from '$core/query/query';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { Refusal } from '$server/base/refusal';
import { beginDays } from '$server/records/day';
import { countRecords, readRecords, searchTitles } from '$server/query/read';
import { readHistory, undoBatch } from '$server/history/undo';
import { writeRecords } from '$server/entry/write';
import type { RecordEdits } from '$server/entry/edits';
import { changeNow, formulaField, linkField, plainField, plainTable } from './changes';
import { freshDatabase, join, makePerson, makeAccess } from './database';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let access: WorkspaceAccess;

const again = async () => (access = await authorize(pool, ida, 'bees', 'design'));
const write = (table: string, edits: RecordEdits) => writeRecords(pool, access, table, edits);
const refusalOf = (work: Promise<unknown>): Promise<Refusal> =>
  work.then(
    () => {
      throw new Error('was not refused');
    },
    (error: unknown) => {
      if (error instanceof Refusal) return error;
      throw error;
    },
  );

async function all(table: string, options: { filter?: string; sort?: string; limit?: number } = {}) {
  const owner = tableAt(access, table);
  const sort = parseSort(access.workspace.model, owner, options.sort ?? '');
  const filter = options.filter ? checkCondition(access.workspace.model, owner.id, options.filter) : null;
  if (!sort.ok || (filter && !filter.expression)) throw new Error('bad query');
  const records = [];
  for (let after: string | null = null, first = true; first || after; first = false) {
    const cursor = after ? decodeCursor(after) : null;
    const page = await readRecords(pool, access, owner, {
      fields: owner.fields.map(({ id }) => id),
      filter: filter?.expression ?? null,
      sort: sort.value,
      limit: options.limit ?? 1000,
      after: cursor?.ok ? cursor.value : null,
    });
    records.push(...page.records);
    after = page.next;
  }
  return records;
}
const valuesOf = async (table: string, key: string, options = {}) =>
  (await all(table, options)).map(({ values }) => values[key]);

beforeAll(async () => {
  let done: { pool: Pool; drop: () => Promise<void> };
  ({ pool, drop } = done = await freshDatabase('records'));
  expect(done.pool).toBe(pool);
  ida = await makePerson(pool, 'Ida');
  access = await makeAccess(pool, ida, 'Bees');
  const apiaries = plainTable('apiaries', [plainField('name', { kind: 'text' }, { unique: true, required: true })]);
  const state = {
    kind: 'option',
    options: [
      { id: 'weak', label: 'weak', dye: 'rust' },
      { id: 'strong', label: 'strong', dye: 'moss' },
    ],
  } as const;
  const hives = plainTable('hives', [
    plainField('number', { kind: 'text' }, { unique: true }),
    plainField('weight', { kind: 'number', digits: 3 }),
    plainField('state', state),
  ]);
  const inspections = plainTable('inspections', [
    plainField('day', { kind: 'date' }),
    plainField('frames', { kind: 'number', digits: 0 }),
  ]);
  await changeNow(pool, access, [
    { do: 'addTable', table: apiaries, at: 0 },
    { do: 'addTable', table: hives, at: 1 },
    { do: 'addTable', table: inspections, at: 2 },
    linkField(hives, apiaries, 'apiary', 'hives'),
    linkField(inspections, hives, 'hive', 'inspections', 'remove'),
    linkField(hives, hives, 'split_from', 'splits', 'clear'),
  ]);
  await again();
  for (const [table, key, text] of [
    ['hives', 'last_inspected', 'max(inspections.day)'],
    ['hives', 'frames', 'sum(inspections.frames)'],
    ['hives', 'quiet_for', 'today() - last_inspected'],
    ['apiaries', 'latest', 'max(hives.last_inspected)'],
    ['apiaries', 'frames', 'sum(hives.frames)'],
    ['hives', 'place', "apiary.name || ': ' || number"],
    ['inspections', 'where_at', 'hive.place'],
    ['hives', 'share_of_apiary', 'round(frames / nullif(apiary.frames, 0), 4)'],
  ] as const) {
    await changeNow(pool, access, [formulaField(access, tableAt(access, table), key, text)]);
    await again();
  }
});
afterAll(() => drop());

describe('records', () => {
  test('are written, linked by match, and answered with everything calculated', async () => {
    const made = await write('apiaries', {
      insert: [{ values: { name: 'Low Meadow' } }, { values: { name: 'Fell Gate' } }],
    });
    expect(made.records.map(({ id }) => id)).toEqual([1, 2]);
    const hives = await write('hives', {
      insert: [
        { values: { number: 'H-1', apiary: 1, state: 'weak', weight: '12.50' } },
        { values: { number: 'H-2', apiary: { match: { name: 'Low Meadow' } } } },
        { values: { number: 'H-10', apiary: { id: 2 } } },
      ],
    });
    expect(hives.records[1]?.values).toMatchObject({
      apiary: { id: 1, title: 'Low Meadow' },
      place: 'Low Meadow: H-2',
      frames: 0,
      last_inspected: null,
      weight: null,
    });
    const seen = await write('inspections', {
      insert: [
        { values: { hive: 1, day: '2026-05-02', frames: 4 } },
        { values: { hive: 1, day: '2026-05-09', frames: 5 } },
        { values: { hive: 2, day: '2026-05-11', frames: 3 } },
      ],
    });
    expect(seen.records[0]?.values).toMatchObject({ where_at: 'Low Meadow: H-1', hive: { id: 1, title: 'H-1' } });
    expect(await valuesOf('hives', 'last_inspected')).toEqual(['2026-05-09', '2026-05-11', null]);
    expect(await valuesOf('apiaries', 'frames')).toEqual([12, 0]);
    expect(await valuesOf('apiaries', 'latest')).toEqual(['2026-05-11', null]);
    expect(await valuesOf('hives', 'share_of_apiary')).toEqual([0.75, 0.25, null]);
    expect(await valuesOf('hives', 'inspections')).toEqual([{ count: 2 }, { count: 1 }, { count: 0 }]);
  });

  test('an edit moves every level above it, and its undo moves them back', async () => {
    const { batch } = await write('inspections', {
      update: [{ id: 1, version: 1, values: { day: '2026-06-01', frames: 10 } }],
    });
    expect(await valuesOf('apiaries', 'latest')).toEqual(['2026-06-01', null]);
    expect(await valuesOf('apiaries', 'frames')).toEqual([18, 0]);
    await undoBatch(pool, access, batch);
    expect(await valuesOf('apiaries', 'frames')).toEqual([12, 0]);
    const [newest] = (await readHistory(pool, access, { limit: 5 })).items;
    expect(newest?.title).toContain('Undone: day, frames changed on 1 record in inspections');
    await undoBatch(pool, access, newest!.id);
    expect(await valuesOf('apiaries', 'latest')).toEqual(['2026-06-01', null]);
    expect((await refusalOf(undoBatch(pool, access, newest!.id))).status).toBe(409);
    await undoBatch(pool, access, (await readHistory(pool, access, { limit: 1 })).items[0]!.id);
  });

  test('a link moved touches the old and the new parent; a rename reaches what reads through two links', async () => {
    await write('inspections', { update: [{ id: 3, values: { hive: 3 } }] });
    expect(await valuesOf('hives', 'frames')).toEqual([9, 0, 3]);
    expect(await valuesOf('apiaries', 'frames')).toEqual([9, 3]);
    await write('hives', { update: [{ id: 3, values: { apiary: 1 } }] });
    expect(await valuesOf('apiaries', 'frames')).toEqual([12, 0]);
    await write('apiaries', { update: [{ id: 1, values: { name: 'Lower Meadow' } }] });
    expect(await valuesOf('inspections', 'where_at')).toEqual([
      'Lower Meadow: H-1',
      'Lower Meadow: H-1',
      'Lower Meadow: H-10',
    ]);
    await write('hives', { update: [{ id: 3, values: { apiary: 2 } }] });
    await write('inspections', { update: [{ id: 3, values: { hive: 2 } }] });
  });

  test('a version clash shows both values, and nothing is lost', async () => {
    await write('hives', { update: [{ id: 1, values: { weight: 13 } }] });
    const clash = await refusalOf(write('hives', { update: [{ id: 1, version: 1, values: { weight: 14 } }] }));
    expect(clash.status).toBe(409);
    expect(clash.details).toMatchObject({ record: 1, fields: [{ field: 'weight', theirs: 13, yours: 14 }] });
    expect((await valuesOf('hives', 'weight'))[0]).toBe(13);
  });

  test.each<[string, string, RecordEdits, number, string]>([
    ['an unknown field', 'hives', { insert: [{ values: { wieght: 1 } }] }, 422, 'no field “wieght”'],
    ['a calculated field', 'hives', { insert: [{ values: { frames: 1 } }] }, 422, 'is calculated'],
    ['the other side', 'hives', { insert: [{ values: { inspections: [] } }] }, 422, 'reverse link'],
    ['text for a number', 'hives', { update: [{ id: 1, values: { weight: 'heavy' } }] }, 422, 'no number'],
    ['too many digits', 'hives', { update: [{ id: 1, values: { weight: 1.23456 } }] }, 422, 'decimals'],
    ['a value taken', 'hives', { insert: [{ values: { number: 'H-1' } }] }, 422, '“H-1” is taken'],
    ['a required blank', 'apiaries', { update: [{ id: 1, values: { name: null } }] }, 422, 'is required'],
    ['a required left out', 'apiaries', { insert: [{ values: {} }] }, 422, 'is required'],
    ['a record not there', 'hives', { update: [{ id: 999, values: { weight: 1 } }] }, 409, 'was deleted'],
    ['a target not there', 'hives', { insert: [{ values: { number: 'H-9', apiary: 999 } }] }, 422, 'not there'],
    [
      'a match of nothing',
      'hives',
      { insert: [{ values: { number: 'H-9', apiary: { match: { name: 'Nowhere' } } } }] },
      422,
      'No record of apiaries',
    ],
    ...[
      ['of null', null, 'a match names fields'],
      ['of a list', ['Low Meadow'], 'a match names fields'],
      ['of a text', 'Low Meadow', 'a match names fields'],
      ['without fields', {}, 'at least one field'],
      ['by a field not there', { height: 3 }, 'no field “height”'],
      ['by a value that is none', { name: ['Low Meadow'] }, 'name'],
    ].map(([what, match, message]): [string, string, RecordEdits, number, string] => [
      `a match ${String(what)}`,
      'hives',
      { insert: [{ values: { number: 'H-9', apiary: { match } } }] },
      422,
      String(message),
    ]),
    [
      'an option not there',
      'hives',
      { insert: [{ values: { number: 'H-9', state: 'angry' } }] },
      422,
      'none of the options',
    ],
    ['a table not there', 'moons', { insert: [{ values: {} }] }, 404, 'no such table'],
  ])('%s is refused, all or none', async (_, table, edits, status, message) => {
    const before = await all('hives');
    const refusal = await refusalOf(
      write(table, {
        ...edits,
        insert: [...(edits.insert ?? []), ...(table === 'hives' ? [{ values: { number: 'H-77' } }] : [])],
      }),
    );
    expect([refusal.status, refusal.message]).toEqual([status, expect.stringContaining(message)]);
    expect(await all('hives')).toEqual(before);
  });

  test('many records named by match in one write: each is found or told of in its place', async () => {
    const by = (name: unknown) => ({ values: { apiary: { match: { name } } } });
    const insert = Array.from({ length: 60 }, (_, n) => by(n % 20 === 7 ? `Nowhere ${n}` : 'Lower Meadow'));
    const refusal = await refusalOf(write('hives', { insert }));
    const errors = (refusal.details as { errors: { record: number; at: string }[] }).errors;
    expect(errors.map(({ record, at }) => [record, at])).toEqual(
      [7, 27, 47].map((record) => [record, `/records/${record}/values/apiary`]),
    );
    const { batch, records } = await write('hives', {
      insert: [by('Lower Meadow')],
    });
    expect(records[0]?.values.apiary).toMatchObject({ title: 'Lower Meadow' });
    await undoBatch(pool, access, batch);
  });

  test('deletion follows the rules of links, and comes back with its links', async () => {
    const prevented = await refusalOf(write('apiaries', { remove: [1] }));
    expect(prevented.message).toContain('2 records of hives point here');
    await write('hives', { insert: [{ values: { number: 'H-3', apiary: 1, split_from: 1 } }] });
    const { batch } = await write('hives', { remove: [1] });
    expect((await all('inspections')).map(({ id }) => id)).toEqual([3]);
    expect(await valuesOf('hives', 'split_from')).toEqual([null, null, null]);
    expect(await valuesOf('apiaries', 'frames')).toEqual([3, 0]);
    await undoBatch(pool, access, batch);
    expect((await all('inspections')).map(({ id }) => id)).toEqual([1, 2, 3]);
    expect((await valuesOf('hives', 'split_from', { filter: "number = 'H-3'" }))[0]).toMatchObject({
      id: 1,
      title: 'H-1',
    });
    expect(await valuesOf('apiaries', 'frames')).toEqual([12, 0]);
  });

  test('undo says what stands in its way', async () => {
    const { batch } = await write('hives', { insert: [{ values: { number: 'H-50', apiary: 2 } }] });
    const hive = (await all('hives', { filter: "number = 'H-50'" }))[0]!;
    const later = await write('hives', { update: [{ id: hive.id, values: { weight: 3 } }] });
    const blocked = await refusalOf(undoBatch(pool, access, batch));
    expect([blocked.status, blocked.message]).toEqual([409, expect.stringContaining('weight changed')]);
    await undoBatch(pool, access, later.batch);
    await write('inspections', { insert: [{ values: { hive: hive.id, day: '2026-01-01' } }] });
    expect((await refusalOf(undoBatch(pool, access, batch))).message).toContain('point at what would be removed');
  });

  test('pages by key visit every record once in each order, blanks last, numbers in texts by size', async () => {
    expect((await valuesOf('hives', 'number', { sort: 'number' })).slice(0, 4)).toEqual(['H-1', 'H-2', 'H-3', 'H-10']);
    const orders = [
      '',
      'number',
      '-number',
      'weight',
      '-weight',
      'last_inspected',
      '-last_inspected',
      'apiary',
      '-apiary,weight',
      'state,-number',
      'weight,-state',
      'apiary,-last_inspected,number',
    ];
    for (const sort of orders) {
      const whole = await all('hives', { sort });
      for (const limit of [1, 2, 3])
        expect(
          (await all('hives', { sort, limit })).map(({ id }) => id),
          `${sort} by ${limit}`,
        ).toEqual(whole.map(({ id }) => id));
    }
    expect((await valuesOf('hives', 'weight', { sort: '-weight' })).at(-1)).toBeNull();
    expect((await valuesOf('hives', 'state', { sort: 'state' }))[0]).toBe('weak');
  });

  test('filters are formulas, over links and calculated fields', async () => {
    expect(
      await valuesOf('hives', 'number', { filter: "apiary.name = 'Lower Meadow' and count(inspections) > 1" }),
    ).toEqual(['H-1']);
    expect(await valuesOf('hives', 'number', { filter: "state = 'weak'" })).toEqual(['H-1']);
    const hives = tableAt(access, 'hives');
    expect(
      await countRecords(
        pool,
        access,
        hives,
        checkCondition(access.workspace.model, hives.id, 'weight is null').expression,
      ),
    ).toBe((await all('hives')).length - 1);
    expect((await searchTitles(pool, access, hives, 'h-1', 10)).map(({ title }) => title)).toEqual(['H-1', 'H-10']);
  });

  test('what depends on the day follows when the day begins', async () => {
    const before = (await valuesOf('hives', 'quiet_for'))[0] as number;
    await pool.query('update loom.workspaces set day = day - 3');
    await again();
    expect(await beginDays(pool, new Date(Date.now() + 2 * 86_400_000))).toBe(1);
    await again();
    expect((await valuesOf('hives', 'quiet_for'))[0]).toBe(before + 2);
    expect(await beginDays(pool, new Date(Date.now() + 2 * 86_400_000))).toBe(0);
  });
});

describe('rights', () => {
  test('a stranger finds nothing, a reader changes nothing, an editor designs nothing', async () => {
    const [stranger, reader, editor] = [
      await makePerson(pool, 'Stranger'),
      await makePerson(pool, 'Pell'),
      await makePerson(pool, 'Tom'),
    ];
    await join(pool, access, reader, 'reader');
    await join(pool, access, editor, 'editor');
    const nothing = await refusalOf(authorize(pool, stranger, 'bees', 'see'));
    expect(await refusalOf(authorize(pool, stranger, 'no_such', 'see'))).toMatchObject({
      status: nothing.status,
      message: nothing.message,
    });
    expect(nothing.status).toBe(404);
    const reading = await authorize(pool, reader, 'bees', 'see');
    expect((await refusalOf(writeRecords(pool, reading, 'hives', { remove: [1] }))).status).toBe(403);
    expect((await refusalOf(undoBatch(pool, reading, 1))).status).toBe(403);
    const editing = await authorize(pool, editor, 'bees', 'write');
    expect((await refusalOf(changeNow(pool, editing, [{ do: 'removeTable', table: 't_x' }]))).status).toBe(403);
    expect((await refusalOf(authorize(pool, editor, 'bees', 'design'))).status).toBe(403);
  });
});
