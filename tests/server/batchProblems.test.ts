import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Pool } from '$server/database/pool';
import type { Refusal } from '$server/base/refusal';
import { paste, previewPaste, type PastedCells } from '$server/entry/paste';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let home: Place;
let serial = 0;

beforeAll(async () => ({ pool, drop } = await freshDatabase('batch_problems')));
afterAll(() => drop());

/** Tools with a unique code, a rule of their own, one over another table, and a running number. */
beforeEach(async () => {
  home = await makePlace(pool, await makePerson(pool, `Ida${++serial}`), `Problems ${serial}`);
  await home.change(
    {
      do: 'addTable',
      label: 'Sheds',
      fields: [text('Name', { unique: true }), { label: 'Room', type: 'number', digits: 0 }],
    },
    {
      do: 'addTable',
      label: 'Tools',
      fields: [
        text('Code', { unique: true, required: true }),
        { label: 'Price', type: 'number', digits: 2 },
        { label: 'Shed', type: 'link', to: 'sheds' },
        { label: 'No', type: 'runningNumber', pattern: 'T-{000}' },
        text('Row'),
        text('Place'),
      ],
    },
    { do: 'addRule', table: 'tools', message: 'A price is above 0.', condition: 'price > 0' },
    { do: 'addRule', table: 'tools', message: 'The shed has room.', condition: 'shed.room > 0' },
    { do: 'addRule', table: 'tools', message: 'One tool in each place.', unique: ['row', 'place'] },
  );
  await home.insert('sheds', { name: 'Old', room: 0 }, { name: 'New', room: 5 });
  await home.insert('tools', { code: 'A', price: 5, row: '1', place: 'x' });
});

interface Listed {
  readonly record: number;
  readonly message: string;
  readonly at?: string;
}
const problems = (work: Promise<unknown>): Promise<readonly Listed[]> =>
  work.then(
    () => [],
    (error: Refusal) =>
      (error.details as { errors?: readonly Listed[] }).errors ?? [{ record: -1, ...error.problem } as Listed],
  );

describe('all that is wrong with a batch is said at once, each with its place', () => {
  test('unknown values, blanks, clashes with what stands and among themselves, rules', async () => {
    const found = await problems(
      home.insert(
        'tools',
        { code: 'B', price: 3 },
        { code: 'A', price: 3 },
        { code: 'C', price: 'many' },
        { code: 'D', price: -1 },
        { price: 3 },
        { code: 'B', price: 3 },
        { code: 'E', price: 3, row: '1', place: 'x' },
      ),
    );
    expect(found.map(({ record, at }) => [record, at])).toEqual([
      [1, '/records/1/values/code'],
      [2, '/records/2/values/price'],
      [3, '/records/3'],
      [4, '/records/4/values/code'],
      [5, '/records/5/values/code'],
      [6, '/records/6/values/row'],
    ]);
    expect(found[0]?.message).toBe('Code must be unique, and “A” is taken.');
    expect(found[4]?.message).toBe('Code must be unique, and “B” is in record 1 of these, too.');
    expect(await home.values('tools', 'code')).toEqual(['A']);
  });

  test('rules over other records are looked at once they are written, for all of them', async () => {
    const found = await problems(
      home.insert('tools', { code: 'B', shed: 1 }, { code: 'C', shed: 2 }, { code: 'D', shed: 1 }),
    );
    expect(found.map(({ record, message }) => [record, message])).toEqual([
      [0, '#2: The shed has room.'.replace('#2', 'B')],
      [2, 'D: The shed has room.'],
    ]);
  });

  test('a hundred at most are listed, and how many more there are', async () => {
    const found = await problems(home.insert('tools', ...Array.from({ length: 250 }, () => ({ price: 3 }))));
    expect(found.length).toBe(100);
  });

  test('changes are held against what stands: a record keeps its own value, and may not take another’s', async () => {
    await home.insert('tools', { code: 'B', price: 3 }, { code: 'C', price: 3 });
    expect(
      await problems(
        home.write('tools', {
          update: [
            { id: 1, values: { code: 'A' } },
            { id: 2, values: { code: 'B', price: 4 } },
          ],
        }),
      ),
    ).toEqual([]);
    const found = await problems(
      home.write('tools', {
        update: [
          { id: 2, values: { code: 'A' } },
          { id: 3, values: { price: 0 } },
        ],
      }),
    );
    expect(found.map(({ record, message }) => [record, message])).toEqual([
      [0, 'Code must be unique, and “A” is taken.'],
      [1, 'A price is above 0.'],
    ]);
  });
});

describe('a paste says what is wrong before anything is written', () => {
  const cells = (...rows: string[][]): PastedCells => ({
    fields: ['code', 'price', 'shed'],
    rows: rows.map((row) => ({ id: null, cells: row })),
    misfits: 'setAside',
  });

  test('with the row and the field, and takes no running number for it', async () => {
    const pasted = cells(['B', '3', 'New'], ['A', '3', 'New'], ['C', '-2', ''], ['D', '4', '']);
    const access = await home.access();
    const { problems: found, problemRows } = await previewPaste(pool, access, 'tools', pasted);
    expect(found).toEqual([
      { row: 1, field: 'code', message: 'Code must be unique, and “A” is taken.' },
      { row: 2, field: null, message: 'A price is above 0.' },
    ]);
    expect(problemRows).toBe(2);
    const full = await previewPaste(pool, access, 'tools', cells(['B', '3', 'Old'], ['C', '3', 'New']));
    expect(full.problems?.map(({ row, message }) => [row, message])).toEqual([[0, 'B: The shed has room.']]);
    await paste(pool, access, 'tools', cells(['B', '3', 'New']), false);
    expect(await home.values('tools', 'no')).toEqual(['T-001', 'T-002']);
    expect(await home.values('tools', 'code')).toEqual(['A', 'B']);
  });

  test('what is refused all the same names its row', async () => {
    const found = await problems(
      paste(pool, await home.access(), 'tools', cells(['B', '3', ''], ['A', '3', '']), false),
    );
    expect(found).toMatchObject([{ at: '/records/1/values/code' }]);
  });
});
