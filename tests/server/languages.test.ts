import { parseValue, plainReading, type EnteredType } from '$core/fieldTypes/registry';
import type { Field, Option } from '$core/types/field';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { enteredIn, inLanguage, languageFor, languagesOf, textsOf } from '$core/languages/texts';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { ask, at, fetched, type Asked } from './calls';
import { freshDatabase, makePerson } from './database';
import { broughtIn, packageOf } from './packing';
import { makePlace, Place, text } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('languages'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());
beforeEach(async () => {
  place = await makePlace(pool, ida, 'Spoken');
  await place.change(
    {
      do: 'addTable',
      label: 'Hives',
      key: 'hives',
      description: 'Where bees live',
      fields: [
        text('Number', { key: 'number', help: 'As painted on the “lid”' }),
        { label: 'State', key: 'state', type: 'option', options: ['strong', 'weak'] },
        { label: 'Weight', key: 'weight', type: 'number', placeholder: 'in kg' },
        { label: 'Twice', key: 'twice', type: 'formula', formula: 'weight * 2' },
      ],
    },
    { do: 'addRule', table: 'hives', message: 'Too heavy.', condition: 'weight < 500' },
    {
      do: 'addPart',
      kind: 'form',
      table: 'hives',
      part: {
        label: 'Tell us',
        audience: 'outside',
        intro: 'What did you see?',
        thanks: 'Thank you.',
        sections: [
          {
            label: 'The hive',
            about: '',
            columns: 1,
            items: [{ field: 'number', label: 'Its number' }, { field: 'state' }],
          },
        ],
      },
    } as never,
  );
});

const call = async (
  method: string,
  rest: string,
  body?: unknown,
  by = ida,
): Promise<{ status: number; answer: Asked }> => ask(pool, by, method, at(place, `/languages${rest}`), body);

/** Every text that somebody can read in it, as they were told. */
const told = [
  'Hives',
  'Where bees live',
  'Number',
  'As painted on the “lid”',
  'State',
  'strong',
  'weak',
  'Weight',
  'in kg',
  'Twice',
  'Too heavy.',
  'Tell us',
  'What did you see?',
  'Thank you.',
  'The hive',
  'Its number',
];
const german: Record<string, string> = {
  Hives: 'Völker',
  Number: 'Nummer',
  State: 'Zustand',
  strong: 'stark',
  weak: 'schwach',
  'Too heavy.': 'Zu schwer.',
  'Tell us': 'Sagen Sie es uns',
  'Its number': 'Seine Nummer',
  'What did you see?': 'Was haben Sie gesehen?\n<b>&</b>',
};

test('every text of a workspace stands in the list once, with the places where it is read', async () => {
  await call('POST', '', { code: 'de' });
  const { answer } = await call('GET', '');
  const texts = answer.texts as { text: string; where: string[] }[];
  expect(texts.map((one) => one.text)).toEqual(expect.arrayContaining(told));
  expect(new Set(texts.map((one) => one.text)).size).toBe(texts.length);
  expect(texts.find((one) => one.text === 'strong')?.where).toEqual(['Hives · State · option']);
  expect(texts.find((one) => one.text === 'Its number')?.where).toEqual(['Hives · form “Tell us” · label of a field']);
  expect(answer.languages).toMatchObject([{ code: 'de', label: 'Deutsch', translated: 0 }]);
});

test('in another language everything that is translated is said in it; keys, formulas and values are as they were', async () => {
  await call('POST', '', { code: 'de' });
  await call('PATCH', '/de', { texts: german });
  await place.insert('hives', { number: 'H1', state: 'strong', weight: 3 });
  const { workspace } = await place.access();
  const said = inLanguage(workspace.model, 'de');
  const before = new Set(textsOf(workspace.model).map((one) => one.text));
  const after = textsOf(said).map((one) => one.text);
  for (const [from, to] of Object.entries(german)) {
    expect(after).toContain(to);
    expect(after).not.toContain(from);
  }
  expect(after.filter((one) => before.has(one)).toSorted()).toEqual(told.filter((one) => !(one in german)).toSorted());
  expect(said.tables[0]?.fields.map(({ key }) => key)).toEqual(workspace.model.tables[0]?.fields.map(({ key }) => key));
  expect(said.tables[0]?.fields[3]?.type).toEqual(workspace.model.tables[0]?.fields[3]?.type);
  expect(inLanguage(workspace.model, 'fr')).toBe(workspace.model);
});

test('a text that is written anew is to be translated anew; the old one is kept for when it comes back', async () => {
  await call('POST', '', { code: 'de' });
  await call('PATCH', '/de', { texts: german });
  await place.change({ do: 'changeField', table: 'hives', field: 'state', set: { label: 'Condition' } });
  const { answer } = await call('GET', '');
  expect(
    (answer.texts as { text: string; translations: Asked }[]).find((one) => one.text === 'Condition')?.translations,
  ).toEqual({});
  await place.change({ do: 'changeField', table: 'hives', field: 'state', set: { label: 'State' } });
  expect(inLanguage((await place.access()).workspace.model, 'de').tables[0]?.fields[1]?.label).toBe('Zustand');
});

describe.each(['xliff', 'csv'] as const)('out and in as %s', (format) => {
  test('what a translator fills in comes back to the letter; what is no text here is counted', async () => {
    await call('POST', '', { code: 'de' });
    await call('PATCH', '/de', { texts: german });
    await place.change({
      do: 'changeField',
      table: 'hives',
      field: 'number',
      set: { help: '=1+1 & <x>, "quoted"\nand a second line' },
    });
    const file = await fetched(place, at(place, `/languages/de/texts?format=${format}`));
    const other = await makePlace(pool, ida, `Other ${format}`);
    const same = await call('POST', '/de/texts', { [format]: file });
    expect(same.answer).toMatchObject({ taken: 0, unknown: 0 });
    // A translator says the rest.
    const filled =
      format === 'xliff'
        ? file
            .replaceAll('<source>Twice</source>', '<source>Twice</source>\n<target>Doppelt</target>')
            .replaceAll(/(<source>=1\+1[^]*?<\/source>)/g, '$1<target>Hilfe &amp; &lt;mehr&gt;\nzweite Zeile</target>')
        : file
            .replace(/^Twice,,/m, 'Twice,Doppelt,')
            .replace(/(and a second line"),,/, '$1,"Hilfe & <mehr>\nzweite Zeile",');
    const { answer } = await call('POST', '/de/texts', { [format]: filled });
    expect(answer).toMatchObject({ taken: 2, unknown: 0 });
    const { workspace } = await place.access();
    const texts = languagesOf(workspace.model)[0]?.texts;
    expect(texts).toMatchObject({
      ...german,
      Twice: 'Doppelt',
      '=1+1 & <x>, "quoted"\nand a second line': 'Hilfe & <mehr>\nzweite Zeile',
    });
    await ask(pool, ida, 'POST', at(other, '/languages'), { code: 'de' });
    const foreign = await ask(pool, ida, 'POST', at(other, '/languages/de/texts'), { [format]: filled });
    expect(foreign.answer.taken).toBe(0);
    expect(foreign.answer.unknown).toBeGreaterThan(8);
  });
});

test.each<readonly [words: string, method: string, rest: string, body: unknown, says: RegExp]>([
  ['a language that is none', 'POST', '', { code: 'deutsch!' }, /no language/],
  ['the same language twice', 'POST', '', { code: 'de' }, /already/],
  ['a language that is not here', 'PATCH', '/fr', { texts: { a: 'b' } }, /language/],
  ['an XLIFF that is cut off', 'POST', '/de/texts', { xliff: '<xliff version="2.0"><file>' }, /cut off or damaged/],
  ['XML that is none', 'POST', '/de/texts', { xliff: '<html></html>' }, /no XLIFF/],
  [
    'an entity of its own',
    'POST',
    '/de/texts',
    { xliff: '<!DOCTYPE x [<!ENTITY a "b">]><xliff>&a;</xliff>' },
    /damaged/,
  ],
  [
    'a file for another language',
    'POST',
    '/de/texts',
    { xliff: '<xliff version="2.0" trgLang="fr"></xliff>' },
    /for the language fr/,
  ],
  ['a CSV without the language', 'POST', '/de/texts', { csv: 'en,fr\na,b\n' }, /No column is headed de/],
])('%s is refused', async (_, method, rest, body, says) => {
  await call('POST', '', { code: 'de' });
  const { status, answer } = await call(method, rest, body);
  expect(status).toBeGreaterThanOrEqual(400);
  expect(JSON.stringify(answer)).toMatch(says);
});

test('two languages that clash in a package or a template are refused', async () => {
  await call('POST', '', { code: 'de' });
  const { answer } = await ask(pool, ida, 'GET', at(place, '/model'));
  const twice = (answer.languages as Asked[]).flatMap((one) => [one, { ...one, label: 'Noch einmal' }]);
  const template = {
    template: 1,
    name: 'x',
    version: 1,
    label: 'X',
    description: '',
    purpose: '',
    dye: 'woad',
    icon: null,
    tables: [{ key: 'a', label: 'A', fields: [{ key: 'n', label: 'N', type: 'text' }] }],
    languages: twice.map(({ id: _, ...one }) => one),
    samples: {},
  };
  const refused = await ask(pool, ida, 'POST', '/api/templates', { template });
  expect(refused.status).toBe(422);
  expect(JSON.stringify(refused.answer)).toMatch(/de is here already/);
});

test('who may not see a field is told none of its texts, nor what they are elsewhere', async () => {
  await call('POST', '', { code: 'de' });
  await call('PATCH', '/de', { texts: german });
  await place.change({
    do: 'addPart',
    kind: 'role',
    part: {
      label: 'Some',
      description: '',
      workspace: [],
      others: { see: true, enter: false, change: false, delete: false, design: false },
      tables: {
        hives: { see: true, enter: false, change: false, delete: false, design: false, fields: { state: 'hidden' } },
      },
    },
  } as never);
  const noor = await makePerson(pool, `Noor`);
  const { rows } = await pool.query<{ id: string }>(
    `select r ->> 'id' as id from loom.workspaces w, jsonb_array_elements(w.model -> 'parts' -> 'role') r where w.key = $1`,
    [place.key],
  );
  await pool.query(
    `insert into loom.members (workspace, person, role) select id, $2, $3 from loom.workspaces where key = $1`,
    [place.key, noor.id, rows[0]?.id],
  );
  const seen = (await new Place(pool, place.key, noor).access()).workspace.model;
  expect(JSON.stringify(seen)).toContain('Nummer');
  expect(JSON.stringify(seen)).not.toMatch(/Zustand|stark|schwach/);
  expect((await call('GET', '', undefined, noor)).status).toBe(403);
});

test('languages go along in a package, and are undone like any change', async () => {
  await call('POST', '', { code: 'en', first: true });
  await call('POST', '', { code: 'de' });
  await call('PATCH', '/de', { texts: german });
  const { workspaces } = await broughtIn(pool, ida, await packageOf(pool, ida, place.key));
  const there = (await new Place(pool, workspaces[0]!, ida).access()).workspace.model;
  expect(languagesOf(there).map(({ code, first, texts }) => [code, first ?? false, texts])).toEqual([
    ['en', true, {}],
    ['de', false, german],
  ]);
  const { rows } = await pool.query<{ id: number }>(
    `select max(b.id) as id from loom.batches b join loom.workspaces w on w.id = b.workspace where w.key = $1`,
    [place.key],
  );
  await place.undo(Number(rows[0]!.id));
  expect(languagesOf((await place.access()).workspace.model)[1]?.texts).toEqual({});
});

test.each<readonly [wanted: string[], code: string | null]>([
  [['de'], 'de'],
  [['de-AT', 'en'], 'de'],
  [['en', 'de'], null],
  [['fr', 'de'], 'de'],
  [['fr'], null],
  [[], null],
  [['pt-BR'], 'pt-BR'],
  [['pt'], null],
])('who reads %j gets %j', (wanted, code) => {
  const language = (one: string, first = false) => ({
    id: one,
    label: one,
    code: one,
    texts: {},
    ...(first ? { first: true as const } : {}),
  });
  expect(languageFor([language('en', true), language('de'), language('pt-BR')], wanted)).toBe(code);
});

test('where records are entered, options keep the words that the server knows them by', async () => {
  await call('POST', '', { code: 'de' });
  await call('PATCH', '/de', { texts: german });
  const { workspace } = await place.access();
  const [table] = enteredIn(workspace.model, 'de').tables;
  expect(table?.label).toBe('Völker');
  expect(table?.fields[1]?.label).toBe('Zustand');
  const options = optionsOf(table?.fields[1]);
  const written = optionsOf(workspace.model.tables[0]?.fields[1]);
  expect(options.map(({ said: _, ...option }) => option)).toEqual(written);
  expect(options.map(({ label, said }) => said ?? label)).toEqual(written.map(({ label }) => german[label] ?? label));
  expect(options.some(({ said }) => said !== undefined)).toBe(true);
  // What somebody types in their language means the same as the word of the first.
  const type = table?.fields[1]?.type as EnteredType;
  for (const { id, label } of written)
    for (const word of [label, german[label] ?? label, (german[label] ?? label).toUpperCase()])
      expect(parseValue(word, type, plainReading)).toEqual({ ok: true, value: id });
});

const optionsOf = (field: Field | undefined): readonly Option[] =>
  field?.type.kind === 'option' ? field.type.options : [];

test('fields called as every object’s own are read, listed and translated like any other', async () => {
  const names = ['constructor', 'toString', 'valueOf', 'hasOwnProperty'];
  for (const [n, label] of names.entries())
    await place.change({ do: 'addField', table: 'hives', field: { label, key: `odd_${n}`, type: 'text' } });
  await call('POST', '', { code: 'de' });
  const shown = async () => {
    const [table] = inLanguage((await place.access()).workspace.model, 'de').tables;
    return table?.fields.filter(({ key }) => key.startsWith('odd_')).map(({ label }) => label);
  };
  expect(await shown()).toEqual(names);
  const { answer } = await call('GET', '');
  const lines = (answer.texts as { text: string; translations: Asked }[]).filter(({ text }) => names.includes(text));
  expect(lines.map(({ translations }) => translations)).toEqual(names.map(() => ({})));
  expect(answer.languages).toMatchObject([{ translated: 0 }]);
  const file = await fetched(place, at(place, '/languages/de/texts?format=csv'));
  for (const name of names) expect(file).toContain(`\r\n${name},,`);
  await call('PATCH', '/de', { texts: { constructor: 'Erbauer', toString: 'zu Text' } });
  expect(await shown()).toEqual(['Erbauer', 'zu Text', 'valueOf', 'hasOwnProperty']);
});

test('of translators who save at once nobody’s work is written over', async () => {
  await call('POST', '', { code: 'de' });
  const pairs = Object.entries(german);
  const answers = await Promise.all(pairs.map(([from, to]) => call('PATCH', '/de', { texts: { [from]: to } })));
  const { answer } = await call('GET', '');
  const there = (answer.texts as { text: string; translations: Asked }[]).flatMap(({ text, translations }) =>
    translations.de === undefined ? [] : [text],
  );
  const kept = pairs.filter((_, n) => answers[n]?.status === 200).map(([from]) => from);
  expect(kept.length).toBeGreaterThan(0);
  expect(there.toSorted()).toEqual(kept.toSorted());
  expect(answers.filter(({ status }) => status !== 200 && status !== 409)).toEqual([]);
});
