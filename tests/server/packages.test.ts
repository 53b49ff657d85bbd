import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { enteredKinds } from '$core/fieldTypes/registry';
import { partKinds } from '$core/parts/parts';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { keepFile } from '$server/files/store';
import { shippedTemplates } from '$server/templates/shipped';
import { ask, at, type Asked } from './calls';
import { freshDatabase, makePerson } from './database';
import { makeDemo } from '../../demo/make';
import { broughtIn, contentsOf, packageOf } from './packing';
import { Found, generated } from './generated';
import { makePlace, Place, text } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('packages_of'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

async function done<T = Asked>(method: string, path: string, body?: unknown, by = ida): Promise<T> {
  const { status, text, answer } = await ask(pool, by, method, path, body);
  if (status !== 200) throw new Error(`${method} ${path}: ${text}`);
  return answer as T;
}

/** Taken out, brought into a new workspace and taken out again it is the same, but for its key. */
async function isTheSame(key: string, over = pool, by = ida): Promise<void> {
  const first = await packageOf(over, by, key);
  const { workspaces, notes } = await broughtIn(over, by, first);
  expect(notes).toEqual([]);
  const was = contentsOf(first);
  const keys = (JSON.parse(was['structure.json'] ?? '{}') as { workspaces: { key: string }[] }).workspaces;
  const now = contentsOf(
    await packageOf(over, by, workspaces[0]!),
    Object.fromEntries(workspaces.map((one, index) => [one, keys[index]!.key])),
  );
  expect(Object.keys(now)).toEqual(Object.keys(was));
  for (const name of Object.keys(was)) expect(now[name], name).toEqual(was[name]);
  const same = keys.map((one, index) => [one.key, workspaces[index]!] as const);
  expect(
    await modelsOf(
      over,
      same.map(([, to]) => to),
      Object.fromEntries(same.map(([a, b]) => [b, a])),
    ),
  ).toEqual(
    await modelsOf(
      over,
      same.map(([from]) => from),
    ),
  );
  for (const [from, to] of same) expect(await rowsOf(over, to)).toEqual(await rowsOf(over, from));
}

type Json = { readonly [name: string]: unknown };

/** What the catalogue holds of workspaces, with what identities stand for in their place. */
async function modelsOf(over: Pool, keys: readonly string[], turned: Readonly<Record<string, string>> = {}) {
  const { rows } = await over.query<{ model: unknown }>(
    `select model from unnest($1::text[]) with ordinality k(key, n) join loom.workspaces w using (key) order by n`,
    [keys],
  );
  const names = new Map<string, string>();
  const collect = (value: unknown, within: string): void => {
    if (typeof value !== 'object' || value === null) return;
    const { id, key, label, message } = value as Json;
    const own = key ?? label ?? message;
    if (typeof id === 'string' && /^[a-z]_[0-9a-z]{8,}$/.test(id) && typeof own === 'string')
      names.set(id, `${id[0]!} ${within}${own}`);
    const inside = typeof own === 'string' && id !== undefined ? `${own} / ` : within;
    for (const one of Object.values(value)) collect(one, inside);
  };
  // Tables of pairs are shown nowhere: their place and their look are nobody's.
  const models = rows.map(({ model }) => {
    const { tables, ...rest } = model as Json & { tables: Json[] };
    const shown = tables.filter(({ pairs }) => !pairs);
    const pairs = tables.filter(({ pairs: is }) => is).map(({ dye: _, ...one }) => one);
    return { ...rest, tables: [...shown, ...pairs.toSorted((a, b) => (String(a.key) < String(b.key) ? -1 : 1))] };
  });
  collect(models, '');
  const named = (value: unknown): unknown => {
    if (typeof value === 'string') return names.get(value) ?? turned[value] ?? value;
    if (Array.isArray(value)) return value.map(named);
    if (typeof value !== 'object' || value === null) return value;
    return Object.fromEntries(Object.entries(value).map(([name, one]) => [names.get(name) ?? name, named(one)]));
  };
  return named(models);
}

/** Every column of every table that stands, what is calculated included. */
async function rowsOf(over: Pool, key: string): Promise<Record<string, unknown>> {
  const { rows: tables } = await over.query<{ name: string }>(
    `select relname as name from pg_class where relnamespace = $1::regnamespace and relkind = 'r' and relname !~ '^_' order by 1`,
    [key],
  );
  const all: Record<string, unknown> = {};
  for (const { name } of tables)
    all[name] = (await over.query(`select to_jsonb(t) - '_version' as row from ${key}.${name} t order by _id`)).rows;
  return all;
}

describe('a whole workspace, taken out and brought into a new one, is the same when it is taken out again', () => {
  test.each(shippedTemplates().map((template) => [template.name, template] as const))(
    'made of %s',
    async (_, template) => {
      const place = await makePlace(pool, ida, template.label);
      const { use } = await done<{ use: number }>('POST', at(place, '/templates/plan'), { template, samples: true });
      await done('POST', at(place, '/templates/apply'), { use });
      await isTheSame(place.key);
    },
  );
});

// So many by each run; all two hundred by themselves, as they take minutes.
const many = Number(process.env.LOOM_PACKAGES ?? 6);

test(`${many} workspaces made by chance, with every kind of field, link and part`, async () => {
  const found = new Found();
  for (let start = 1; start <= many; start++) {
    const key = await generated(pool, ida, start, found);
    await isTheSame(key).catch((error: unknown) => {
      throw new Error(`start ${start}: ${String(error)}`, { cause: error });
    });
  }
  const missing = [
    ...partKinds,
    ...enteredKinds.filter((kind) => kind !== 'link').map((kind) => `field ${kind}`),
    'links',
    'links to many',
    'limits',
    'formulas',
    'formulas over links',
    'rules',
    'files',
    'linked workspaces',
  ].filter((kind) => !found.counts.get(kind));
  expect(missing).toEqual([]);
}, 1_800_000);

describe('the demo’s workspaces', () => {
  let demo: Awaited<ReturnType<typeof freshDatabase>>;
  let administrator: Person;
  beforeAll(async () => {
    demo = await freshDatabase('packages_demo');
    await makeDemo(demo.pool);
    const { rows } = await demo.pool.query<Person>(`select id, email, name from loom.people where email like 'ida@%'`);
    administrator = rows[0]!;
  }, 120_000);
  afterAll(() => demo.drop());

  test.each(['apiaries', 'outreach'])('%s, with what it is linked with', async (key) => {
    await isTheSame(key, demo.pool, administrator);
  });
});

interface Packed {
  readonly texts: Record<string, string>;
  readonly bytes: Buffer;
}

/** A small package, to be spoiled. */
async function small(): Promise<Packed> {
  const place = await makePlace(pool, ida, 'Spoiled');
  await place.change(
    {
      do: 'addTable',
      label: 'Hives',
      key: 'hives',
      fields: [
        { label: 'Number', key: 'number', type: 'text', unique: true },
        { label: 'Weight', key: 'weight', type: 'number', digits: 1 },
        { label: 'State', key: 'state', type: 'option', options: ['strong', 'weak'] },
        { label: 'Papers', key: 'papers', type: 'files' },
        { label: 'Keeper', key: 'keeper', type: 'member' },
        { label: 'Mail', key: 'mail', type: 'email' },
        { label: 'Twice', key: 'twice', type: 'formula', formula: 'weight * 2' },
      ],
    },
    { do: 'addField', table: 'hives', field: { label: 'From', key: 'from_hive', type: 'link', to: 'hives' } },
  );
  const path = join(await mkdtemp(join(tmpdir(), 'loom-spoil-')), 'a.txt');
  await writeFile(path, 'what stood on paper');
  const paper = await keepFile(pool, await place.access(), { path, name: 'paper.txt' });
  await place.insert(
    'hives',
    { number: 'H1', weight: 12.5, state: 'strong', papers: [paper], keeper: ida.id, mail: 'h@alderfold.example' },
    { number: 'H2', weight: 3 },
  );
  await place.write('hives', { update: [{ id: 2, values: { from_hive: 1 } }] });
  const bytes = await packageOf(pool, ida, place.key);
  return { texts: contentsOf(bytes), bytes };
}

/** The package with some of its files written otherwise; null takes one out. */
function spoiled(
  { bytes }: Packed,
  change: Readonly<Record<string, string | null | ((text: string) => string)>>,
): Uint8Array {
  const files = new Map(Object.entries(unzipSync(bytes)));
  for (const [name, to] of Object.entries(change)) {
    const was = files.get(name) ?? new Uint8Array();
    if (to === null) files.delete(name);
    else files.set(name, strToU8(typeof to === 'string' ? to : to(strFromU8(was))));
  }
  return zipSync(Object.fromEntries(files));
}

describe('a package that is no good is refused in words, and leaves nothing', () => {
  let good: Packed;
  let data = '';
  beforeAll(async () => {
    good = await small();
    data = Object.keys(good.texts).find((name) => name.endsWith('.hives.csv')) ?? '';
  });

  type Spoil = Parameters<typeof spoiled>[1];
  const structure = (
    turn: (json: {
      package: number;
      workspaces: { key: string; structure: { tables: Record<string, unknown>[] } }[];
    }) => unknown,
  ): Spoil => ({
    'structure.json': (text) => JSON.stringify(turn(JSON.parse(text) as never)),
  });
  const cases: readonly (readonly [string, () => Uint8Array | Spoil, RegExp])[] = [
    ['cut off', () => good.bytes.subarray(0, good.bytes.length - 700), /cut off or damaged/],
    ['no archive', () => strToU8('PK but no archive'), /cut off or damaged/],
    [
      'bytes changed within',
      () => good.bytes.map((byte, at) => (at > 300 && at < 600 ? byte ^ 255 : byte)),
      /cut off or damaged/,
    ],
    ['another archive', () => zipSync({ 'a.txt': strToU8('a') }), /no package of a workspace/],
    ['without its structure', () => ({ 'structure.json': null }), /no package of a workspace/],
    ['a structure that is no JSON', () => ({ 'structure.json': '{' }), /no JSON/],
    ['of a newer version', () => structure((json) => ({ ...json, package: 7 })), /newer version of the program/],
    ['no workspace in it', () => structure((json) => ({ ...json, workspaces: [] })), /cannot be read/],
    [
      'a key that leads out of its schema',
      () => structure((json) => ({ ...json, workspaces: [{ ...json.workspaces[0], key: 'x"; drop schema loom' }] })),
      /cannot be read/,
    ],
    [
      'a formula over a field that is not there',
      () => ({ 'structure.json': (text) => text.replace('weight * 2', 'gone * 2') }),
      /gone/,
    ],
    [
      'a link to a table that is not there',
      () => ({ 'structure.json': (text) => text.replace('"to": "hives"', '"to": "bees"') }),
      /bees/,
    ],
    ['formulas in a circle', () => ({ 'structure.json': (text) => text.replace('weight * 2', 'twice + 1') }), /./],
    ['records missing', () => ({ [data]: null }), /is missing/],
    ['a column missing', () => ({ [data]: (text) => text.replace(',weight', '') }), /cannot be read/],
    [
      'a column too many in one line',
      () => ({ [data]: (text) => text.replace('H1', 'H1,more') }),
      /cannot be read.*line 2/,
    ],
    ['a number that is none', () => ({ [data]: (text) => text.replace('12.5', 'heavy') }), /no value of its column/],
    [
      'more decimals than the field has',
      () => ({ [data]: (text) => text.replace('12.5', '12.55') }),
      /“weight” of record 1/,
    ],
    ['an option that is none', () => ({ [data]: (text) => text.replace('strong', 'fierce') }), /“state” of record 1/],
    [
      'an email that is none',
      () => ({ [data]: (text) => text.replace('h@alderfold.example', 'nobody') }),
      /“mail” of record 1/,
    ],
    [
      'a value twice where it is unique',
      () => ({ [data]: (text) => text.replace('H2', 'H1') }),
      /Number must be unique/,
    ],
    ['a record twice', () => ({ [data]: (text) => text.replace(/\n2,/, '\n1,') }), /./],
    ['a number below nothing', () => ({ [data]: (text) => text.replace(/\n2,/, '\n-2,') }), /the number of record -2/],
    [
      'a link to a record that is not there',
      () => ({ [data]: (text) => text.replace(/,1,(?=[^,]*,[^,]*,[^,]*,[^,]*\n$)/, ',77,') }),
      /points at a record that is not there/,
    ],
    [
      'a file that is not in it',
      () => ({ [Object.keys(good.texts).find((name) => name.startsWith('files/')) ?? '']: null }),
      /names a file that is not in it/,
    ],
    [
      'a file that is another one',
      () => ({ [Object.keys(good.texts).find((name) => name.startsWith('files/')) ?? '']: 'something else' }),
      /is not what it says/,
    ],
    [
      'a reference to a file that was not sent',
      () => ({ [data]: (text) => text.replaceAll(/[0-9a-f]{64}/g, 'a'.repeat(64)) }),
      /“papers” of record 1/,
    ],
  ];
  test.each(cases)('%s', async (_, spoil, words) => {
    const made = spoil();
    const bytes = made instanceof Uint8Array ? made : spoiled(good, made);
    if (!(made instanceof Uint8Array)) expect(Buffer.from(bytes).equals(good.bytes)).toBe(false);
    const before = await pool.query(`select count(*)::int as n from loom.workspaces`);
    await expect(broughtIn(pool, ida, bytes)).rejects.toThrow(words);
    expect((await pool.query(`select count(*)::int as n from loom.workspaces`)).rows).toEqual(before.rows);
  });

  test('paths that lead outside are never gone by', async () => {
    const files = unzipSync(good.bytes);
    const evil = zipSync({ ...files, '../../escaped.txt': strToU8('out'), '/tmp/loom-escaped.txt': strToU8('out') });
    await expect(broughtIn(pool, ida, evil)).rejects.toThrow(/cut off or damaged/);
    expect(existsSync('/tmp/loom-escaped.txt')).toBe(false);
    const named = spoiled(good, {
      'datapackage.json': (text) => text.replaceAll(/"path": "files\/[0-9a-f]+"/g, '"path": "../../../etc/passwd"'),
    });
    await expect(broughtIn(pool, ida, named)).rejects.toThrow(/“papers” of record 1/);
  });

  test('whoever knows the hash of a file that stands here does not get it by a package', async () => {
    const secret = strToU8('kept in another workspace');
    const hash = createHash('sha256').update(secret).digest('hex');
    const place = await makePlace(pool, ida, 'Holds it');
    const path = join(await mkdtemp(join(tmpdir(), 'loom-spoil-')), 'secret.txt');
    await writeFile(path, secret);
    await keepFile(pool, await place.access(), { path, name: 'secret.txt' });
    const old = Object.keys(good.texts).find((name) => name.startsWith('files/')) ?? '';
    const was = old.slice('files/'.length);
    const claimed = spoiled(good, {
      'datapackage.json': (text) => text.replaceAll(was, hash),
      [data]: (text) => text.replaceAll(was, hash),
      [old]: null,
      [`files/${hash}`]: 'whatever',
    });
    await expect(broughtIn(pool, ida, claimed)).rejects.toThrow(/is not what it says/);
  });
});

describe('on another server', () => {
  test('people who are not in its Directory are set aside and said; values, files and numbers are as they were', async () => {
    const there = await freshDatabase('packages_there');
    try {
      const noor = await makePerson(there.pool, 'Noor');
      const { bytes } = await small();
      const { workspaces, records, notes } = await broughtIn(there.pool, noor, bytes);
      expect(records).toBe(2);
      expect(notes.join('\n')).toMatch(
        /“Keeper” names people who are not in the Directory here \(ida@alderfold.example\)/,
      );
      const place = new Place(there.pool, workspaces[0]!, noor);
      expect(await place.values('hives', 'number')).toEqual(['H1', 'H2']);
      expect(await place.values('hives', 'twice')).toEqual([25, 6]);
      expect(await place.values('hives', 'keeper')).toEqual([null, null]);
      const { answer } = await ask(there.pool, noor, 'GET', at(place, '/set-aside'));
      expect(JSON.stringify(answer)).toContain('is nobody of the Directory here');
      const [made] = await place.insert('hives', { number: 'H3' });
      expect(made?.id).toBe(3);
    } finally {
      await there.drop();
    }
  });
});

describe('who may take a whole workspace out', () => {
  test('nobody who does not see all of it', async () => {
    const place = await makePlace(pool, ida, 'Guarded');
    await place.change({ do: 'addTable', label: 'Things', key: 'things', fields: [text('Name')] });
    const noor = await makePerson(pool, 'Noor');
    for (const role of ['reader', 'editor']) {
      await pool.query(
        `insert into loom.members (workspace, person, role) select id, $2, $3 from loom.workspaces where key = $1
         on conflict (workspace, person) do update set role = $3`,
        [place.key, noor.id, role],
      );
      const { status } = await ask(pool, noor, 'GET', at(place, '/package/look'));
      expect(status, role).toBeGreaterThanOrEqual(403);
    }
    expect((await ask(pool, ida, 'GET', at(place, '/package/look'))).answer).toMatchObject({
      tables: 1,
      files: 0,
      left: [],
    });
  });

  test('what others have for themselves alone is not in it', async () => {
    const place = await makePlace(pool, ida, 'With something private');
    await place.change({ do: 'addTable', label: 'Shared', key: 'shared', fields: [text('Name')] });
    const pell = await makePerson(pool, 'Pell');
    await pool.query(
      `insert into loom.members (workspace, person, role) select id, $2, 'administrator' from loom.workspaces where key = $1`,
      [place.key, pell.id],
    );
    const theirs = new Place(pool, place.key, pell);
    await theirs.change({
      do: 'addTable',
      label: 'Diary',
      key: 'diary',
      private: true,
      fields: [text('Line')],
    } as never);
    await theirs.insert('diary', { line: 'not for you' });
    const texts = contentsOf(await packageOf(pool, ida, place.key));
    expect(JSON.stringify(texts)).not.toMatch(/diary|not for you/i);
    expect(JSON.stringify(contentsOf(await packageOf(pool, pell, place.key)))).toMatch(/not for you/);
  });
});

test('without those that it is linked with, what leads there is left out and said', async () => {
  const [one, two] = [await makePlace(pool, ida, 'Near'), await makePlace(pool, ida, 'Far')];
  await two.change({ do: 'addTable', label: 'Targets', key: 'targets', fields: [text('Name')] });
  await one.change({ do: 'addTable', label: 'Sources', key: 'sources', fields: [text('Name')] });
  await one.change({
    do: 'addField',
    table: 'sources',
    field: { label: 'Target', key: 'target', type: 'link', to: `${two.key}.targets` },
  });
  await one.insert('sources', { name: 'a' });
  const { answer } = await ask(pool, ida, 'GET', at(one, '/package/look?linked=false'));
  expect(answer.left).toEqual(['Sources.Target: it links to Targets, which is not taken']);
  const { workspaces } = await broughtIn(pool, ida, await packageOf(pool, ida, one.key, false));
  expect(workspaces).toHaveLength(1);
  expect(await new Place(pool, workspaces[0]!, ida).values('sources', 'name')).toEqual(['a']);
});
