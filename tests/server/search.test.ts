import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { checkCondition } from '$core/formula/checker';
import type { Pool } from '$server/database/pool';
import { countRecords } from '$server/query/read';
import { searchTable, searchWorkspace } from '$server/query/search';
import { keepIndexes } from '$server/structure/standingIndexes';
import { partsOf } from '$core/types/part';
import { tableAt, type Person } from '$server/access/workspaceAccess';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('search'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Bees');
  await place.change(
    { do: 'addTable', label: 'Keepers', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number'),
        { label: 'State', type: 'option', options: ['weak', 'strong and calm'] },
        { label: 'Seen', type: 'options', options: ['queen', 'eggs'] },
        { label: 'Keeper', type: 'link', to: 'keepers' },
        { label: 'Helpers', type: 'link', to: 'keepers', many: true },
        { label: 'Entered by', type: 'member' },
      ],
    },
  );
  await place.insert(
    'keepers',
    { name: 'Ida Vale' },
    { name: 'Tom Orrin' },
    { name: '100 % Élise' },
    { name: "O'Hare" },
  );
  await place.insert(
    'hives',
    { number: 'H-0042', state: 'weak', seen: ['queen'], keeper: 1, helpers: [2], entered_by: 'Ida' },
    { number: 'H-0420', state: 'strong and calm', seen: ['queen', 'eggs'], keeper: 4, helpers: [1, 2] },
    { number: 'AH-004', state: 'weak', keeper: 1 },
  );
});
afterAll(() => drop());

describe('search', () => {
  test.each<[string, string[]]>([
    ['h-0042', ['H-0042']],
    ['H-0', ['H-0042', 'H-0420', 'AH-004']],
    ['04', []],
    ['042', ['H-0042', 'H-0420']],
    ['vale', ['Ida Vale']],
    ['100 %', ['100 % Élise']],
    ['%', []],
    ['_', []],
    ["o'h", ["O'Hare"]],
    ['Tom Orin', ['Tom Orrin']],
    ['Ida Valle', ['Ida Vale']],
    ['xyzw', []],
    ['', []],
  ])('“%s” finds %j', async (typed, titles) => {
    const records = await searchWorkspace(pool, await place.access(), typed, 5);
    expect(records.map(({ title }) => title).sort()).toEqual([...titles].sort());
  });

  test('says what was nearly meant as such', async () => {
    expect(await searchWorkspace(pool, await place.access(), 'Tom Orin', 5)).toMatchObject([
      { table: 'keepers', near: true },
    ]);
  });

  test('of several records of one name offers one condition', async () => {
    const [second] = await place.insert('keepers', { name: 'Tom Orrin' });
    const access = await place.access();
    const { suggestions } = await searchTable(pool, access, tableAt(access, 'hives'), 'tom orrin', 10);
    expect(suggestions.filter(({ field }) => field === 'keeper')).toHaveLength(1);
    await place.write('keepers', { remove: [second!.id] });
  });

  test.each<[string, [string, string, number][]]>([
    ['weak', [['State', 'weak', 2]]],
    ['calm', [['State', 'strong and calm', 1]]],
    ['queen', [['Seen', 'queen', 2]]],
    [
      'ida',
      [
        ['Keeper', 'Ida Vale', 2],
        ['Helpers', 'Ida Vale', 1],
        ['Entered by', 'Ida', 1],
      ],
    ],
    ["o'hare", [['Keeper', "O'Hare", 1]]],
    ['Tom Orin', [['Helpers', 'Tom Orrin', 2]]],
  ])('“%s” over a table offers conditions that hold', async (typed, offered) => {
    const access = await place.access();
    const table = tableAt(access, 'hives');
    const { suggestions } = await searchTable(pool, access, table, typed, 10);
    const found = await Promise.all(
      suggestions.map(async ({ label, value, filter }) => {
        const { expression, problems } = checkCondition(access.workspace.model, table.id, filter);
        expect(problems, filter).toEqual([]);
        return [label, value, await countRecords(pool, access, table, expression)];
      }),
    );
    for (const one of offered) expect(found).toContainEqual(one);
  });
});

describe('indexes of large tables', () => {
  const standing = async () =>
    (
      await pool.query<{ def: string }>(
        `select indexdef as def from pg_indexes where schemaname = $1 and tablename = 'hives' and starts_with(indexname, '_for_') order by 1`,
        [place.key],
      )
    ).rows.map(({ def }) => def);

  test('come with a view’s order and for searching, serve both, and go when nothing asks for them', async () => {
    await pool.query(
      `insert into "${place.key}".hives (number) select 'N-' || i from generate_series(1, 25000) i; analyze "${place.key}".hives`,
    );
    // Applying a plan begins it by itself; who is second leaves it to the first.
    const kept = async () => (await keepIndexes(pool, await place.access()), (await standing()).length);
    await place.change({ do: 'addPart', kind: 'view', table: 'hives', part: { label: 'By number', sort: '-number' } });
    await expect.poll(kept).toBe(3);
    const all = await standing();
    expect(all.join()).toContain('gin_trgm_ops');
    expect(all.join()).toMatch(/number COLLATE (loom\.)?people DESC NULLS LAST, _id DESC/);
    const { rows } = await pool.query<{ 'QUERY PLAN': string }>(
      `explain select r._id from "${place.key}".hives r order by r.number collate loom.people desc nulls last, r._id desc limit 10`,
    );
    expect(rows.map((row) => row['QUERY PLAN']).join()).toContain('Index');
    expect((await searchWorkspace(pool, await place.access(), 'N-2499', 5)).length).toBe(5);
    // A view that goes takes its index along; a table that shrinks, all of them.
    const id = partsOf(tableAt(await place.access(), 'hives'), 'view')[0]?.id ?? '';
    await place.change({ do: 'removePart', kind: 'view', table: 'hives', part: id });
    await expect.poll(kept).toBe(2);
    await pool.query(`delete from "${place.key}".hives where number like 'N-%'`);
    await pool.query(`vacuum analyze "${place.key}".hives`);
    await expect.poll(kept).toBe(0);
  });

  test('give way, while they are built, to a change of the structure', async () => {
    const far = await makePlace(pool, ida, 'Far');
    await far.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
    await pool.query(
      `insert into "${far.key}".hives (number) select 'N-' || i from generate_series(1, 3000) i; analyze "${far.key}".hives`,
    );
    // Somebody reads for long: whoever builds an index waits for them at its end, and would keep the table meanwhile.
    const reader = await pool.connect();
    try {
      await reader.query(`begin isolation level repeatable read; select 1 from "${far.key}".hives`);
      const building = keepIndexes(pool, await far.access());
      await expect
        .poll(async () => (await pool.query(`select from pg_stat_progress_create_index`)).rowCount)
        .toBeGreaterThan(0);
      const began = Date.now();
      await far.change({ do: 'addTable', label: 'Others', fields: [text('Name')] });
      await building;
      expect(Date.now() - began).toBeLessThan(5_000);
    } finally {
      await reader.query('rollback');
      reader.release();
    }
    const valid = async () => {
      await keepIndexes(pool, await far.access());
      return (
        await pool.query(
          `select from pg_index where indrelid = '"${far.key}".hives'::regclass and indisvalid and not indisprimary`,
        )
      ).rowCount;
    };
    await expect.poll(valid).toBe(2);
  });
});
