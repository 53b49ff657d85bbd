// The order matters: what is made up stands in the registries before anything reads them.
import './madeUp/grade';
import './madeUp/remark';
import './madeUp/describeTable';
import './madeUp/list';
import { readdirSync, readFileSync } from 'node:fs';
import { join as joined } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { goesTo } from '$core/parts/impact';
import { structureDifference } from '$core/changes/difference';
import { withoutInternal } from '$core/parts/visible';
import type { Person } from '$server/access/workspaceAccess';
import { readChange, type ChangeJson } from '$server/api/changes/changes';
import { changesFromStructure } from '$server/api/changes/structureImport';
import { modelJson } from '$server/api/modelJson';
import { getRecord } from '$server/api/records';
import { postRecords } from '$server/api/recordWrites';
import type { Pool } from '$server/database/pool';
import { applyPlan, makePlan } from '$server/structure/plan';
import type { FieldType } from '$core/types/field';
import { draftTypes } from '$ui/fieldTypes/registry';
import { writtenValue } from '$ui/forms/fill/inputText';
import { pastedFields } from '$ui/structure/field/pastedFields';
import { kindAndSettings, textOf } from '$ui/values/show';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';
import { called } from '../safety/calling';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;

/** A change as a program sends it, of a kind that the types do not know. */
const sent = (json: object) => json as ChangeJson;
const params = () => ({ ws: place.key, t: 'hives' });

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('registries'));
  ida = await makePerson(pool, 'Ida');
  place = await makePlace(pool, ida, 'Made up');
  await place.change(
    sent({
      do: 'addTable',
      label: 'Hives',
      fields: [text('Number'), text('Seen'), { label: 'Temper', type: 'grade' }],
    }),
  );
  await place.insert('hives', { number: 'H-1', temper: 'b' }, { number: 'H-2', seen: 'c' }, { seen: 'zzz' });
});
afterAll(() => drop());

describe('a kind of field that is only in its three descriptors', () => {
  test('takes its values, and refuses what is none', async () => {
    const answer = await called(pool, ida, postRecords, params(), {}, { records: [{ values: { temper: 'G' } }] });
    expect([answer.status, answer.text]).toEqual([422, expect.stringContaining('from A to F')]);
    const read = await called(pool, ida, getRecord, { ...params(), id: '1' });
    expect(JSON.parse(read.text)).toMatchObject({ values: { temper: 'B' } });
  });

  test('stands in formulas and in the model as programs read it', async () => {
    const formula = "temper || '!'";
    await place.change({ do: 'addField', table: 'hives', field: { label: 'Loud', type: 'formula', formula } });
    expect((await place.values('hives', 'loud'))[0]).toBe('B!');
    const [table] = modelJson((await place.access()).workspace.model).tables;
    expect(table?.fields.map(({ type }) => type)).toContain('grade');
  });

  test('is shown, chosen, pasted and written in a form', () => {
    const type = { kind: 'grade' } as unknown as FieldType;
    expect(textOf('B', type)).toBe('grade B');
    expect(kindAndSettings(type)).toBe('grade');
    expect(draftTypes()).toContain('grade');
    expect(pastedFields('Temper: mark', [])).toMatchObject([{ draft: { type: 'grade', required: true } }]);
    expect(writtenValue(' b ', type)).toBe('B');
  });

  test('another kind becomes it, what does not fit is set aside, and it comes back with undo', async () => {
    const change = sent({ do: 'changeField', table: 'hives', field: 'seen', set: { type: 'grade' } });
    const plan = await place.plan(change);
    expect(plan.effects[0]).toMatchObject({
      change: 'Hives.Seen: type text → grade',
      counts: [
        { what: 'values converted', count: 1 },
        { what: 'values set aside', count: 1 },
      ],
    });
    const batch = await place.change(change);
    expect(await place.values('hives', 'seen')).toEqual([null, 'C', null]);
    await place.undo(batch);
    expect(await place.values('hives', 'seen')).toEqual([null, 'c', 'zzz']);
  });
});

describe('a part that is only in its descriptor and its schema', () => {
  const remarks = async () => {
    const [table] = modelJson((await place.access()).workspace.model).tables as unknown as { remarks: object[] }[];
    return table?.remarks;
  };

  test('is added, changed, brought back and told in words', async () => {
    const add = sent({
      do: 'addPart',
      kind: 'remark',
      table: 'hives',
      part: { label: 'Calm ones', about: "temper = 'A'" },
    });
    expect((await place.plan(add)).effects[0]?.change).toBe('Hives: new remark “Calm ones”');
    await place.change(add);
    expect(await remarks()).toMatchObject([{ label: 'Calm ones', about: "temper = 'A'" }]);
    const [standing] = (await remarks()) as { id: string }[];
    const set = { about: "temper < 'C'" };
    const batch = await place.change(
      sent({ do: 'changePart', kind: 'remark', table: 'hives', part: standing?.id, set }),
    );
    expect(await remarks()).toMatchObject([set]);
    await place.undo(batch);
    expect(await remarks()).toMatchObject([{ about: "temper = 'A'" }]);
  });

  test('follows a renamed key, is an impact of the field, and says nothing of it to who may not see it', async () => {
    await place.change({ do: 'changeField', table: 'hives', field: 'temper', set: { key: 'mood' } });
    expect(await remarks()).toMatchObject([{ about: "mood = 'A'" }]);
    const { model } = (await place.access()).workspace;
    const mood = model.tables[0]?.fields.find(({ key }) => key === 'mood');
    expect(goesTo(model, mood?.id ?? '').map(({ words }) => words)).toContain('the remark “Calm ones” of Hives');
    await place.change({ do: 'changeField', table: 'hives', field: 'mood', set: { internal: true } });
    const seen = withoutInternal((await place.access()).workspace.model);
    expect(JSON.stringify(seen.tables[0]?.parts)).not.toContain('"A"');
  });

  test('comes along with a structure, and counts as a difference', async () => {
    const { model } = (await place.access()).workspace;
    const copy = await makePlace(pool, ida, 'Made up again');
    const changes = changesFromStructure(
      (await copy.access()).workspace.model,
      JSON.parse(JSON.stringify(modelJson(model))),
      readChange({}),
    );
    await applyPlan(pool, await copy.access(), (await makePlan(pool, await copy.access(), changes)).id);
    const now = (await copy.access()).workspace.model;
    const [table] = modelJson(now).tables as unknown as { remarks: object[] }[];
    expect(table?.remarks).toMatchObject([{ label: 'Calm ones', about: "mood = 'A'" }]);
    const { parts: _, ...bare } = now.tables[0]!;
    expect(structureDifference({ tables: [bare] }, now).map(({ what }) => what)).toEqual(['Hives: remark “Calm ones”']);
  });
});

test('a change that is only in its descriptor and its entry is planned, applied and taken back', async () => {
  const change = sent({ do: 'describeTable', table: 'hives', words: 'One colony’s home' });
  expect((await place.plan(change)).effects[0]?.change).toBe('Hives is told as “One colony’s home”');
  const described = async () => (await place.access()).workspace.model.tables[0]?.description;
  const batch = await place.change(change);
  expect(await described()).toBe('One colony’s home');
  await place.undo(batch);
  expect(await described()).toBe('');
  const empty = await place.plan(sent({ do: 'describeTable', table: 'hives', words: ' ' }));
  expect(empty.effects[0]?.breaks).toMatchObject([{ message: 'Nothing is said.' }]);
});

test('a view of a kind that is only in its descriptor is kept', async () => {
  await place.change(sent({ do: 'addPart', kind: 'view', table: 'hives', part: { label: 'Short', kind: 'list' } }));
  const [table] = modelJson((await place.access()).workspace.model).tables as unknown as { views: object[] }[];
  expect(table?.views).toMatchObject([{ label: 'Short', kind: 'list' }]);
});

describe('what a new thing takes', () => {
  /** The modules whose registries a file puts what it makes up into. */
  function registriesOf(file: string): string[] {
    const source = readFileSync(`tests/server/madeUp/${file}.ts`, 'utf8');
    const targets = [...source.matchAll(/^(?:Object\.assign\(|\()(\w+)/gm)].map(([, name = '']) => name);
    const modules = targets.map(
      (name) => new RegExp(`import \\{[^}]*\\b${name}\\b[^}]*\\} from '([^']+)'`).exec(source)?.[1],
    );
    return [...new Set(modules.map((found) => found ?? 'nowhere'))];
  }

  // Files of its own and registries: what the made-up one, which works in the tests above, had to be put into.
  test.each([
    ['a part', 'remark', 1, 4],
    ['a change', 'describeTable', 1, 3],
    // Also the page that draws it, whose registry TypeScript holds to all kinds.
    ['a kind of view', 'list', 2, 3],
    // A descriptor each in the core, on the server and in the interface.
    ['a kind of field', 'grade', 3, 6],
  ])('%s takes no more files than it may', (_, file, own, most) => {
    const registries = registriesOf(file);
    expect(registries).not.toContain('nowhere');
    expect(registries.length).toBeGreaterThan(0);
    expect(own + registries.length).toBeLessThanOrEqual(most);
  });

  const sources = (folder: string): string[] =>
    readdirSync(folder, { withFileTypes: true, recursive: true })
      .filter((entry) => entry.isFile() && /\.(ts|svelte)$/.test(entry.name) && !/\.test\.ts$/.test(entry.name))
      .map((entry) => joined(entry.parentPath, entry.name));

  test('the smallest kind with settings of its own is named nowhere but in its own files and the registries', () => {
    const named = ['src/lib/core', 'src/lib/server', 'src/lib/ui', 'src/routes']
      .flatMap(sources)
      .filter((path) => /'rating'|\/rating'/.test(readFileSync(path, 'utf8')));
    expect(named.toSorted()).toEqual([
      'src/lib/core/fieldTypes/rating.ts',
      'src/lib/core/fieldTypes/registry.ts',
      'src/lib/server/fieldTypes/rating.ts',
      'src/lib/server/fieldTypes/registry.ts',
      'src/lib/ui/fieldTypes/kinds/rating.ts',
      'src/lib/ui/fieldTypes/registry.ts',
    ]);
  });
});
