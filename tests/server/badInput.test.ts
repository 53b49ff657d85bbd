import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { tableAt, type Person } from '$server/access/workspaceAccess';
import { changesSchema, type ChangeJson } from '$server/api/changes/changes';
import type { Pool } from '$server/database/pool';
import { applyPlan } from '$server/structure/plan';
import { effectWords, removalOf } from '$server/records/removal';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, Place, text } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let home: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('badinput'));
  ida = await makePerson(pool, 'Ida');
  home = await makePlace(pool, ida, 'Bad input');
  await home.change(
    { do: 'addTable', label: 'Apiaries', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [text('Number'), { label: 'Apiary', type: 'link', to: 'apiaries', onDelete: 'remove' }, text('Notes')],
    },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Hive', type: 'link', to: 'hives', onDelete: 'remove' },
      ],
    },
    {
      do: 'addTable',
      label: 'Counts',
      fields: [
        { label: 'Mites', type: 'number' },
        { label: 'Visit', type: 'link', to: 'visits', onDelete: 'remove' },
      ],
    },
  );
  await home.insert('apiaries', { name: 'Low Meadow' }, { name: 'Fell Gate' });
  await home.insert(
    'hives',
    { number: 'A', apiary: 1 },
    { number: 'A', apiary: 1, notes: 'calm' },
    { number: 'B', apiary: 1 },
  );
  await home.insert(
    'visits',
    { day: '2026-05-01', hive: 1 },
    { day: '2026-05-02', hive: 2 },
    { day: '2026-05-03', hive: 3 },
  );
  await home.insert('counts', { mites: 3, visit: 1 }, { mites: 4, visit: 2 });
});
afterAll(() => drop());

const long = 'hive '.repeat(40).trim();
const field = (label: string, key?: string): ChangeJson => ({
  do: 'addField',
  table: 'hives',
  field: text(label, key === undefined ? {} : { key }),
});

/** Plans a change and gives why it cannot be made: refused at once, or by what the plan says. */
async function why(...changes: ChangeJson[]): Promise<string> {
  return home.plan(...changes).then(
    ({ effects }) =>
      effects.flatMap(({ breaks }) => breaks.map(({ message, fix }) => `${message} ${fix ?? ''}`)).join(' ') ||
      'possible',
    (error: { message: string; problem?: { fix?: string } }) => `${error.message} ${error.problem?.fix ?? ''}`,
  );
}

describe('a change that cannot be read says what is wrong with it, and where', () => {
  test.each<[string, object, string, string]>([
    ['no kind', { table: 'hives' }, '“[0].do” is required', '0.do'],
    ['a kind that is none', { do: 'addView', table: 'hives' }, '“[0].do” must be one of [addTable, ', '0.do'],
    ['a name that every object has', { do: 'constructor', table: 'hives' }, '“[0].do” must be one of', '0.do'],
    ['no object at all', 5 as never, '“[0]” must be of type object', '0'],
    [
      'a member of the wrong type',
      { do: 'moveField', table: 'hives', field: 'notes', to: 'up' },
      'must be a number',
      '0.to',
    ],
    ['a member too many', { do: 'removeTable', table: 'hives', also: 1 }, '“[0].also” is not allowed', '0.also'],
    [
      'a part of no kind',
      { do: 'addPart', kind: 'nothing', table: 'hives', part: {} },
      'must be one of [view, form, feed, document, routine, role, summary, language]',
      '0.kind',
    ],
    [
      'something within a part',
      { do: 'addPart', kind: 'view', table: 'hives', part: { label: 'A', sort: 5 } },
      '“[0].part.sort” must be a string',
      '0.part.sort',
    ],
    [
      'a rule of both sorts',
      { do: 'addRule', table: 'hives', message: 'A', condition: 'true', unique: ['a', 'b'] },
      'conflict',
      '0',
    ],
  ])('%s', (_, change, words, at) => {
    const { error } = changesSchema.validate([change]);
    expect([error?.message.replace(/"([^"]*)"/g, '“$1”'), error?.details[0]?.path.join('.')]).toEqual([
      expect.stringContaining(words),
      at,
    ]);
  });
});

describe('names', () => {
  test.each<[string, ChangeJson, string]>([
    ['a reserved word as a key', field('Plain', 'select'), 'is a word of the formula language'],
    ['a key of 200 characters', field('Plain', 'k'.repeat(200)), '200 characters; 63 is the most'],
    ['an emoji as a key', field('Plain', '🐝'), 'is no key: small letters, digits and _ only'],
    ['capitals in a key', field('Plain', 'Weight Kg'), 'Use “weight_kg”'],
    ['a key that another field has', field('Plain', 'number'), 'number'],
    ['a label that another field has', field('Number'), 'Number'],
    ['the same label in other letters and accents', field('NÚMBER'), 'possible'],
    ['a label of nothing but spaces', field('   '), 'The label is empty'],
    ['a label of 200 characters', field(long), '120'],
    ['a reserved label', field('Order'), 'possible'],
    ['an emoji as a label', field('🐝'), 'possible'],
    ['a name of the system', field('Plain', 'created'), 'created'],
    ['a table that is called like another', { do: 'addTable', label: 'Hives', fields: [] }, 'Hives'],
  ])('%s', async (_, change, words) => {
    expect(await why(change)).toContain(words);
  });

  test('that are equal once they are keys get keys of their own, none of them a reserved word', async () => {
    const labels = ['Order', 'order!', 'Ordér', '🐝', '🐞', '1st', long.slice(0, 110), `${long.slice(0, 110)}!`];
    await home.change(...labels.map((label) => field(label)));
    const keys = tableAt(await home.access(), 'hives').fields.filter((one) => labels.includes(one.label));
    expect(new Set(keys.map(({ key }) => key)).size).toBe(labels.length);
    for (const { key } of keys) expect(key).toMatch(/^[a-z][a-z0-9_]{0,62}$/);
    expect(keys.map(({ key }) => key)).not.toContain('order');
    const [made] = await home.insert('hives', Object.fromEntries(keys.map(({ key }, index) => [key, `v${index}`])));
    expect(keys.map(({ key }) => made?.values[key])).toEqual(labels.map((_, index) => `v${index}`));
    await home.write('hives', { remove: [made!.id] });
  });
});

describe('rules over what stands already', () => {
  test('a field that must be filled counts and lists its blanks', async () => {
    const plan = await home.plan({ do: 'changeField', table: 'hives', field: 'notes', set: { required: true } });
    expect(plan.possible).toBe(false);
    expect(plan.effects[0]).toMatchObject({
      broken: {
        count: 2,
        records: [
          { id: 1, title: 'A' },
          { id: 3, title: 'B' },
        ],
      },
      ways: ['fromNow', 'fill'],
    });
    expect(await home.refused(applyPlan(pool, await home.access(), plan.id))).toContain('2 records have “Notes” blank');
  });

  test('a field that must be unique says which value stands how often, and lists the records', async () => {
    const plan = await home.plan({ do: 'changeField', table: 'hives', field: 'number', set: { unique: true } });
    expect(plan.effects[0]?.breaks[0]?.message).toContain('A (2 times)');
    expect(plan.effects[0]?.broken).toMatchObject({ count: 1, records: [{ id: 2 }] });
  });

  test('what breaks a plan meanwhile is refused by the database, in the person’s words', async () => {
    const plan = await home.plan({ do: 'changeField', table: 'apiaries', field: 'name', set: { unique: true } });
    const [twin] = await home.insert('apiaries', { name: 'Fell Gate' });
    expect(await home.refused(applyPlan(pool, await home.access(), plan.id))).toContain(
      'Name must be unique, and “Fell Gate” is taken.',
    );
    await home.write('apiaries', { remove: [twin!.id] });
    await applyPlan(pool, await home.access(), plan.id);
  });
});

test('a deletion that would empty three tables is counted first, table by table', async () => {
  const access = await home.access();
  const removal = await removalOf(pool, access, tableAt(access, 'apiaries'), [1]);
  expect(removal.remove.map(({ table, ids }) => [table.label, ids.length])).toEqual([
    ['Apiaries', 1],
    ['Hives', 3],
    ['Visits', 3],
    ['Counts', 2],
  ]);
  expect(removal.effects.map(effectWords)).toEqual([
    '3 records of Hives are deleted with it, as “Apiary” says',
    '3 records of Visits are deleted with it, as “Hive” says',
    '2 records of Counts are deleted with it, as “Visit” says',
  ]);
  const { batch } = await home.write('apiaries', { remove: [1] });
  for (const table of ['hives', 'visits', 'counts']) expect(await home.values(table, 'id')).toEqual([]);
  await home.undo(batch);
  expect(await home.values('counts', 'mites')).toEqual([3, 4]);
  expect(await home.values('visits', 'hive')).toMatchObject([{ id: 1 }, { id: 2 }, { id: 3 }]);
});

describe('what one may not see or do', () => {
  test('a link into a workspace that one is no member of, or may only read', async () => {
    const tom = await makePerson(pool, 'Tom');
    const theirs = await makePlace(pool, tom, 'Theirs');
    await theirs.change({ do: 'addTable', label: 'Lots', fields: [text('Number')] });
    const link: ChangeJson = {
      do: 'addField',
      table: 'hives',
      field: { label: 'Lot', type: 'link', to: 'theirs.lots' },
    };
    expect(await why(link)).not.toContain('possible');
    expect(await why(link)).not.toContain('Number');
    await join(pool, await theirs.access(), ida, 'reader');
    expect(await why(link)).toContain('Your role here is reader');
  });

  test('a plan by somebody who may not design, and a plan of another workspace', async () => {
    const reader = await makePerson(pool, 'Una');
    await join(pool, await home.access(), reader, 'editor');
    const una = new Place(pool, home.key, reader);
    expect(await una.refused(una.plan(field('Plain')))).toContain('Your role here is editor');
    const plan = await home.plan(field('Plain'));
    expect(await una.refused(applyPlan(pool, await una.access(), plan.id))).toContain('Your role here is editor');
    const other = await makePlace(pool, ida, 'Another');
    expect(await other.refused(applyPlan(pool, await other.access(), plan.id))).toContain('plan');
  });

  test.each<[string, ChangeJson, string]>([
    ['a table that is not there', { do: 'removeTable', table: 'hivs' }, 'There is no table “hivs”. Tables are'],
    ['a field that is not there', { do: 'removeField', table: 'hives', field: 'numbr' }, 'number'],
    [
      'a link to nowhere',
      { do: 'addField', table: 'hives', field: { label: 'To', type: 'link', to: 'nowhere' } },
      'nowhere',
    ],
    ['a field of the system', { do: 'removeField', table: 'hives', field: 'created' }, 'system'],
    [
      'a circle of calculation',
      { do: 'addField', table: 'hives', field: { label: 'Round', type: 'formula', formula: 'round + 1' } },
      'calculated from itself',
    ],
    ['options on a number', { do: 'addOption', table: 'counts', field: 'mites', label: 'many' }, 'option'],
    [
      'a text of no length',
      { do: 'changeField', table: 'hives', field: 'number', set: { type: 'text', maxLength: 0 } },
      'length',
    ],
    [
      'a rating of 200 stars',
      { do: 'addField', table: 'hives', field: { label: 'Stars', type: 'rating', most: 200 } },
      '',
    ],
    [
      'a money without digits to its name',
      { do: 'addField', table: 'hives', field: { label: 'Price', type: 'money', currency: 'euro' } },
      '',
    ],
    [
      'a numbering without a place for the number',
      { do: 'addField', table: 'hives', field: { label: 'No', type: 'runningNumber', pattern: 'H' } },
      '{0',
    ],
  ])('%s', async (_, change, words) => {
    const said = await why(change);
    expect(said).not.toBe('possible');
    expect(said).toContain(words);
  });
});
