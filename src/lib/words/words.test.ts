import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, describe, expect, test } from 'vitest';
import { say, speakBy, type Words } from '$core/base/say';
import { roleWords } from '$ui/people/roleWords';
import { moduleTexts, sayInLanguages, sayInModules, speaks } from '../../../tools/words/preprocess.js';
import { textsOf } from '../../../tools/words/texts.js';
import { interfaceCode, interfaceCodes, wordsOf } from './languages';

const filesIn = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((one) =>
    one.isDirectory() ? filesIn(join(folder, one.name)) : [join(folder, one.name)],
  );
const sources = filesIn('src').map((path) => ({ path, text: readFileSync(path, 'utf8') }));
const components = sources.filter(({ path }) => path.endsWith('.svelte'));
const modules = sources.filter(({ path }) => speaks(`/${path}`));
const none = () => '""';
const holes = (text: string) => (text.match(/\{\d\}/g) ?? []).toSorted().join('');

describe.each(interfaceCodes.filter((code) => code !== 'en'))('the words in %s', (code) => {
  test('every text of every page has its words', async () => {
    const words: Words = (await wordsOf(code))?.words ?? {};
    const missing = [
      ...components.map(({ path, text }) => ({ path, texts: textsOf(text, none).texts })),
      ...modules.map(({ path, text }) => ({ path, texts: moduleTexts(text, none).texts })),
    ].flatMap(({ path, texts }) => [...texts].filter((text) => !(text in words)).map((text) => `${path}: ${text}`));
    expect(missing).toEqual([]);
  });

  test('what stands in a text stands in its words, and no words are left over from texts that went', async () => {
    const words: Words = (await wordsOf(code))?.words ?? {};
    const said = Object.entries(words);
    expect(said.length).toBeGreaterThan(2000);
    expect(said.filter(([text, turned]) => holes(text) !== holes(turned))).toEqual([]);
    const used = new Set([
      ...components.flatMap(({ text }) => [...textsOf(text, none).texts]),
      ...modules.flatMap(({ text }) => [...moduleTexts(text, none).texts]),
    ]);
    // The others are said of what registries call things.
    const all = sources
      .filter(({ path }) => !path.startsWith('src/lib/words/'))
      .map(({ text }) => text)
      .join('\n');
    const left = said
      .map(([text]) => text)
      .filter((text) => !used.has(text) && !all.includes(text.replaceAll(/ ?\{\d\} ?/g, '')));
    expect(left).toEqual([]);
  });
});

describe('what is said of a component', () => {
  const texts = (source: string) => [...textsOf(source, none).texts];
  test.each<[string, string, string[]]>([
    ['a sentence with what stands in it', '<p>{n} of {all} records</p>', ['{0} of {1} records']],
    ['lines as one', '<p>\n  One line,\n  and another\n</p>', ['One line, and another']],
    ['what is chosen between', "<p>{ok ? 'Saved' : `Not saved: ${why}`}</p>", ['Saved', 'Not saved: {0}']],
    ['a choice within a sentence', "<p>{n} {n === 1 ? 'hive' : 'hives'}.</p>", ['hive', 'hives']],
    [
      'attributes that are read',
      '<input placeholder="A name" aria-label="Name of {what}" class="wide">',
      ['A name', 'Name of {0}'],
    ],
    ['both forms of a count', "<p>{counted(n, 'entry', 'entries')}</p>", ['{0} entry', '{0} entries']],
    ['what is listed for a menu', "<Menu items={[{ label: 'Delete', run }]} />", ['Delete']],
    ['what a script lists', "<script>const items = [{ label: 'Print', id: 'print' }];</script>", ['Print']],
    ['what a script tells', "<script>const done = () => tell('It is saved.', 'key');</script>", ['It is saved.']],
    ['an option with its value', '<option value="a">First</option>', ['First']],
  ])('%s', (_, source, expected) => {
    expect(texts(source)).toEqual(expect.arrayContaining(expected));
  });

  test.each<[string, string]>([
    ['code', '<code>sum(weight)</code>'],
    ['keys', '<kbd>Ctrl</kbd>'],
    ['classes and types', '<input type="text" class="wide long">'],
    ['values', '<p>{hive.label}</p>'],
    ['an option whose text is its value', '<option>first</option>'],
    ['what the product is called', '<title>{table} · Inner Loom</title>'],
    ['what a module lists once for everybody', "<script module>export const all = [{ label: 'Grid' }];</script>"],
  ])('not %s', (_, source) => {
    expect(texts(source)).toEqual([]);
  });

  test('a module says what it gives when it is asked, and keeps what it lists', () => {
    const source =
      "const kinds = { a: { label: 'First' } };\nexport const dayWords = (n: number) => (n ? `${n} days` : 'today');";
    expect([...moduleTexts(source, none).texts]).toEqual(['{0} days', 'today']);
    const { transform } = sayInModules();
    expect(transform(source, '/x/src/lib/ui/a.ts')?.code).toContain('sayInWords("{0} days", n)');
    expect(transform(source, '/x/src/lib/server/a.ts')).toBeUndefined();
  });

  test('components are as they were where nothing is read, and import once what says it', () => {
    const { markup } = sayInLanguages();
    expect(markup({ content: '<i class="x"></i>', filename: 'a.svelte' })).toBeUndefined();
    const code = markup({
      content: '<script lang="ts">let n = 1;</script>\n<b>One</b> <b>Two {n}</b>',
      filename: 'a.svelte',
    })?.code;
    expect(code).toContain('<b>{sayInWords("One")}</b> <b>{sayInWords("Two {0}", n)}</b>');
    expect(code?.match(/import/g)?.length).toBe(1);
  });
});

describe('saying', () => {
  test('roles that every workspace has are called in the language that is spoken, one’s own as they were named', () => {
    speakBy(() => ({ code: 'de', words: { Reader: 'Leser', Board: 'Brett' } }));
    expect([roleWords('reader', 'Reader'), roleWords('role_1', 'Board'), roleWords('role_2', 'Reader')]).toEqual([
      'Leser',
      'Board',
      'Reader',
    ]);
  });

  afterEach(() => speakBy(() => null));

  test('what is not translated is said in English, with its values', () => {
    expect(say('{0} of {1}', 3, null)).toBe('3 of ');
    speakBy(() => ({ code: 'de', words: { '{0} of {1}': '{1}, davon {0}', Save: 'Speichern' } }));
    expect([say('{0} of {1}', 3, 10), say('Save'), say('Undo'), say('H-{0000}')]).toEqual([
      '10, davon 3',
      'Speichern',
      'Undo',
      'H-{0000}',
    ]);
    // What every object has is no text either.
    expect(['constructor', 'toString', '__proto__'].map((text) => say(text))).toEqual([
      'constructor',
      'toString',
      '__proto__',
    ]);
  });

  test.each<[string[], string]>([
    [['de-AT', 'en'], 'de'],
    [['fr', 'DE'], 'de'],
    [['en-GB', 'de'], 'en'],
    [['fr'], 'en'],
    [[], 'en'],
  ])('who reads %j is answered in %s', (wanted, code) => {
    expect(interfaceCode(wanted)).toBe(code);
  });
});
