import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Pool } from '$server/database/pool';
import type { Refusal } from '$server/base/refusal';
import { undoOwn } from '$server/history/ownSteps';
import { planUndo } from '$server/history/undo';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let home: Place;
let serial = 0;

beforeAll(async () => ({ pool, drop } = await freshDatabase('undo')));
afterAll(() => drop());
beforeEach(async () => {
  home = await makePlace(pool, await makePerson(pool, `Ida${++serial}`), `Undo ${serial}`);
  await home.change(
    { do: 'addTable', label: 'Hives', fields: [text('Number'), text('State')] },
    { do: 'addTable', label: 'Visits', fields: [text('Day')] },
  );
});

const refusal = (work: Promise<unknown>) =>
  work.then(
    () => null,
    (error: Refusal) => ({ ...error.problem, ...error.details }) as Record<string, unknown>,
  );
const option = (...labels: string[]) => ({ type: 'option' as const, options: labels.map((label) => ({ label })) });

describe('an early change under a later one on the same thing', () => {
  const cases: Record<string, [() => Promise<number>, () => Promise<unknown>]> = {
    'of a field’s type': [
      () => home.change({ do: 'changeField', table: 'hives', field: 'state', set: { ...option('calm', 'wild') } }),
      async () => {
        await home.change({ do: 'changeField', table: 'hives', field: 'state', set: { type: 'text' } });
        await home.change({ do: 'changeField', table: 'hives', field: 'state', set: { ...option('calm') } });
      },
    ],
    'of a field’s label': [
      () => home.change({ do: 'changeField', table: 'hives', field: 'state', set: { label: 'Temper' } }),
      () => home.change({ do: 'changeField', table: 'hives', field: 'state', set: { label: 'Mood' } }),
    ],
    'that made a field which was changed since': [
      () => home.change({ do: 'addField', table: 'hives', field: text('Note') }),
      () => home.change({ do: 'changeField', table: 'hives', field: 'note', set: { type: 'number' } }),
    ],
    'that made a table which got another field': [
      () => home.change({ do: 'addTable', label: 'Boxes', fields: [text('Name')] }),
      () => home.change({ do: 'addField', table: 'boxes', field: text('Size') }),
    ],
  };
  test.each(Object.entries(cases))(
    '%s is refused, with what stands in the way, and changes nothing',
    async (_, [early, later]) => {
      const batch = await early();
      await later();
      const before = (await home.access()).workspace.model;
      const refused = await refusal(home.undo(batch));
      expect(refused?.message).toMatch(/later changes? stands? on this one/);
      expect(refused?.standing).toBeInstanceOf(Array);
      expect((await home.access()).workspace.model).toEqual(before);
      expect(await planUndo(pool, await home.access(), batch)).toMatchObject({
        possible: false,
        standing: [
          expect.objectContaining({ by: home.person.name }),
          ...Array<unknown>((refused?.standing as unknown[]).length - 1).fill(expect.anything()),
        ],
      });
    },
  );

  test('on other things it is undone by itself', async () => {
    const batch = await home.change({ do: 'changeField', table: 'hives', field: 'state', set: { label: 'Temper' } });
    await home.change(
      { do: 'changeField', table: 'hives', field: 'number', set: { label: 'No' } },
      { do: 'changeField', table: 'hives', field: 'state', set: { required: false, help: 'how it is' } },
    );
    await home.undo(batch);
    expect(
      (await home.access()).workspace.model.tables[0]?.fields.slice(0, 2).map(({ label, help }) => [label, help]),
    ).toEqual([
      ['No', ''],
      ['State', 'how it is'],
    ]);
  });
});

test('what stands in the way in a linked workspace is named to its members alone', async () => {
  const other = await makePlace(pool, await makePerson(pool, `Wren${serial}`), `Next door ${serial}`);
  const batch = await home.change({ do: 'changeField', table: 'hives', field: 'state', set: { label: 'Temper' } });
  await other.change({ do: 'addTable', label: 'Boxes', fields: [text('Name')] });
  const theirs = (await other.access()).workspace.id;
  // As a change of the linked workspace that reached this one has it.
  await pool.query(
    `insert into loom.batches (workspace, person, kind, title, changes, inverse, version)
     select $2, $3, kind, 'a secret of theirs', changes, inverse, version from loom.batches where id = $1`,
    [batch, theirs, other.person.id],
  );
  await pool.query('update loom.workspaces set peers = array[$2::int], version = version + 1 where id = $1', [
    (await home.access()).workspace.id,
    theirs,
  ]);
  const stranger = (await planUndo(pool, await home.access(), batch)).standing;
  expect(stranger).toMatchObject([{ title: 'a change in a linked workspace', by: 'somebody there' }]);
  expect(JSON.stringify(await refusal(home.undo(batch)))).not.toMatch(/secret|Wren/);
  await join(pool, await other.access(), home.person, 'reader');
  expect((await planUndo(pool, await home.access(), batch)).standing).toMatchObject([
    { title: 'a secret of theirs', by: other.person.name },
  ]);
});

describe('an undo is looked at before it is done', () => {
  test('with the records by table and the changes of structure', async () => {
    const made = await home.insert('hives', { number: 'A' }, { number: 'B' });
    const { batch } = await home.write('hives', { update: made.map(({ id }) => ({ id, values: { number: 'C' } })) });
    expect(await planUndo(pool, await home.access(), batch)).toMatchObject({
      possible: true,
      effects: [],
      records: [{ table: 'hives', changed: 2, back: 0, deleted: 0 }],
    });
    const plan = await home.change({ do: 'addField', table: 'visits', field: text('Note') });
    const shown = await planUndo(pool, await home.access(), plan);
    expect(shown.effects).toHaveLength(1);
    expect(await home.values('hives', 'number')).toEqual(['C', 'C']);
  });
});

describe('undo by key', () => {
  const own = async (within: string, ask = true) => {
    const access = await home.access();
    return undoOwn(pool, access, { ask, within: access.workspace.model.tables.find(({ key }) => key === within)!.id });
  };

  test('undoes what was done in this table, though something was done elsewhere since', async () => {
    const [hive] = await home.insert('hives', { number: 'A' });
    await home.write('hives', { update: [{ id: hive!.id, values: { number: 'B' } }] });
    await home.insert('visits', { day: 'today' });
    await own('hives');
    expect(await home.values('hives', 'number')).toEqual(['A']);
    expect(await home.values('visits', 'day')).toEqual(['today']);
  });

  test('says what and where, and does nothing, where the last edit is in another table', async () => {
    await home.insert('visits', { day: 'today' });
    const refused = await refusal(own('hives'));
    expect(refused?.message).toContain('Your last edit is in Visits');
    expect(refused?.undo).toMatchObject({ elsewhere: ['Visits'] });
    expect(await home.values('visits', 'day')).toEqual(['today']);
  });

  test('asks where it concerns more than one record', async () => {
    await home.insert('hives', { number: 'A' }, { number: 'B' }, { number: 'C' });
    expect(await refusal(own('hives'))).toMatchObject({ undo: { records: 3 } });
    expect(await home.values('hives', 'number')).toHaveLength(3);
    await own('hives', false);
    expect(await home.values('hives', 'number')).toEqual([]);
  });
});
