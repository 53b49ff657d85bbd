import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { authorize, tableAt, type Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { Presence } from '$server/live/presence';
import { findingsOf } from '$server/health/findings';
import { keptPlaces } from '$server/workspaces/home';
import { recordHistory } from '$server/records/recordHistory';
import { addView, noteVisit, setFavourite } from '$server/structure/views';
import { readHistory } from '$server/history/undo';
import { writeRecords } from '$server/entry/write';
import { changeWorkspace, deletedWorkspaces, ledgerOf } from '$server/workspaces/workspaces';
import { viewOfAll } from '$core/views/view';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let tom: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('home'));
  [ida, tom] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Tom')];
  place = await makePlace(pool, ida, 'Bees');
  await join(pool, await place.access(), tom, 'reader');
  await place.change(
    { do: 'addTable', label: 'Apiaries', fields: [text('Name', { unique: true })] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number'),
        text('Apiary name'),
        text('Colour'),
        { label: 'Weight', type: 'number', digits: 1 },
        { label: 'State', type: 'option', options: ['weak', 'strong', 'gone'] },
      ],
    },
  );
});
afterAll(() => drop());

describe('Home', () => {
  test('has where one left off and what one keeps, each person for themselves', async () => {
    const access = await place.access();
    const hives = tableAt(access, 'hives');
    await noteVisit(pool, access, hives);
    await setFavourite(pool, access, { kind: 'table', target: tableAt(access, 'apiaries').id }, true);
    const own = await addView(pool, access, hives, { ...viewOfAll(), label: 'Mine' }, { personal: true });
    await setFavourite(pool, access, { kind: 'view', target: own.id }, true);
    await setFavourite(pool, access, { kind: 'view', target: `${hives.id}:all` }, true);
    await setFavourite(pool, access, { kind: 'workspace', target: 'all' }, true);
    const { recent, favourites } = await keptPlaces(pool, ida);
    expect(recent.map(({ label, href }) => [label, href])).toEqual([['Hives', '/w/bees/t/hives']]);
    expect(favourites.map(({ href }) => href).sort()).toEqual([
      '/w/bees',
      '/w/bees/t/apiaries',
      '/w/bees/t/hives',
      `/w/bees/t/hives?view=${own.id}`,
    ]);
    expect(await keptPlaces(pool, tom)).toEqual({ recent: [], favourites: [] });
    // What goes to the bin is passed over, and there again when it comes back.
    const batch = await place.change({ do: 'removeTable', table: 'apiaries' });
    expect((await keptPlaces(pool, ida)).favourites).toHaveLength(3);
    await place.undo(batch);
    expect((await keptPlaces(pool, ida)).favourites).toHaveLength(4);
  });

  test('puts a workspace out of sight or in the bin, for its administrators, and brings it back', async () => {
    const names = async (person: Person) =>
      (await ledgerOf(pool, person)).map(({ key, archived, others }) => [key, archived, others]);
    expect(await names(tom)).toEqual([['bees', false, 1]]);
    expect(await place.refused(changeWorkspace(pool, tom, 'bees', { archived: true }))).toContain(
      'no workspace here that you administer',
    );
    await changeWorkspace(pool, ida, 'bees', { archived: true, label: 'All bees' });
    expect(await names(ida)).toEqual([['bees', true, 1]]);
    await changeWorkspace(pool, ida, 'bees', { archived: false, deleted: true });
    expect([await names(ida), await names(tom)]).toEqual([[], []]);
    expect(await place.refused(authorize(pool, tom, 'bees', 'see'))).toContain('workspace');
    expect([
      (await deletedWorkspaces(pool, ida)).map(({ label }) => label),
      await deletedWorkspaces(pool, tom),
    ]).toEqual([['All bees'], []]);
    await changeWorkspace(pool, ida, 'bees', { deleted: false });
    expect(await names(tom)).toEqual([['bees', false, 1]]);
  });
});

describe('Health', () => {
  const kinds = async (table: string) => {
    const access = await place.access();
    return (await findingsOf(pool, access, tableAt(access, table))).map(({ kind, field, count }) => [
      kind,
      field,
      count,
    ]);
  };

  test('finds what is wrong with what stands in a table, and no longer once it is fixed', async () => {
    expect(await kinds('hives')).toEqual([]);
    const apiaries = ['Low Meadow', 'Fell Gate', 'Mill Race', 'Beck Side', 'Long Acre', 'Chapel Field'];
    await place.insert('apiaries', ...apiaries.map((name) => ({ name })));
    const made = await place.insert(
      'hives',
      ...Array.from({ length: 24 }, (_, index) => ({
        number: `H-${index === 5 ? 4 : index}`,
        apiary_name: index === 7 ? 'Lowmeadow' : apiaries[index % 6],
        weight: index < 3 ? null : index,
        state: index % 2 ? 'weak' : 'strong',
      })),
    );
    await place.change(
      { do: 'changeField', table: 'hives', field: 'weight', set: { required: 'fromNow' } },
      {
        do: 'addRule',
        table: 'hives',
        message: 'No hive weighs more than 20 kg.',
        condition: 'weight <= 20',
        fromNow: true,
      },
    );
    expect((await kinds('hives')).sort()).toEqual([
      ['broken rule', '', 3],
      ['link by text', 'apiary_name', 1],
      ['required blank', 'weight', 3],
      ['same title', 'number', 2],
      ['unused field', 'colour', 24],
      ['unused option', 'state', 1],
    ]);
    await place.write('hives', {
      update: [
        { id: made[5]!.id, values: { number: 'H-5' } },
        ...made.slice(0, 3).map(({ id }) => ({ id, values: { weight: 3 } })),
      ],
    });
    await place.write('hives', {
      update: made.slice(21).map(({ id }) => ({ id, values: { weight: 20, colour: 'green' } })),
    });
    expect((await kinds('hives')).map(([kind]) => kind).sort()).toEqual(['link by text', 'unused option']);
  });

  test('says a filter that gives the very records', async () => {
    const access = await place.access();
    const { countRecords } = await import('$server/query/read');
    const { checkCondition } = await import('$core/formula/checker');
    const table = tableAt(access, 'hives');
    for (const { filter, count, kind } of await findingsOf(pool, access, table)) {
      if (filter === null) continue;
      const { expression, problems } = checkCondition(access.workspace.model, table.id, filter);
      expect(problems, kind).toEqual([]);
      expect(await countRecords(pool, access, table, expression), kind).toBe(count);
    }
  });
});

test('the history of a workspace is asked for by table and by person', async () => {
  await join(pool, await place.access(), await makePerson(pool, 'Wren'), 'editor');
  const access = await place.access();
  const [wren] = (
    await pool.query<{ id: number; email: string; name: string }>(
      `select id, email, name from loom.people where name = 'Wren'`,
    )
  ).rows;
  const other = await authorize(pool, wren!, place.key, 'write');
  await writeRecords(pool, other, 'apiaries', { insert: [{ values: { name: 'By Wren' } }] });
  const titles = async (asked: Partial<Parameters<typeof readHistory>[2]>) =>
    (await readHistory(pool, access, { ...asked, limit: 50 })).items.map(({ title }) => title);
  expect(await titles({ person: wren!.id })).toEqual(['1 record made in Apiaries']);
  expect(await titles({ person: wren!.id, table: tableAt(access, 'hives') })).toEqual([]);
  const ofApiaries = await titles({ table: tableAt(access, 'apiaries') });
  expect(ofApiaries[0]).toBe('1 record made in Apiaries');
  expect(ofApiaries.some((title) => title.includes('Hives'))).toBe(false);
  expect((await titles({})).length).toBeGreaterThan(ofApiaries.length);
});

describe('the history of a record', () => {
  test('says each field from what to what, by today’s titles, and what was undone since', async () => {
    await place.change({ do: 'addField', table: 'hives', field: { label: 'Stands in', type: 'link', to: 'apiaries' } });
    const [hive] = await place.insert('hives', { number: 'H-900', stands_in: 1, weight: 4 });
    const edit = await place.write('hives', {
      update: [{ id: hive!.id, values: { stands_in: 2, state: 'weak', weight: 5 } }],
    });
    await place.write('apiaries', { update: [{ id: 2, values: { name: 'Fell Gate, upper' } }] });
    await place.undo(edit.batch);
    const access = await place.access();
    const steps = (await recordHistory(pool, access, tableAt(access, 'hives'), hive!.id, { limit: 10 })).items;
    expect(steps.map(({ how, kind, undone }) => [how, kind, undone])).toEqual([
      ['undo', 'changed', false],
      ['edit', 'changed', true],
      ['edit', 'made', false],
    ]);
    expect(steps[1]).toMatchObject({
      by: 'Ida',
      fields: [
        { field: 'weight', from: 4, to: 5 },
        { field: 'state', from: null, to: 'weak' },
        { field: 'stands_in', from: { id: 1, title: 'Low Meadow' }, to: { id: 2, title: 'Fell Gate, upper' } },
      ],
    });
  });

  test('of another workspace’s record is not given', async () => {
    const other = await makePlace(pool, ida, 'Elsewhere');
    const access = await place.access();
    expect(
      await recordHistory(
        pool,
        { ...access, workspace: { ...access.workspace, id: (await other.access()).workspace.id } },
        tableAt(access, 'hives'),
        1,
        { limit: 10 },
      ),
    ).toEqual({ items: [], next: null });
  });
});

test('who is where is told to those in the same workspace, and forgotten when they leave', () => {
  const presence = new Presence();
  const heard: string[][] = [];
  const stop = presence.subscribe(1, () =>
    heard.push(presence.in(1).map(({ name, record }) => `${name} ${record ?? ''}`)),
  );
  const at = { tab: 'a', person: 1, name: 'Ida', table: 't', field: null };
  presence.hear({ ...at, workspace: 1, record: 4 });
  presence.hear({ ...at, workspace: 2, tab: 'b', name: 'Tom', record: null });
  presence.hear({ ...at, workspace: 1, record: 5 });
  presence.hear({ ...at, workspace: 1, record: 5, gone: true });
  stop();
  presence.hear({ ...at, workspace: 1, record: 6 });
  expect(heard).toEqual([['Ida 4'], ['Ida 5'], []]);
  presence.stop();
});
