import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { authorize, type Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { redoOwn, undoOwn } from '$server/history/ownSteps';
import { paste, previewPaste, type PastedCells } from '$server/entry/paste';
import { writeRecords } from '$server/entry/write';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('paste'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Bees');
  await place.change(
    { do: 'addTable', label: 'Keepers', fields: [text('Name'), text('Code', { unique: true })] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number'),
        { label: 'Weight', type: 'number', digits: 2 },
        { label: 'Share', type: 'percent' },
        { label: 'Day', type: 'date' },
        { label: 'State', type: 'option', options: ['weak', 'strong'] },
        { label: 'Tags', type: 'options', options: ['old'], open: true },
        { label: 'Keeper', type: 'link', to: 'keepers' },
        { label: 'Helpers', type: 'link', to: 'keepers', many: true },
        { label: 'Entered by', type: 'member' },
        { label: 'Doubled', type: 'formula', formula: 'weight * 2' },
      ],
    },
  );
  await place.insert(
    'keepers',
    { name: 'Ida Vale', code: 'K-001' },
    { name: 'Tom Orrin', code: 'K-002' },
    { name: 'Ida Vale', code: 'K-003' },
  );
  await place.insert(
    'hives',
    { number: 'H-1', weight: 5, state: 'weak' },
    { number: 'H-2', weight: 6 },
    { number: 'H-3' },
  );
});
afterAll(() => drop());

const cells = (
  fields: string[],
  rows: [number | null, ...string[]][],
  more: Partial<PastedCells> = {},
): PastedCells => ({
  fields,
  rows: rows.map(([id, ...texts]) => ({ id, cells: texts })),
  misfits: 'setAside',
  ...more,
});
const written = async (pasted: PastedCells) => paste(pool, await place.access(), 'hives', pasted, false);

describe('pasted cells', () => {
  test('are read as the values of their fields, links by title or key', async () => {
    const answer = await written(
      cells(
        ['weight', 'share', 'day', 'state', 'keeper', 'helpers', 'entered_by'],
        [
          [1, '12,5', '40', '31/05/2026', 'Strong', 'tom orrin', 'K-001; K-003', 'Ida'],
          [2, '7', '2,5 %', '1/6/2026', '', 'k-003', '', ''],
        ],
      ),
    );
    expect(answer.records.map(({ values }) => values)).toMatchObject([
      {
        weight: 12.5,
        share: 0.4,
        day: '2026-05-31',
        state: 'strong',
        keeper: { id: 2 },
        helpers: [{ id: 1 }, { id: 3 }],
        entered_by: { id: ida.id },
        doubled: 25,
      },
      { weight: 7, share: 0.025, day: '2026-06-01', state: null, keeper: { id: 3 }, helpers: [], entered_by: null },
    ]);
    expect(answer.preview.readings).toMatchObject([{ decimal: ',' }, {}, { dateOrder: 'dmy' }, {}, {}, {}, {}]);
  });

  test('that do not fit are counted with their places before anything is written', async () => {
    const pasted = cells(
      ['weight', 'day', 'state', 'keeper'],
      [
        [3, 'heavy', '2026-02-31', 'fair', 'Ida Vale'],
        [null, '3', '', 'weak', 'Nobody'],
      ],
    );
    const before = await place.values('hives', 'weight');
    const preview = await previewPaste(pool, await place.access(), 'hives', pasted);
    expect(preview).toMatchObject({ records: { changed: 1, made: 1 }, cells: { fit: 2, blank: 1, misfit: 5 } });
    expect(preview.misfits.map(({ row, field, text: what }) => [row, field, what])).toEqual([
      [0, 'weight', 'heavy'],
      [0, 'day', '2026-02-31'],
      [0, 'state', 'fair'],
      [0, 'keeper', 'Ida Vale'],
      [1, 'keeper', 'Nobody'],
    ]);
    expect(preview.misfits[3]?.reason).toContain('several records');
    expect(await place.values('hives', 'weight')).toEqual(before);
  });

  test('set aside keep their text and reason; undone they were never there', async () => {
    const open = async () =>
      (await pool.query<{ text: string }>('select text from loom.open_set_aside order by text')).rows.map(
        (row) => row.text,
      );
    const { batch, records } = await written(
      cells(
        ['number', 'weight'],
        [
          [1, 'H-1', 'ten'],
          [null, 'H-9', 'two'],
        ],
      ),
    );
    expect(records.map(({ values }) => values.weight)).toEqual([null, null]);
    expect(await open()).toEqual(['ten', 'two']);
    await place.undo(batch);
    expect(await open()).toEqual([]);
    expect(await place.values('hives', 'weight')).toEqual([12.5, 7, null]);
  });

  test('left out leave the record as it is', async () => {
    await written(cells(['number', 'weight'], [[1, 'H-1b', 'ten']], { misfits: 'leave' }));
    expect(await place.values('hives', 'number')).toEqual(['H-1b', 'H-2', 'H-3']);
    expect(await place.values('hives', 'weight')).toEqual([12.5, 7, null]);
  });

  test('of which none fits are no edit', async () => {
    const batches = async () => (await pool.query<{ n: number }>('select count(*) as n from loom.batches')).rows[0]?.n;
    const before = await batches();
    expect(
      await place.refused(
        written(
          cells(
            ['weight'],
            [
              [1, 'ten'],
              [2, 'two'],
            ],
            { misfits: 'leave' },
          ),
        ),
      ),
    ).toContain('Nothing of this fits');
    expect(await batches()).toBe(before);
  });

  test('go in by the hundred thousand, and are undone as one', async () => {
    const rows = Array.from({ length: 25_000 }, (_, row): [null, ...string[]] => [
      null,
      `P-${row}`,
      row % 1000 === 7 ? 'heavy' : String(row),
      '2026-05-01',
      row % 2 ? 'weak' : 'strong',
    ]);
    const { batch, preview } = await written(cells(['number', 'weight', 'day', 'state'], rows));
    expect(preview).toMatchObject({ records: { made: 25_000 }, cells: { fit: 99_975, misfit: 25 } });
    const kept = () =>
      pool.query<{ n: number; weight: string }>(
        `select count(*) as n, sum(weight) as weight from "${place.key}".hives where number like 'P-%'`,
      );
    expect((await kept()).rows[0]).toEqual({
      n: 25_000,
      weight: String(rows.reduce((sum, [, , weight]) => sum + (Number(weight) || 0), 0)),
    });
    await place.undo(batch);
    expect((await kept()).rows[0]?.n).toBe(0);
  });

  test('of words for an open list add them', async () => {
    const { records } = await written(cells(['tags'], [[2, 'old, fresh']]));
    expect(records[0]?.values.tags).toEqual(['old', 'fresh']);
  });

  test('say where day and month could be the other way round, and are read as one says', async () => {
    const pasted = cells(['day'], [[3, '04/03/2026']]);
    expect((await previewPaste(pool, await place.access(), 'hives', pasted)).readings).toMatchObject([
      { dateOrder: 'dmy', either: true },
    ]);
    const { records } = await written({ ...pasted, readings: { day: { dateOrder: 'mdy' } } });
    expect(records[0]?.values.day).toBe('2026-04-03');
  });

  test.each([
    ['what is calculated', ['doubled'], 'not entered'],
    ['a field that is not there', ['colour'], 'no field'],
  ])('are refused for %s', async (_, fields, words) => {
    expect(await place.refused(written(cells(fields, [[1, 'x']])))).toContain(words);
  });

  test('show markup as the text it is', async () => {
    const text = '<img src=x onerror=alert(1)>\n"quoted"\t=1+1';
    const { records } = await written(cells(['number'], [[2, text]]));
    expect(records[0]?.values.number).toBe(text);
  });
});

describe('own steps', () => {
  test('are undone and done again one by one, and past a reload', async () => {
    const weights = () => place.values('hives', 'weight');
    const set = (value: number) => place.write('hives', { update: [{ id: 3, values: { weight: value } }] });
    for (const value of [1, 2, 3]) await set(value);
    const undo = async () => undoOwn(pool, await place.access());
    const redo = async () => redoOwn(pool, await place.access());
    const seen: unknown[] = [];
    for (const step of [undo, undo, redo, redo, undo]) {
      await step();
      seen.push((await weights())[2]);
    }
    expect(seen).toEqual([2, 1, 2, 3, 2]);
    await set(9);
    expect(await place.refused(redo())).toContain('nothing to do again');
    await undo();
    expect((await weights())[2]).toBe(2);
  });

  test('leave alone what others did, and say what stands in the way', async () => {
    const tom = await makePerson(pool, 'Tom');
    await join(pool, await place.access(), tom, 'editor');
    const other = await authorize(pool, tom, place.key, 'write');
    expect(await place.refused(undoOwn(pool, other))).toContain('no edit of yours');
    await place.write('hives', { update: [{ id: 2, values: { weight: 40 } }] });
    await writeRecords(pool, other, 'hives', { update: [{ id: 2, values: { weight: 41 } }] });
    expect(await place.refused(undoOwn(pool, await place.access()))).toContain('later change');
  });
});
