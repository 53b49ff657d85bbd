import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import { endpoints } from '$server/api/openapi';
import type { Pool } from '$server/database/pool';
import { ChangeListener } from '$server/live/events';
import { beginIntake, readIntake } from '$server/intake/intakes';
import { answered, called, callerBy, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';
import { makePlace, Place, text } from './place';

/** Tom keeps a diary of his own in a workspace that Ida administers as he does. */
let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let [ida, tom, pell]: Person[] = [];
let place: Place;
let toms: Place;
let places = 0;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('private_tables'));
  [ida, tom, pell] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Tom'), await makePerson(pool, 'Pell')];
});
afterAll(() => drop());

async function ask(by: Person, method: string, path: string, body?: unknown) {
  const { endpoint, params } = endpointAt(method, path.split('?')[0] ?? '');
  const query = Object.fromEntries(new URLSearchParams(path.split('?')[1]));
  const { status, text: answer } = await called(pool, by, endpoint, params, query, body);
  return {
    status,
    text: answer,
    answer: answer.startsWith('{') ? (JSON.parse(answer) as Record<string, unknown>) : {},
  };
}
const ws = (rest = ''): string => `/api/workspaces/${place.key}${rest}`;
const labels = async (by: Person): Promise<string[]> =>
  ((await ask(by, 'GET', ws('/model'))).answer.tables as { label: string }[]).map(({ label }) => label);
const titles = async (by: Person): Promise<string[]> =>
  ((await ask(by, 'GET', ws('/history'))).answer.items as { title: string }[]).map(({ title }) => title);
const planned = async (by: Person, ...changes: unknown[]) => ask(by, 'POST', ws('/plans'), { changes });

beforeEach(async () => {
  place = await makePlace(pool, ida!, `Bees ${++places}`);
  toms = new Place(pool, place.key, tom!);
  for (const [person, role] of [
    [tom!, 'administrator'],
    [pell!, 'reader'],
  ] as const)
    await ask(ida!, 'POST', ws('/members'), { person: person.id, role });
  await place.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] } as never);
  await place.insert('hives', { number: 'H-1' }, { number: 'H-2' });
  await toms.change(
    { do: 'addTable', label: 'Diary', private: true, fields: [text('Word')] } as never,
    {
      do: 'addField',
      table: 'diary',
      field: { label: 'Hive', type: 'link', to: 'hives', onDelete: 'clear', counterpart: { label: 'Notes' } },
    } as never,
  );
  await toms.insert('diary', { word: 'quiet', hive: 1 }, { word: 'loud', hive: 2 });
});

describe('a private table', () => {
  test('is there for its owner, and for nobody else until it is shared', async () => {
    expect(await labels(tom!)).toEqual(['Hives', 'Diary']);
    for (const other of [ida!, pell!]) {
      expect(await labels(other)).toEqual(['Hives']);
      const [there, nowhere] = [
        await ask(other, 'GET', ws('/tables/diary/records')),
        await ask(other, 'GET', ws('/tables/nothing/records')),
      ];
      expect([there.status, there.text]).toEqual([404, nowhere.text.replaceAll('nothing', 'diary')]);
      expect((await ask(other, 'GET', ws('/tables/hives/records'))).text).not.toMatch(/notes|quiet/);
    }
    expect((await ask(tom!, 'GET', ws('/model'))).text).toContain('"private":true');
    await toms.change({ do: 'changeTable', table: 'diary', set: { private: false } } as never);
    for (const other of [tom!, ida!, pell!]) expect(await labels(other)).toEqual(['Hives', 'Diary']);
    expect((await ask(ida!, 'GET', ws('/tables/hives/records'))).text).toContain('notes');
    const again = await planned(tom!, { do: 'changeTable', table: 'diary', set: { private: true } });
    expect([again.status, again.text]).toEqual([422, expect.stringContaining('Diary is shared')]);
    expect((await planned(tom!, { do: 'copyTable', table: 'diary', label: 'Own', private: true })).status).toBe(200);
  });

  test('is named by no plan, step or bin of others, and nothing they send reaches it', async () => {
    const { tables } = (await ask(tom!, 'GET', ws('/model'))).answer as unknown as { tables: { id: string }[] };
    const id = tables[1]!.id;
    for (const name of ['diary', id])
      for (const change of [
        { do: 'changeTable', table: name, set: { label: 'Mine' } },
        { do: 'changeTable', table: name, set: { private: false } },
        { do: 'removeTable', table: name },
        { do: 'addField', table: name, field: text('More') },
        {
          do: 'addField',
          table: 'hives',
          field: { label: 'To', type: 'link', to: name, counterpart: { label: 'Of' } },
        },
        { do: 'copyTable', table: name, label: 'Copy' },
      ]) {
        const refused = await planned(ida!, change);
        expect([change, refused.status]).toEqual([change, 422]);
        expect(refused.text).not.toMatch(/quiet|Diary|private/);
      }
    const own = await planned(tom!, { do: 'changeTable', table: 'diary', set: { description: 'Mine.' } });
    expect((await ask(ida!, 'POST', ws(`/plans/${String(own.answer.id)}/apply`))).status).toBe(403);
    const before = await titles(tom!);
    expect(before.filter((title) => /Diary/i.test(title)).length).toBeGreaterThan(0);
    expect((await titles(ida!)).filter((title) => /diary/i.test(title))).toEqual([]);
    const { items } = (await ask(ida!, 'GET', ws('/history'))).answer as unknown as {
      items: { id: number; title: string }[];
    };
    for (const { id: batch } of items.filter(({ title }) => /may not see/.test(title))) {
      expect((await ask(ida!, 'POST', ws(`/batches/${batch}/undo`), {})).status).toBe(403);
      const plan = await ask(ida!, 'POST', ws(`/batches/${batch}/undo`), { dry: true });
      expect([plan.status, /diary/i.test(plan.text)]).toEqual([403, false]);
    }
    const gone = await toms.change({ do: 'removeTable', table: 'diary' } as never);
    expect((await ask(ida!, 'GET', ws('/bin'))).text).not.toMatch(/diary|quiet/i);
    expect((await ask(tom!, 'GET', ws('/bin'))).text).toContain('Diary');
    expect((await ask(ida!, 'POST', ws('/bin/restore'), { kind: 'table', batch: gone, id })).status).not.toBe(200);
    expect((await ask(ida!, 'POST', ws(`/batches/${gone}/undo`))).status).toBe(403);
    expect((await ask(tom!, 'POST', ws(`/batches/${gone}/undo`))).status).toBe(200);
    expect(await labels(tom!)).toEqual(['Hives', 'Diary']);
    expect(await labels(ida!)).toEqual(['Hives']);
  });

  test('takes no name from others: who makes one called the same has it, and it is shared under another name', async () => {
    await place.change({ do: 'addTable', label: 'Diary', fields: [text('Word')] } as never);
    expect(await labels(ida!)).toEqual(['Hives', 'Diary']);
    expect((await ask(ida!, 'GET', ws('/model'))).text).toContain('"key":"diary_2"');
    const refused = await planned(tom!, { do: 'changeTable', table: 'diary', set: { private: false } });
    expect(refused.text).toContain('There is a table Diary already');
    await toms.change({ do: 'changeTable', table: 'diary', set: { private: false, label: 'Diary of Tom' } } as never);
    expect(await labels(ida!)).toEqual(['Hives', 'Diary', 'Diary of Tom']);
  });

  test('follows the tables that it is linked with: a record deleted by others, and brought back, with its link', async () => {
    const removed = await ask(ida!, 'DELETE', ws('/tables/hives/records'), { ids: [1] });
    expect([removed.status, /quiet|diary|notes/i.test(removed.text)]).toEqual([200, false]);
    expect(await toms.values('diary', 'hive')).toEqual([null, expect.objectContaining({ id: 2 })]);
    const undone = await ask(ida!, 'POST', ws(`/batches/${String(removed.answer.batch)}/undo`));
    expect(undone.status).toBe(200);
    expect(await toms.values('diary', 'hive')).toEqual([
      expect.objectContaining({ id: 1 }),
      expect.objectContaining({ id: 2 }),
    ]);
    const away = await planned(ida!, { do: 'removeTable', table: 'hives' });
    expect([away.status, away.answer.possible, /diary|notes/i.test(away.text)]).toEqual([200, false, false]);
    expect(away.text).toContain('may not see');
  });

  test('gives its numbers to a formula of a shared table, which says so beforehand and traces nothing', async () => {
    const change = {
      do: 'addField',
      table: 'hives',
      field: { label: 'Noted', type: 'formula', formula: 'count(notes)' },
    };
    expect((await planned(tom!, change)).text).toContain('Diary.');
    await toms.change(change as never);
    const read = await ask(ida!, 'GET', ws('/tables/hives/records'));
    expect(read.text).toContain('"noted":1');
    expect((await ask(ida!, 'GET', ws('/model'))).text).not.toMatch(/count\(|notes|Diary/);
    expect((await ask(ida!, 'GET', ws('/tables/hives/fields/noted/trace/1'))).text).not.toMatch(/quiet|Diary/);
    await toms.insert('diary', { word: 'again', hive: 1 });
    expect((await ask(ida!, 'GET', ws('/tables/hives/records'))).text).toContain('"noted":2');
  });

  test('is not seen by way of its owner, of a role, of a linked workspace, of an analyst or of a form', async () => {
    const as = { ...ida!, seeAs: { workspace: (await place.access()).workspace.id, person: tom!.id } };
    expect(await labels(as)).toEqual(['Hives']);
    const role = {
      label: 'Readers of the diary',
      others: { see: true },
      tables: { hives: { see: 'count(notes) > 0' }, diary: { see: true, change: true } },
    };
    const made = await ask(tom!, 'POST', ws('/roles'), role);
    expect(made.status).toBe(200);
    const listed = await ask(ida!, 'GET', ws('/roles'));
    expect([listed.status, /diary":|notes/.test(listed.text)]).toEqual([200, false]);
    const tried = await ask(ida!, 'POST', ws('/roles/try'), { role: { others: { see: true } } });
    expect([tried.status, /diary|notes/i.test(tried.text)]).toEqual([200, false]);
    for (const tables of [{ diary: { see: true } }, { hives: { see: 'count(notes) > 0' } }])
      expect((await ask(ida!, 'POST', ws('/roles/try'), { role: { tables } })).status).toBe(422);
    const changed = await ask(ida!, 'PATCH', ws(`/roles/${String(made.answer.id)}`), { ...role, tables: {} });
    expect([changed.status, /reads fields that you may not see/.test(changed.text)]).toEqual([403, true]);
    await ask(tom!, 'PATCH', ws(`/members/${pell!.id}`), { role: made.answer.id });
    expect(await labels(pell!)).toEqual(['Hives']);

    const other = await makePlace(pool, ida!, `Honey ${places}`);
    await other.change({ do: 'addTable', label: 'Lots', fields: [text('Code')] } as never);
    await pool.query(
      'insert into loom.members (workspace, person, role) select id, $1, $$administrator$$ from loom.workspaces where key = $2',
      [tom!.id, other.key],
    );
    await toms.change({
      do: 'addField',
      table: 'diary',
      field: { label: 'Lot', type: 'link', to: `${other.key}.lots`, counterpart: { label: 'Diary notes' } },
    } as never);
    const across = await ask(ida!, 'GET', `/api/workspaces/${other.key}/model`);
    expect([across.status, /diary/i.test(across.text)]).toEqual([200, false]);
    expect((await ask(tom!, 'GET', `/api/workspaces/${other.key}/model`)).text).toContain('Diary notes');

    await toms.change({
      do: 'addPart',
      kind: 'form',
      table: 'diary',
      part: { label: 'Ask', audience: 'outside', elements: [{ field: 'word' }] },
    } as never);
    const { forms } = ((await ask(tom!, 'GET', ws('/model'))).answer.tables as { forms: { id: string }[] }[])[1]!;
    const address = await ask(tom!, 'POST', ws(`/tables/diary/forms/${forms[0]!.id}/addresses`), { label: 'all' });
    expect([address.status, /Diary is private/.test(address.text)]).toEqual([422, true]);
  });

  test('stays private where its structure is copied or carried to another workspace', async () => {
    await toms.change({ do: 'copyTable', table: 'diary', label: 'Diary 2' } as never);
    expect(await labels(ida!)).toEqual(['Hives']);
    const structure = await ask(tom!, 'GET', ws('/export?format=structure'));
    const second = await makePlace(pool, ida!, `Copy ${places}`);
    await pool.query(
      'insert into loom.members (workspace, person, role) select id, $1, $$administrator$$ from loom.workspaces where key = $2',
      [tom!.id, second.key],
    );
    const plan = await ask(tom!, 'POST', `/api/workspaces/${second.key}/structure/import`, JSON.parse(structure.text));
    expect([plan.status, plan.answer.possible]).toEqual([200, true]);
    await ask(tom!, 'POST', `/api/workspaces/${second.key}/plans/${String(plan.answer.id)}/apply`);
    place = second;
    expect([await labels(tom!), await labels(ida!)]).toEqual([['Hives', 'Diary', 'Diary 2'], ['Hives']]);
  });
});

test('what somebody who left kept private is taken over by an administrator, and by nobody while they are in', async () => {
  const path = ws(`/private-tables/${tom!.id}`);
  expect((await ask(ida!, 'GET', ws('/private-tables'))).answer.items).toEqual([]);
  expect((await ask(ida!, 'POST', path)).text).toContain('Tom is in this workspace');
  expect((await ask(pell!, 'POST', path)).status).toBe(403);
  const { batch } = await toms.write('diary', { update: [{ id: 1, values: { word: 'hushed' } }] });
  await ask(ida!, 'DELETE', ws(`/members/${tom!.id}`));
  const left = await ask(ida!, 'GET', ws('/private-tables'));
  expect(left.answer.items).toEqual([{ person: tom!.id, name: 'Tom', tables: 1 }]);
  expect(left.text).not.toMatch(/diary/i);
  expect(await labels(ida!)).toEqual(['Hives']);
  expect((await ask(ida!, 'POST', path)).status).toBe(200);
  expect([await labels(ida!), await labels(pell!)]).toEqual([['Hives', 'Diary'], ['Hives']]);
  expect((await ask(ida!, 'GET', ws('/audit'))).text).toContain('took over a private table of Tom');
  expect((await titles(ida!)).filter((title) => /Diary/.test(title)).length).toBeGreaterThan(1);
  expect((await ask(ida!, 'POST', ws(`/batches/${batch}/undo`))).status).toBe(200);
  expect(await place.values('diary', 'word')).toEqual(['quiet', 'loud']);
  expect((await ask(ida!, 'POST', path)).status).toBe(404);
  await place.change({ do: 'changeTable', table: 'diary', set: { private: false } } as never);
  expect(await labels(pell!)).toEqual(['Hives', 'Diary']);
  await ask(ida!, 'POST', ws('/members'), { person: tom!.id, role: 'administrator' });
  expect(await labels(tom!)).toEqual(['Hives', 'Diary']);
});

test('others hear that something happened, and not where', async () => {
  const listener = new ChangeListener(url);
  await listener.start();
  const { tables } = (await ask(tom!, 'GET', ws('/model'))).answer as unknown as { tables: { id: string }[] };
  const { endpoint, params } = endpointAt('GET', ws('/events'));
  const hears = async (by: Person) => {
    const stream = await answered(pool, by, endpoint, params, new Request('http://loom.example/'), listener);
    const reader = stream.body!.getReader();
    const heard: string[] = [];
    void (async () => {
      for (let piece = await reader.read(); !piece.done; piece = await reader.read())
        heard.push(new TextDecoder().decode(piece.value as Uint8Array));
    })();
    return { heard, stop: () => reader.cancel() };
  };
  const [own, other] = [await hears(tom!), await hears(ida!)];
  await toms.insert('diary', { word: 'whispered', hive: 1 });
  await expect.poll(() => own.heard.join()).toContain(tables[1]!.id);
  await expect.poll(() => other.heard.join()).toContain('"batch"');
  expect(other.heard.join()).not.toContain(tables[1]!.id);
  await Promise.all([own.stop(), other.stop()]);
  await listener.stop();
});

test('a form of it is open to nobody outside, also at an address from when it was shared', async () => {
  const shared = await toms.change({ do: 'changeTable', table: 'diary', set: { private: false } } as never);
  await toms.change({
    do: 'addPart',
    kind: 'form',
    table: 'diary',
    part: { label: 'Ask', audience: 'outside', elements: [{ field: 'word' }] },
  } as never);
  const { tables } = (await ask(tom!, 'GET', ws('/model'))).answer as { tables: { forms: { id: string }[] }[] };
  const form = tables[1]!.forms[0]!.id;
  const made = await ask(tom!, 'POST', ws(`/tables/diary/forms/${form}/addresses`), { label: 'all' });
  expect(made.status, made.text).toBe(200);
  const open = async () => (await ask(pell!, 'GET', `/api/forms/${String(made.answer.path).split('/').at(-1)}`)).status;
  expect(await open()).toBe(200);
  const undone = await ask(tom!, 'POST', ws(`/batches/${shared}/undo`));
  expect([undone.status, await labels(ida!)]).toEqual([200, ['Hives']]);
  expect(await open()).toBe(404);
});

test('a token sees private tables of its person where it may reach them, and none of others', async () => {
  const made = await ask(tom!, 'POST', '/api/tokens', { label: 'diary', workspace: place.key, tables: ['diary'] });
  const by = callerBy(pool, { is: 'token', secret: String(made.answer.token) }, place.key);
  const { endpoint, params } = endpointAt('GET', ws('/tables/diary/records'));
  const own = await called(pool, by, endpoint, params);
  expect([own.status, own.text.includes('quiet')]).toEqual([200, true]);
  const foreign = await ask(ida!, 'POST', '/api/tokens', { label: 'diary', workspace: place.key, tables: ['diary'] });
  expect([foreign.status, /There is no table “diary” here/.test(foreign.text)]).toEqual([422, true]);
});

test('what is brought into it is seen by its owner alone: the file, its rows, the receipt, and how its like goes in', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'loom-private-'));
  const bring = async (by: Place): Promise<number> => {
    const path = join(folder, String(Math.random()));
    writeFileSync(path, 'Word,Hive\nhushed,H-1\nshrill,H-2\n');
    const { id } = await beginIntake(pool, await by.access(), [{ name: 'words.csv', path }]);
    await until(by, id, 'reading');
    return id;
  };
  const until = async (by: Place, id: number, busy: string) => {
    for (let tries = 0; tries < 400; tries++) {
      const { state } = await readIntake(pool, await by.access(), id);
      if (state !== busy) return state;
      await new Promise((resolve) => setTimeout(resolve, 25));
    }
    return busy;
  };
  const id = await bring(toms);
  const { tables } = (await ask(tom!, 'GET', ws('/model'))).answer as unknown as { tables: { id: string }[] };
  const proposal = { tables: { 0: { into: tables[1]!.id } }, columns: {} };
  expect((await ask(tom!, 'PUT', ws(`/intakes/${id}/proposal`), proposal)).status).toBe(200);
  const isHidden = async () => {
    const calls = endpoints.filter(({ path }) => path.includes('/intakes'));
    expect(calls.length).toBeGreaterThan(10);
    for (const { method, path } of calls) {
      const at = path.replace('{ws}', place.key).replace('{id}', String(id));
      const found = await ask(ida!, method, at, method === 'GET' ? undefined : {});
      expect([path, found.status, /words|hushed|diary/i.test(found.text)]).toEqual([path, expect.any(Number), false]);
      if (path.includes('{id}')) expect([path, found.status >= 400]).toEqual([path, true]);
    }
    expect((await ask(tom!, 'GET', ws(`/intakes/${id}`))).text).toContain('hushed');
  };
  await isHidden();
  expect((await ask(tom!, 'POST', ws(`/intakes/${id}/load`), {})).status).toBe(200);
  expect(await until(toms, id, 'loading')).toBe('loaded');
  await isHidden();
  expect(await toms.values('diary', 'word')).toEqual(['quiet', 'loud', 'hushed', 'shrill']);
  // Ida's file of the same shape finds nothing of where Tom's went.
  const again = await bring(place);
  const own = await ask(ida!, 'GET', ws(`/intakes/${again}`));
  expect([own.status, own.text.includes(tables[1]!.id), /diary/i.test(own.text)]).toEqual([200, false, false]);
});

test('what it makes required of others they are told to leave to whoever sees it', async () => {
  await toms.change({
    do: 'addField',
    table: 'hives',
    field: { label: 'Main note', type: 'link', to: 'diary', counterpart: { label: 'Main of' } },
  } as never);
  const plan = await planned(tom!, {
    do: 'changeField',
    table: 'hives',
    field: 'main_note',
    set: { required: 'fromNow' },
  });
  expect((await ask(tom!, 'POST', ws(`/plans/${String(plan.answer.id)}/apply`))).status).toBe(200);
  const added = await ask(ida!, 'POST', ws('/tables/hives/records'), { records: [{ values: { number: 'H-3' } }] });
  expect([added.status, added.text]).toEqual([422, expect.stringContaining('Ask somebody who may see it.')]);
  expect(added.text).not.toMatch(/note|diary/i);
});
