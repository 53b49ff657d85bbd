import { beforeEach, describe, expect, test } from 'vitest';
import { tableAt } from '$server/access/workspaceAccess';
import { listOfValues } from '$server/structure/listOfValues';
import type { Pool } from '$server/database/pool';
import { fixSetAside } from '$server/entry/setAside';
import { correctIntake } from '$server/intake/intakes';
import { intaking } from './intaking';
import { Place, text } from './place';

const { place, newAccess, again, bring, load } = intaking('lists');
let pool: Pool;
let home: Place;

beforeEach(async () => {
  const access = await newAccess();
  pool = place.pool;
  home = new Place(pool, access.workspace.key, place.ida);
});

const options = async (table: string, key: string) => {
  const { type } = tableAt(await home.access(), table).fields.find((field) => field.key === key)!;
  return type.kind === 'option' || type.kind === 'options' ? type.options.map(({ label }) => label) : type.kind;
};
const list = async (table: string, key: string, several = false) => {
  const access = await home.access();
  const at = tableAt(access, table);
  return listOfValues(
    pool,
    access,
    at,
    at.fields.find((field) => field.key === key)!,
    several,
  );
};
const setAside = async () =>
  (
    await pool.query<{ text: string }>('select text from loom.open_set_aside where workspace = $1 order by id', [
      (await home.access()).workspace.id,
    ])
  ).rows.map((row) => row.text);

describe('a field of texts that becomes a list of options', () => {
  beforeEach(async () => {
    await home.change({ do: 'addTable', label: 'Hives', fields: [text('Number'), text('Mood')] });
    const moods = ['calm', 'calm', 'calm', 'Calm', ' calm', 'wild', 'wild', 'callm', 'wild, calm', null];
    await home.insert('hives', ...moods.map((mood, n) => ({ number: String(n), mood })));
  });

  test('gets the values that stand, the most frequent first, with counts, and what may be the same is said', async () => {
    expect(await list('hives', 'mood')).toEqual({
      values: [
        { label: 'calm', count: 5, near: null },
        { label: 'wild', count: 2, near: null },
        { label: 'callm', count: 1, near: 'calm' },
        { label: 'wild, calm', count: 1, near: null },
      ],
      left: 0,
    });
    expect((await list('hives', 'mood', true)).values.map(({ label, count }) => [label, count])).toEqual([
      ['calm', 6],
      ['wild', 3],
      ['callm', 1],
    ]);
  });

  test('is filled with them where the change names none, and nothing is set aside', async () => {
    const batch = await home.change({ do: 'changeField', table: 'hives', field: 'mood', set: { type: 'option' } });
    expect(await options('hives', 'mood')).toEqual(['calm', 'wild', 'callm', 'wild, calm']);
    expect((await home.values('hives', 'mood')).slice(0, 6)).toEqual(['calm', 'calm', 'calm', 'calm', 'calm', 'wild']);
    expect(await setAside()).toEqual([]);
    await home.undo(batch);
    expect((await home.values('hives', 'mood')).slice(3, 5)).toEqual(['Calm', ' calm']);
  });

  test('joins spellings that were said to be the same, and comes back whole', async () => {
    const plan = {
      do: 'changeField' as const,
      table: 'hives',
      field: 'mood',
      set: { type: 'option' as const, options: [{ label: 'calm', also: ['callm', 'Wild, calm'] }, 'wild'] },
    };
    expect((await home.plan(plan)).effects[0]?.counts).toContainEqual({ what: 'values set aside', count: 0 });
    const batch = await home.change(plan);
    expect(await home.values('hives', 'mood')).toEqual([
      'calm',
      'calm',
      'calm',
      'calm',
      'calm',
      'wild',
      'wild',
      'calm',
      'calm',
      null,
    ]);
    await home.undo(batch);
    expect((await home.values('hives', 'mood')).slice(7, 9)).toEqual(['callm', 'wild, calm']);
    await home.change({ do: 'changeField', table: 'hives', field: 'mood', set: { type: 'options' } });
    expect(await options('hives', 'mood')).toEqual(['calm', 'wild', 'callm']);
    expect((await home.values('hives', 'mood'))[8]).toEqual(['calm', 'wild']);
  });
});

test('a list that becomes a table keeps what no record uses, and its order; from there it becomes the same list again', async () => {
  const labels = ['north', 'east', 'unused', 'south', 'a west'];
  await home.change({
    do: 'addTable',
    label: 'Hives',
    fields: [text('Number'), { label: 'Side', type: 'option', options: labels }],
  });
  await home.insert(
    'hives',
    { number: '1', side: 'south' },
    { number: '2', side: 'a west' },
    { number: '3', side: 'north' },
    { number: '4' },
  );
  const plan = await home.plan({ do: 'optionsToTable', table: 'hives', field: 'side', label: 'Sides' });
  expect(plan.effects.flatMap(({ counts }) => counts)).toContainEqual({
    what: 'new records of Sides, for 3 values',
    count: labels.length,
  });
  await home.change({ do: 'optionsToTable', table: 'hives', field: 'side', label: 'Sides' });
  expect(await home.values('sides', 'name')).toEqual(labels);
  await home.change({ do: 'linkToOption', table: 'hives', field: 'side' });
  expect(await options('hives', 'side')).toEqual(labels);
  expect(await home.values('hives', 'side')).toEqual(['south', 'a west', 'north', null]);
  expect(await setAside()).toEqual([]);
});

test('a link to many becomes a list of several, with the records that no one links', async () => {
  await home.change(
    { do: 'addTable', label: 'Plants', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Apiaries',
      fields: [text('Name'), { label: 'Forage', type: 'link', to: 'plants', many: true }],
    },
  );
  await home.insert('plants', { name: 'lime' }, { name: 'clover' }, { name: 'heather' });
  await home.insert('apiaries', { name: 'Low', forage: [1, 3] }, { name: 'Fell' });
  await home.change({ do: 'linkToOption', table: 'apiaries', field: 'forage' });
  expect(await options('apiaries', 'forage')).toEqual(['lime', 'clover', 'heather']);
  expect(await home.values('apiaries', 'forage')).toEqual([['lime', 'heather'], null]);
});

test('texts that found no record come back when the link becomes text', async () => {
  await home.change(
    { do: 'addTable', label: 'Shelves', fields: [text('Name')] },
    { do: 'addTable', label: 'Items', fields: [text('Name'), text('Shelf')] },
  );
  await home.insert('shelves', { name: 'Left' });
  await home.insert(
    'items',
    { name: 'Saw', shelf: 'Left' },
    { name: 'Axe', shelf: 'Nowhere' },
    { name: 'Rope', shelf: 'Cellar' },
  );
  await home.change({ do: 'textToLink', table: 'items', field: 'shelf', to: 'shelves' });
  expect(await setAside()).toEqual(['Nowhere', 'Cellar']);
  const back = await home.change({ do: 'linkToText', table: 'items', field: 'shelf' });
  expect(await home.values('items', 'shelf')).toEqual(['Left', 'Nowhere', 'Cellar']);
  expect(await setAside()).toEqual([]);
  await home.undo(back);
  expect(await setAside()).toEqual(['Nowhere', 'Cellar']);
});

describe('a list that people may add to', () => {
  const moods = ['calm', 'wild'];
  beforeEach(async () => {
    await home.change({
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number', { unique: true }),
        { label: 'Mood', type: 'option', options: moods, open: true },
        { label: 'Tags', type: 'options', options: ['a'], open: true },
      ],
    });
  });

  test('grows when what was set aside is corrected, tried first', async () => {
    await home.change({ do: 'changeField', table: 'hives', field: 'mood', set: { type: 'text' } });
    await home.insert(
      'hives',
      { number: '1', mood: 'calm' },
      { number: '2', mood: 'grumpy' },
      { number: '3', mood: 'Grumpy' },
    );
    await home.change({
      do: 'changeField',
      table: 'hives',
      field: 'mood',
      set: { type: 'option', options: moods, open: true },
    });
    expect(await setAside()).toEqual(['grumpy', 'Grumpy']);
    const fix = { do: 'read', reading: { decimal: '.', dateOrder: 'ymd' } } as const;
    expect(await fixSetAside(pool, await home.access(), 'hives', 'mood', fix, true)).toMatchObject({
      fixed: 2,
      left: 0,
    });
    expect(await options('hives', 'mood')).toEqual(moods);
    expect(await fixSetAside(pool, await home.access(), 'hives', 'mood', fix)).toMatchObject({ fixed: 2, left: 0 });
    expect(await options('hives', 'mood')).toEqual([...moods, 'grumpy']);
    expect(await home.values('hives', 'mood')).toEqual(['calm', 'grumpy', 'grumpy']);
  });

  test('grows when a file comes in, says so, and shrinks again with its undo', async () => {
    await home.insert('hives', { number: '1', mood: 'calm' });
    const bytes = 'Number,Mood,Tags\n1,wild,a\n2,sleepy,a; b\n3,Sleepy,c\n4,,\n';
    await again();
    const brought = await bring({ name: 'hives.csv', bytes });
    await correctIntake(pool, place.access, brought.id, {
      tables: { '0': { into: 'hives', by: ['number'], mode: 'both' } },
      columns: {},
    });
    const intake = await load(brought.id);
    expect(intake.problem).toBeNull();
    expect(intake.receipt?.sheets[0]).toMatchObject({
      setAside: 0,
      refused: 0,
      newOptions: [
        { field: 'Mood', options: ['sleepy'] },
        { field: 'Tags', options: ['b', 'c'] },
      ],
    });
    expect(await home.values('hives', 'mood')).toEqual(['wild', 'sleepy', 'sleepy', null]);
    expect(await home.values('hives', 'tags')).toEqual([['a'], ['a', 'b'], ['c'], null]);
    await home.undo(intake.batch!);
    expect(await options('hives', 'mood')).toEqual(moods);
    expect(await home.values('hives', 'mood')).toEqual(['calm']);
  });
});
