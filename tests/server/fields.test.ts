import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { fieldNamed } from '$core/model/model';
import { structureDifference } from '$core/changes/difference';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import { modelJson } from '$server/api/modelJson';
import { changesFromStructure } from '$server/api/changes/structureImport';
import { readChange } from '$server/api/changes/changes';
import { files } from '$server/database/catalogue';
import { catalogueOn, type Pool } from '$server/database/pool';
import { binOf, changesToRestore, restoreRecord } from '$server/history/bin';
import { candidatesOf } from '$server/query/candidates';
import { factsOf } from '$server/query/facts';
import { applyPlan, makePlan } from '$server/structure/plan';
import { readByIds } from '$server/query/read';
import { recalculate } from '$server/records/recalculate';
import { structureSql } from '$server/export/sqlExport';
import { allCalculated } from '$server/calculation/calculatedFields';
import { earlierStructure, structureAfter, structureSteps } from '$server/history/structureHistory';
import { withWorkspace } from '$server/access/lock';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, Place, text } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('fields'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

const place = (label: string) => makePlace(pool, ida, label);

describe('every kind of field', () => {
  const sent: Record<string, [object, unknown, unknown, string?]> = {
    text: [{ type: 'text', maxLength: 5 }, 'fell', 'fell'],
    long_text: [{ type: 'longText', markdown: true }, 'a\n*b*', 'a\n*b*'],
    number: [{ type: 'number', digits: 2, unit: 'kg' }, '12.50', 12.5],
    money: [{ type: 'money', currency: 'EUR' }, '3.20 EUR', 3.2],
    any_money: [
      { type: 'money', currency: null },
      { amount: '3.2', currency: 'GBP' },
      { amount: 3.2, currency: 'GBP' },
    ],
    percent: [{ type: 'percent', digits: 1 }, '12.5 %', 0.125],
    yes_no: [{ type: 'yesNo' }, 'ja', true],
    a_date: [{ type: 'date' }, '2026-05-16', '2026-05-16'],
    date_time: [{ type: 'dateTime' }, '2026-05-16T14:30:00+02:00', '2026-05-16T12:30:00Z'],
    duration: [{ type: 'duration' }, '1:30', 'PT1H30M'],
    option: [{ type: 'option', options: ['calm', 'wild'] }, 'Calm', 'calm'],
    options: [{ type: 'options', options: ['queen', 'eggs', 'cups'] }, ['cups', 'queen'], ['queen', 'cups']],
    member: [{ type: 'member' }, 'ida@alderfold.example', { id: expect.any(Number) as number, name: 'Ida' }],
    url: [{ type: 'url' }, 'alderfold.example', 'https://alderfold.example'],
    email: [{ type: 'email' }, 'ida@alderfold.example', 'ida@alderfold.example'],
    phone: [{ type: 'phone' }, '+00 555  0142', '+00 555 0142'],
    place: [{ type: 'place' }, 'fell gate', { address: 'Fell Gate', latitude: 54.6121, longitude: -2.9312 }],
    rating: [{ type: 'rating', most: 4 }, '★★★', 3],
    progress: [{ type: 'progress' }, '40 %', 0.4],
    files: [
      { type: 'files' },
      [{ file: 'b'.repeat(64), name: 'a.pdf', size: 3, type: 'application/pdf' }],
      [{ file: 'b'.repeat(64), name: 'a.pdf', size: 3, type: 'application/pdf' }],
    ],
    pictures: [
      { type: 'pictures' },
      [{ file: 'c'.repeat(64), name: 'a.png', size: 3, type: 'image/png' }],
      [{ file: 'c'.repeat(64), name: 'a.png', size: 3, type: 'image/png' }],
    ],
  };
  let home: Place;
  beforeAll(async () => {
    home = await place('Kinds');
    const fields = Object.entries(sent).map(([key, [type]]) => ({ label: key, key, ...type }) as never);
    // The two files count as sent, each as what it is; what sending them does is tried in files.test.ts.
    for (const letter of ['b', 'c'])
      await catalogueOn(pool)
        .insert(files)
        .values({
          workspace: (await home.access()).workspace.id,
          hash: letter.repeat(64),
          size: 3,
          type: letter === 'c' ? 'image/png' : 'application/pdf',
          sentBy: ida.id,
        });
    await home.change({
      do: 'addTable',
      label: 'Things',
      fields: [{ label: 'no', type: 'runningNumber', pattern: 'T-{year}-{00}' }, ...fields] as never,
    });
  });

  test('takes, stores and gives its value, alone and beside blanks', async () => {
    const values = Object.fromEntries(Object.entries(sent).map(([key, [, value]]) => [key, value]));
    const [made, blank] = await home.insert('things', values, {});
    for (const [key, [, , expected]] of Object.entries(sent)) {
      expect(made?.values[key], key).toEqual(expected);
      expect(blank?.values[key], key).toBeNull();
    }
    expect(String(made?.values.no)).toMatch(/^T-\d{4}-01$/);
    expect(made?.values.created_by).toMatchObject({ name: 'Ida' });
    // The same again changes nothing; another value does, and comes back.
    const same = await home.write('things', { update: [{ id: made!.id, version: made!.version, values }] });
    expect(same.records[0]?.version).toBe(made?.version);
    const { batch } = await home.write('things', {
      update: [{ id: made!.id, values: Object.fromEntries(Object.keys(sent).map((key) => [key, null])) }],
    });
    expect(await home.values('things', 'place')).toEqual([null, null]);
    await home.undo(batch);
    for (const [key, [, , expected]] of Object.entries(sent))
      expect((await home.values('things', key))[0], key).toEqual(expected);
  });

  test.each<[string, unknown, string]>([
    ['text', 'too long', 'most here'],
    ['number', '1.234', 'decimals'],
    ['money', '3 GBP', 'holds EUR'],
    ['any_money', '3', 'says no currency'],
    ['percent', '12.55 %', 'decimals'],
    ['date_time', '2026-05-16 25:00', 'on the clock'],
    ['duration', 'long', 'no duration'],
    ['options', ['queen', 'king'], 'none of the options'],
    ['member', 'Nobody', 'nobody of the Directory'],
    ['url', 'two words', 'no web address'],
    ['email', 'ida', 'no email address'],
    ['phone', '12', 'telephone number'],
    ['place', { latitude: 91, longitude: 0 }, 'no latitude'],
    ['rating', 5, 'outside 1 to 4'],
    ['progress', 1.2, 'share of a whole'],
    ['pictures', [{ file: 'b'.repeat(64), name: 'a.pdf', size: 3, type: 'application/pdf' }], 'no picture'],
    ['no', 'X-1', 'has not the shape'],
    ['created', '2026-05-16', 'kept by the system'],
  ])('%s refuses %j', async (key, value, message) => {
    expect(await home.refused(home.insert('things', { [key]: value }))).toContain(message);
  });

  test('running numbers go on behind those brought along, and are given once', async () => {
    const year = new Date().getFullYear();
    await home.insert('things', { no: `T-${year}-41` });
    const [next] = await home.insert('things', {});
    expect(next?.values.no).toBe(`T-${year}-42`);
    expect(await home.refused(home.insert('things', { no: `T-${year}-42` }))).toContain('must be unique');
  });

  test('has facts that are counted on what is stored', async () => {
    const access = await home.access();
    const table = tableAt(access, 'things');
    for (const field of table.fields) {
      const facts = await factsOf(pool, access, table, field);
      expect([field.key, facts.records]).toEqual([field.key, 4]);
      expect(facts.filled).toBe(field.key in sent ? 1 : 4);
    }
    const number = await factsOf(pool, access, table, fieldNamed(table, 'option')!);
    expect(number).toMatchObject({ distinct: 1, frequent: [{ value: 'calm', count: 1 }] });
  });

  test('defaults fill what nobody filled; the system’s fields follow', async () => {
    await home.change(
      { do: 'changeField', table: 'things', field: 'number', set: { default: { value: 7 } } },
      {
        do: 'changeField',
        table: 'things',
        field: 'text',
        set: { default: { formula: "'n' || cast(number as text)" } },
      },
      { do: 'changeField', table: 'things', field: 'member', set: { default: 'person' } },
    );
    const [plain, given] = [
      (await home.insert('things', {}))[0],
      (await home.insert('things', { number: 2, text: 'x' }))[0],
    ];
    expect([plain?.values.number, plain?.values.member]).toEqual([7, { id: ida.id, name: 'Ida' }]);
    expect(given?.values.text).toBe('x');
    const tom = await makePerson(pool, 'Tomas');
    await join(pool, await home.access(), tom, 'editor');
    const { records } = await new Place(pool, home.key, tom).write('things', {
      update: [{ id: plain!.id, values: { number: 8 } }],
    });
    expect([records[0]?.values.created_by, records[0]?.values.last_changed_by]).toMatchObject([
      { name: 'Ida' },
      { name: 'Tomas' },
    ]);
  });

  test('internal fields are not there for a reader', async () => {
    await home.change({ do: 'changeField', table: 'things', field: 'phone', set: { internal: true } });
    const pell = await makePerson(pool, 'Pell');
    await join(pool, await home.access(), pell, 'reader');
    const access = await authorize(pool, pell, home.key, 'see');
    expect(fieldNamed(tableAt(access, 'things'), 'phone')).toBeUndefined();
    expect(JSON.stringify(modelJson(access.workspace.model))).not.toContain('"phone"');
    const [record] = await readByIds(pool, access, tableAt(access, 'things'), [1]);
    expect(record?.values).not.toHaveProperty('phone');
  });
});

describe('lists of options', () => {
  test('are added to while entering, renamed, merged and undone; retired ones stay where they are', async () => {
    const home = await place('Lists');
    await home.change({
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number'),
        { label: 'Mood', type: 'option', options: ['calm', 'gentle', 'wild'] },
        { label: 'Seen', type: 'options', options: ['queen', 'eggs'], open: true },
      ],
    });
    await home.insert(
      'hives',
      { number: '1', mood: 'calm', seen: ['queen', 'moths'] },
      { number: '2', mood: 'gentle', seen: ['eggs'] },
      { number: '3', mood: 'wild' },
    );
    expect(await home.values('hives', 'seen')).toEqual([['queen', 'moths'], ['eggs'], null]);
    const merged = await home.change(
      { do: 'mergeOptions', table: 'hives', field: 'mood', from: ['gentle'], into: 'calm' },
      { do: 'changeOption', table: 'hives', field: 'mood', option: 'calm', set: { label: 'peaceful', retired: true } },
    );
    expect(await home.values('hives', 'mood')).toEqual(['peaceful', 'peaceful', 'wild']);
    await home.undo(merged);
    expect(await home.values('hives', 'mood')).toEqual(['calm', 'gentle', 'wild']);
    const removed = await home.change({ do: 'removeOption', table: 'hives', field: 'mood', option: 'wild' });
    expect((await pool.query('select text from loom.set_aside where batch = $1', [removed])).rows).toEqual([
      { text: 'wild' },
    ]);
  });

  test('become a table of their own, what used them reading it, and all of it comes back', async () => {
    const home = await place('List to table');
    await home.change(
      {
        do: 'addTable',
        label: 'Hives',
        fields: [text('Number'), { label: 'Mood', type: 'option', options: ['calm', 'wild'] }],
      },
      { do: 'addField', table: 'hives', field: { label: 'Loud', type: 'formula', formula: "mood = 'wild'" } },
    );
    await home.insert('hives', { number: '1', mood: 'calm' }, { number: '2', mood: 'wild' }, { number: '3' });
    const before = (await home.access()).workspace.model;
    const batch = await home.change({ do: 'optionsToTable', table: 'hives', field: 'mood', label: 'Moods' });
    expect(await home.values('moods', 'name')).toEqual(['calm', 'wild']);
    expect(await home.values('hives', 'mood')).toMatchObject([{ title: 'calm' }, { title: 'wild' }, null]);
    expect(await home.values('hives', 'loud')).toEqual([false, true, null]);
    await home.undo(batch);
    expect((await home.access()).workspace.model).toEqual(before);
    expect(await home.values('hives', 'mood')).toEqual(['calm', 'wild', null]);
    expect(await home.values('hives', 'loud')).toEqual([false, true, null]);
  });
});

describe('links', () => {
  let home: Place;
  beforeAll(async () => {
    home = await place('Links');
    await home.change(
      { do: 'addTable', label: 'Plants', fields: [text('Name')] },
      {
        do: 'addTable',
        label: 'Apiaries',
        fields: [
          text('Name'),
          {
            label: 'Forage',
            type: 'link',
            to: 'plants',
            many: true,
            onDelete: 'clear',
            counterpart: { label: 'Grows at' },
          },
        ],
      },
      {
        do: 'addTable',
        label: 'Stands',
        fields: [
          text('Code'),
          { label: 'Shade', type: 'number' },
          { label: 'Apiary', type: 'link', to: 'apiaries', onDelete: 'remove' },
        ],
      },
      {
        do: 'addTable',
        label: 'Hives',
        fields: [
          text('Number'),
          { label: 'Apiary', type: 'link', to: 'apiaries', onDelete: 'clear', brings: ['name'] },
          {
            label: 'Stand',
            type: 'link',
            to: 'stands',
            onDelete: 'clear',
            unique: true,
            candidates: 'stand.apiary = apiary',
            shows: ['shade'],
          },
        ],
      },
      {
        do: 'addField',
        table: 'apiaries',
        field: {
          label: 'Plants there',
          type: 'formula',
          formula: "string_agg(forage.name, ', ' order by forage.name)",
        },
      },
      {
        do: 'addField',
        table: 'plants',
        field: { label: 'Hives near', type: 'formula', formula: 'count(grows_at.hives)' },
      },
    );
    await home.insert('plants', { name: 'lime' }, { name: 'clover' }, { name: 'heather' });
  });

  test('to many are written as arrays, counted through and undone', async () => {
    const made = await home.insert(
      'apiaries',
      { name: 'Low Meadow', forage: [1, { match: { name: 'clover' } }] },
      { name: 'Fell Gate', forage: [2] },
    );
    expect(made.map(({ values }) => values.forage)).toMatchObject([
      [{ title: 'lime' }, { title: 'clover' }],
      [{ title: 'clover' }],
    ]);
    expect(await home.values('apiaries', 'plants_there')).toEqual(['clover, lime', 'clover']);
    const { batch } = await home.write('apiaries', { update: [{ id: 1, values: { forage: [3] } }] });
    expect(await home.values('apiaries', 'plants_there')).toEqual(['heather', 'clover']);
    expect(await home.values('plants', 'grows_at')).toMatchObject([
      [],
      [{ title: 'Fell Gate' }],
      [{ title: 'Low Meadow' }],
    ]);
    await home.undo(batch);
    expect(await home.values('apiaries', 'plants_there')).toEqual(['clover, lime', 'clover']);
    expect(await home.refused(home.write('apiaries', { update: [{ id: 1, values: { forage: [99] } }] }))).toContain(
      'not there',
    );
  });

  test('offer only their candidates, by identity, and hold to them', async () => {
    await home.insert(
      'stands',
      { code: 'A-1', shade: 3, apiary: 1 },
      { code: 'A-2', apiary: 1 },
      { code: 'B-1', apiary: 2 },
    );
    const access = await home.access();
    const hives = tableAt(access, 'hives');
    const stand = fieldNamed(hives, 'stand')!;
    const asked = (draft: object, record: number | null = null, typed = '') =>
      candidatesOf(pool, access, hives, stand, { typed, limit: 10, record, draft: draft as Record<string, unknown> });
    expect(await asked({ apiary: 1 })).toEqual([
      { id: 1, title: 'A-1', shows: ['3'] },
      { id: 2, title: 'A-2', shows: [null] },
    ]);
    expect(await asked({ apiary: 2 })).toMatchObject([{ title: 'B-1' }]);
    expect(await asked({})).toEqual([]);
    const [hive] = await home.insert('hives', { number: 'H-1', apiary: 1, stand: 1 });
    expect(hive?.values.name).toBe('Low Meadow');
    expect(await asked({}, hive!.id)).toHaveLength(2);
    expect(await asked({}, hive!.id, 'A-2')).toMatchObject([{ title: 'A-2' }]);
    expect(await home.refused(home.insert('hives', { number: 'H-2', apiary: 2, stand: 2 }))).toContain(
      'limited to records for which stand.apiary = apiary',
    );
    expect(await home.refused(home.write('hives', { update: [{ id: hive!.id, values: { apiary: 2 } }] }))).toContain(
      'none of those that can be chosen',
    );
    expect(await home.refused(home.insert('hives', { number: 'H-3', apiary: 1, stand: 1 }))).toContain(
      'must be unique',
    );
    expect(await home.values('stands', 'hives')).toMatchObject([{ id: hive!.id, title: 'H-1' }, null, null]);
  });

  test('whose limits wait for each other are refused with the circle', async () => {
    await home.change(
      {
        do: 'addTable',
        label: 'Loops',
        fields: [
          text('Name'),
          { label: 'One', type: 'link', to: 'stands' },
          { label: 'Other', type: 'link', to: 'stands' },
        ],
      },
      {
        do: 'changeField',
        table: 'loops',
        field: 'one',
        set: { type: 'link', candidates: 'one.apiary = other.apiary' },
      },
    );
    const plan = await home.plan({
      do: 'changeField',
      table: 'loops',
      field: 'other',
      set: { type: 'link', candidates: 'other.apiary = one.apiary' },
    });
    expect(plan.effects[0]?.breaks[0]?.message).toContain('Other ← One ← Other');
  });

  test('go with what is deleted as their rules say, and come back from the bin with it', async () => {
    const { batch } = await home.write('apiaries', { remove: [1] });
    expect(await home.values('stands', 'code')).toEqual(['B-1']);
    expect(await home.values('plants', 'grows_at')).toMatchObject([[], [{ title: 'Fell Gate' }], []]);
    expect(
      (await binOf(pool, await home.access())).things
        .filter(({ kind }) => kind === 'record')
        .map(({ label }) => label)
        .sort(),
    ).toEqual(['A-1', 'A-2', 'Low Meadow']);
    await restoreRecord(pool, await home.access(), 'apiaries', 1);
    expect(await home.values('apiaries', 'plants_there')).toEqual(['clover, lime', 'clover']);
    expect(await home.values('hives', 'apiary')).toMatchObject([{ title: 'Low Meadow' }]);
    expect(await home.refused(restoreRecord(pool, await home.access(), 'apiaries', 1))).toContain('back already');
    expect(await home.refused(home.undo(batch))).toContain('later');
    await restoreRecord(pool, await home.access(), 'stands', 1);
    expect(await home.values('stands', 'apiary')).toMatchObject([{ title: 'Low Meadow' }, { title: 'Fell Gate' }]);
  });

  test('turn from one to many and back; what cannot be one is set aside', async () => {
    // What a limit reads through cannot lead to several.
    expect(await home.refused(home.change({ do: 'linkToMany', table: 'stands', field: 'apiary' }))).toContain(
      'the candidates of Hives.Stand cannot follow',
    );
    const home2 = await place('One of many');
    await home2.change(
      { do: 'addTable', label: 'Plants', fields: [text('Name')] },
      {
        do: 'addTable',
        label: 'Apiaries',
        fields: [text('Name'), { label: 'Forage', type: 'link', to: 'plants', many: true }],
      },
    );
    await home2.insert('plants', { name: 'lime' }, { name: 'clover' });
    await home2.insert('apiaries', { name: 'a', forage: [1, 2] }, { name: 'b', forage: [2] });
    const before = (await home2.access()).workspace.model;
    const one = await home2.change({ do: 'linkToOne', table: 'apiaries', field: 'forage' });
    expect(await home2.values('apiaries', 'forage')).toMatchObject([null, { title: 'clover' }]);
    expect((await pool.query('select text from loom.set_aside where batch = $1', [one])).rows).toEqual([
      { text: 'lime; clover' },
    ]);
    await home2.undo(one);
    expect((await home2.access()).workspace.model).toEqual(before);
    expect(await home2.values('apiaries', 'forage')).toMatchObject([
      [{ title: 'lime' }, { title: 'clover' }],
      [{ title: 'clover' }],
    ]);
    const texts = await home2.change({ do: 'linkToText', table: 'apiaries', field: 'forage' });
    expect(await home2.values('apiaries', 'forage')).toEqual(['lime; clover', 'clover']);
    const back = await home2.change({ do: 'textToLink', table: 'apiaries', field: 'forage', to: 'plants', many: true });
    expect(await home2.values('apiaries', 'forage')).toMatchObject([
      [{ title: 'lime' }, { title: 'clover' }],
      [{ title: 'clover' }],
    ]);
    await home2.undo(back);
    await home2.undo(texts);
    await home2.change({ do: 'addField', table: 'plants', field: { label: 'Kin', type: 'link', to: 'plants' } });
    await home2.write('plants', { update: [{ id: 1, values: { kin: 2 } }] });
    const many = await home2.change({ do: 'linkToMany', table: 'plants', field: 'kin' });
    expect(await home2.values('plants', 'kin')).toMatchObject([[{ title: 'clover' }], []]);
    await home2.undo(many);
    expect(await home2.values('plants', 'kin')).toMatchObject([{ title: 'clover' }, null]);
    await home2.change({ do: 'removeField', table: 'plants', field: 'kin' });
    expect((await home2.access()).workspace.model).toEqual(before);
  });
});

describe('a column of texts becomes a link', () => {
  test('exactly, by near misses that were confirmed, the rest created or set aside; and back to the very texts', async () => {
    const home = await place('Texts');
    await home.change(
      { do: 'addTable', label: 'Keepers', fields: [text('Name')] },
      { do: 'addTable', label: 'Hives', fields: [text('Number'), text('Keeper')] },
      { do: 'addField', table: 'hives', field: { label: 'Initial', type: 'formula', formula: 'left(keeper, 1)' } },
    );
    await home.insert('keepers', { name: 'Ida Vale' }, { name: 'Tom Orrin' }, { name: 'Wren Hollin' });
    const written = ['Ida Vale', ' ida vale', 'Tom Orin', 'Pell', null, 'Wren Hollin'];
    await home.insert('hives', ...written.map((keeper, i) => ({ number: String(i), keeper })));
    const plan = await home.plan({ do: 'textToLink', table: 'hives', field: 'keeper', to: 'keepers' });
    const copied = plan.effects.find(({ nearMisses }) => nearMisses.length > 0);
    expect(copied?.counts).toEqual([
      { what: 'values that are a record of Keepers', count: 3 },
      { what: 'values set aside', count: 2 },
    ]);
    expect(copied?.nearMisses.find(({ text: word }) => word === 'Tom Orin')?.candidates).toEqual([
      { id: 2, title: 'Tom Orrin' },
    ]);
    const before = (await home.access()).workspace.model;
    const batch = await home.change({
      do: 'textToLink',
      table: 'hives',
      field: 'keeper',
      to: 'keepers',
      confirmed: { 'Tom Orin': 2 },
    });
    const titles = async () =>
      (await home.values('hives', 'keeper')).map((value) => (value as { title?: string } | null)?.title ?? null);
    expect(await titles()).toEqual(['Ida Vale', 'Ida Vale', 'Tom Orrin', null, null, 'Wren Hollin']);
    expect(await home.values('hives', 'initial')).toEqual(['I', 'I', 'T', null, null, 'W']);
    expect((await pool.query('select text from loom.set_aside where batch = $1', [batch])).rows).toEqual([
      { text: 'Pell' },
    ]);
    await home.undo(batch);
    expect((await home.access()).workspace.model).toEqual(before);
    expect(await home.values('hives', 'keeper')).toEqual(written);
    const creating = await home.change({
      do: 'textToLink',
      table: 'hives',
      field: 'keeper',
      to: 'keepers',
      missing: 'create',
    });
    expect(await titles()).toEqual(['Ida Vale', 'Ida Vale', 'Tom Orin', 'Pell', null, 'Wren Hollin']);
    expect(await home.values('keepers', 'name')).toHaveLength(5);
    await home.undo(creating);
    expect(await home.values('keepers', 'name')).toHaveLength(3);
    expect(await home.values('hives', 'keeper')).toEqual(written);
  });
});

describe('rules', () => {
  test('are held by the database where it can, looked at otherwise, and say their message', async () => {
    const home = await place('Rules');
    await home.change(
      { do: 'addTable', label: 'Hives', fields: [text('Number'), { label: 'Most', type: 'number' }] },
      {
        do: 'addTable',
        label: 'Counts',
        fields: [
          { label: 'Bees', type: 'number' },
          { label: 'Mites', type: 'number' },
          { label: 'Day', type: 'date' },
          { label: 'Hive', type: 'link', to: 'hives' },
        ],
      },
      { do: 'addRule', table: 'counts', message: 'More mites than bees.', condition: 'mites <= bees' },
      { do: 'addRule', table: 'counts', message: 'Above the limit of its hive.', condition: 'mites <= hive.most' },
      { do: 'addRule', table: 'counts', message: 'One count a hive and day.', unique: ['hive', 'day'] },
    );
    await home.insert('hives', { number: '1', most: 50 });
    await home.insert('counts', { bees: 300, mites: 20, hive: 1, day: '2026-05-16' }, { bees: 5, mites: null });
    for (const [values, message] of [
      [{ bees: 5, mites: 6 }, 'More mites than bees.'],
      [{ bees: 500, mites: 51, hive: 1 }, 'Above the limit of its hive.'],
      [{ bees: 9, hive: 1, day: '2026-05-16' }, 'One count a hive and day.'],
    ] as const)
      expect(await home.refused(home.insert('counts', values))).toContain(message);
    expect(await home.refused(home.write('counts', { update: [{ id: 1, values: { mites: 60 } }] }))).toContain(
      'Above the limit',
    );
    const checks = await pool.query(
      `select conname from pg_constraint where conrelid = 'rules.counts'::regclass and conname ~ '_rule$'`,
    );
    expect(checks.rowCount).toBe(2);
  });

  test('over records that break them: counted and listed, refused, set aside, or from now on', async () => {
    const home = await place('Breaking');
    await home.change({
      do: 'addTable',
      label: 'Hives',
      fields: [text('Number'), { label: 'Frames', type: 'number' }],
    });
    await home.insert(
      'hives',
      { number: 'a', frames: 5 },
      { number: 'b', frames: 50 },
      { number: 'b' },
      { number: null, frames: 60 },
    );
    const rule = { do: 'addRule', table: 'hives', message: 'At most 12 frames.', condition: 'frames <= 12' } as const;
    const plan = await home.plan(rule);
    expect(plan).toMatchObject({
      possible: false,
      effects: [
        {
          ways: ['setAside', 'fromNow'],
          broken: {
            count: 2,
            records: [
              { id: 2, title: 'b' },
              { id: 4, title: '#4' },
            ],
          },
        },
      ],
    });
    expect(await home.refused(applyPlan(pool, await home.access(), plan.id))).toContain('2 records break');
    const aside = await home.change({ ...rule, breaking: 'setAside', clear: 'frames' });
    expect(await home.values('hives', 'frames')).toEqual([5, null, null, null]);
    await home.undo(aside);
    expect(await home.values('hives', 'frames')).toEqual([5, 50, null, 60]);
    const later = await home.change({ ...rule, fromNow: true });
    expect(await home.refused(home.write('hives', { update: [{ id: 1, values: { frames: 13 } }] }))).toContain(
      'At most 12',
    );
    await home.write('hives', { update: [{ id: 2, values: { number: 'bb' } }] });
    expect(later).toBeGreaterThan(aside);
    await home.write('hives', { update: [{ id: 2, values: { number: 'b' } }] });

    const required = { do: 'changeField', table: 'hives', field: 'number', set: { required: true } } as const;
    expect(await home.plan(required)).toMatchObject({
      possible: false,
      effects: [{ ways: ['fromNow', 'fill'], broken: { count: 1 } }],
    });
    const filled = await home.change({ ...required, fill: 'unknown' });
    expect(await home.values('hives', 'number')).toEqual(['a', 'b', 'b', 'unknown']);
    await home.undo(filled);
    expect(await home.values('hives', 'number')).toEqual(['a', 'b', 'b', null]);
    await home.change({ do: 'changeField', table: 'hives', field: 'number', set: { required: 'fromNow' } });
    expect(await home.refused(home.insert('hives', { frames: 1 }))).toContain('is required');

    const unique = { do: 'changeField', table: 'hives', field: 'number', set: { unique: true } } as const;
    expect((await home.plan(unique)).effects[0]).toMatchObject({
      ways: ['setAside'],
      breaks: [{ message: 'Values stand more than once: b (2 times).' }],
    });
    const once = await home.change({ ...unique, breaking: 'setAside' });
    expect(await home.values('hives', 'number')).toEqual(['a', 'b', null, null]);
    expect((await pool.query('select record_id, text from loom.set_aside where batch = $1', [once])).rows).toEqual([
      { record_id: 3, text: 'b' },
    ]);
    await home.undo(once);
    expect(await home.values('hives', 'number')).toEqual(['a', 'b', 'b', null]);
  });
});

describe('structure over time', () => {
  test('fields and tables come back from the bin with their values; earlier structures and their difference are told', async () => {
    const home = await place('Times');
    await home.change({
      do: 'addTable',
      label: 'Hives',
      fields: [text('Number'), { label: 'Weight', type: 'number' }],
    });
    await home.change({
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Hive', type: 'link', to: 'hives' },
      ],
    });
    await home.insert('hives', { number: '1', weight: 12 });
    await home.insert('visits', { day: '2026-05-16', hive: 1 });
    const start = (await structureSteps(pool, await home.access(), { limit: 10 })).items[0]!.batch;
    const gone = await home.change(
      { do: 'removeField', table: 'hives', field: 'weight' },
      { do: 'removeTable', table: 'visits' },
    );
    await home.change({ do: 'changeField', table: 'hives', field: 'number', set: { label: 'Code', key: 'code' } });
    const access = await home.access();
    const { things } = await binOf(pool, access);
    expect(things.map(({ kind, label }) => `${kind} ${label}`).sort()).toEqual(['field Weight', 'table Visits']);
    expect(structureDifference(await structureAfter(pool, access, start), access.workspace.model)).toEqual([
      { kind: 'removed', what: 'Visits', changes: [] },
      { kind: 'removed', what: 'Hives.Weight', changes: [] },
      { kind: 'removed', what: 'Hives.Visits', changes: [] },
      {
        kind: 'changed',
        what: 'Hives.Code',
        changes: [
          { of: 'label', before: 'Number', now: 'Code' },
          { of: 'key', before: 'number', now: 'code' },
        ],
      },
    ]);
    for (const thing of things) {
      const plan = await makePlan(
        pool,
        await home.access(),
        await changesToRestore(pool, await home.access(), gone, String(thing.id)),
      );
      expect(plan.possible, JSON.stringify(plan.effects)).toBe(true);
      await applyPlan(pool, await home.access(), plan.id);
    }
    expect(await home.values('hives', 'weight')).toEqual([12]);
    expect(await home.values('visits', 'hive')).toMatchObject([{ id: 1 }]);
    expect((await binOf(pool, await home.access())).things).toEqual([]);
  });

  test('an earlier structure is looked at whole, step by step; a reader sees nothing of what was internal', async () => {
    const home = await place('Earlier');
    const made = await home.change({
      do: 'addTable',
      label: 'Hives',
      fields: [text('Number'), text('Secret code', { internal: true })],
    });
    const ruled = await home.change({ do: 'addField', table: 'hives', field: text('Notes') });
    const gone = await home.change(
      { do: 'removeField', table: 'hives', field: 'secret_code' },
      { do: 'changeField', table: 'hives', field: 'notes', set: { label: 'Remarks' } },
    );
    await home.insert('hives', { number: '1' });
    const labels = async (access: WorkspaceAccess, batch: number) => {
      const { model, before, after, step } = await earlierStructure(pool, access, batch);
      return [
        model.tables.flatMap((table) => table.fields.filter(({ off }) => !off).map(({ label }) => label)),
        before,
        step.batch,
        after,
      ];
    };
    const access = await home.access();
    expect(await labels(access, ruled)).toEqual([['Number', 'Secret code', 'Notes'], made, ruled, gone]);
    expect(await labels(access, gone)).toEqual([['Number', 'Remarks'], ruled, gone, null]);
    const pell = await makePerson(pool, 'Pell Earlier');
    await join(pool, access, pell, 'reader');
    const reader = await authorize(pool, pell, home.key, 'see');
    expect((await labels(reader, ruled))[0]).toEqual(['Number', 'Notes']);
    expect((await labels(reader, made))[0]).toEqual(['Number']);
    expect(await home.refused(earlierStructure(pool, access, gone + 1))).toContain('no such step');
  });

  test('two people plan at once: the second is told what moved, and plans again', async () => {
    const home = await place('Two plans');
    await home.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
    const mine = await home.plan({ do: 'addField', table: 'hives', field: text('One') });
    const theirs = await home.plan({ do: 'addField', table: 'hives', field: text('Two') });
    await applyPlan(pool, await home.access(), theirs.id);
    expect(await home.refused(applyPlan(pool, await home.access(), mine.id))).toContain('Ida: new field Hives.Two');
    expect(await home.refused(applyPlan(pool, await home.access(), theirs.id))).toContain('applied already');
    await home.change({ do: 'addField', table: 'hives', field: text('One') });
  });

  test('is exported as JSON that builds the same, and as SQL that PostgreSQL takes', async () => {
    const home = new Place(pool, 'links', ida);
    const section = { label: 'Where', about: '', columns: 1, shownIf: '', items: [{ field: 'name' }] };
    await home.change(
      { do: 'changePart', kind: 'view', table: 'apiaries', part: 'all', set: { sort: '-name' } },
      { do: 'addPart', kind: 'view', table: 'apiaries', part: { label: 'Meadows', filter: "name like 'M%'" } },
      {
        do: 'addPart',
        kind: 'form',
        table: 'apiaries',
        part: { label: 'Tell us', sections: [section] },
      },
    );
    const { workspace } = await home.access();
    const json = modelJson(workspace.model);
    const copy = await place('Links again');
    const plan = await makePlan(
      pool,
      await copy.access(),
      changesFromStructure((await copy.access()).workspace.model, JSON.parse(JSON.stringify(json)), readChange({})),
    );
    expect(plan.effects.flatMap(({ breaks }) => breaks)).toEqual([]);
    await applyPlan(pool, await copy.access(), plan.id);
    const bare = (value: unknown): unknown =>
      JSON.parse(JSON.stringify(value, (name, one: unknown) => (name === 'id' ? undefined : one)));
    expect(bare(modelJson((await copy.access()).workspace.model))).toEqual(bare(json));
    const other = await freshDatabase('sqlexport');
    try {
      await other.pool.query('drop schema loom cascade');
      await other.pool.query(structureSql(workspace));
      const { rows } = await other.pool.query<{ name: string }>(
        `select table_name as name from information_schema.tables where table_schema = 'links' order by 1`,
      );
      expect(rows.map(({ name }) => name)).toEqual([
        'apiaries',
        'apiaries_forage',
        'hives',
        'loops',
        'plants',
        'stands',
      ]);
      await other.pool.query(`insert into links.apiaries (name) values ('x')`);
    } finally {
      await other.drop();
    }
  });
});

describe('across workspaces', () => {
  test('a link, its counterpart, and what is calculated over it both ways stay true; what one may not see is not there', async () => {
    const [yard, honey] = [await place('Yard'), await place('Cellar')];
    await yard.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
    await honey.change({
      do: 'addTable',
      label: 'Harvests',
      fields: [
        { label: 'Kg', type: 'number' },
        {
          label: 'Hive',
          type: 'link',
          to: 'yard.hives',
          onDelete: 'prevent',
          counterpart: { label: 'Harvests' },
          brings: ['number'],
        },
      ],
    });
    await yard.change({
      do: 'addField',
      table: 'hives',
      field: { label: 'Kg brought', type: 'formula', formula: 'sum(harvests.kg)' },
    });
    await yard.insert('hives', { number: 'H-1' }, { number: 'H-2' });
    const made = await honey.insert('harvests', { kg: 12, hive: 1 }, { kg: 3, hive: 1 });
    expect(made[0]?.values.number).toBe('H-1');
    expect(await yard.values('hives', 'kg_brought')).toEqual([15, 0]);
    await honey.write('harvests', { update: [{ id: 1, values: { hive: 2 } }] });
    await yard.write('hives', { update: [{ id: 2, values: { number: 'H-20' } }] });
    expect([await yard.values('hives', 'kg_brought'), await honey.values('harvests', 'number')]).toEqual([
      [3, 12],
      ['H-20', 'H-1'],
    ]);
    expect(await yard.refused(yard.write('hives', { remove: [2] }))).toContain('whose rule prevents it');
    expect(
      (await yard.plan({ do: 'removeField', table: 'hives', field: 'number' })).effects[0]?.breaks[0]?.message,
    ).toContain('Harvests.Number');
    const other = await makePerson(pool, 'Wren');
    await join(pool, await honey.access(), other, 'administrator');
    const theirs = new Place(pool, honey.key, other);
    expect(
      await theirs.refused(
        theirs.change({
          do: 'addField',
          table: 'harvests',
          field: { label: 'Elsewhere', type: 'link', to: 'yard.hives' },
        }),
      ),
    ).toContain('no such workspace');
    expect(await theirs.refused(theirs.change({ do: 'removeField', table: 'harvests', field: 'hive' }))).toContain(
      'no such workspace',
    );
    // Whatever is stored is what a calculation from nothing gives.
    const { workspace } = await yard.access();
    await withWorkspace(pool, await yard.access(), 'exclusive', async (client, now) => {
      const { touched } = await recalculate({
        client,
        access: now,
        exclusive: true,
        anew: allCalculated(workspace.model),
      });
      expect([...touched]).toEqual([]);
    });
    const steps = await honey.change({ do: 'removeTable', table: 'harvests' }).catch((error: Error) => error.message);
    expect(steps).toContain('Kg brought');
    await yard.change({ do: 'removeField', table: 'hives', field: 'kg_brought' });
    await honey.change({ do: 'removeTable', table: 'harvests' });
    expect((await yard.access()).workspace.peers).toEqual([]);
  });
});
