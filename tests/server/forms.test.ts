import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import type { RequestEvent } from '@sveltejs/kit';
import type { FormItemJson, FormJson } from '$core/forms/formJson';
import { standingForm } from '$core/forms/form';
import { authorize, tableAt, type Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import {
  changeAddress,
  makeAddress,
  openForm,
  removeAddress,
  type AddressSettings,
  type FormAddress,
} from '$server/forms/addresses';
import { sendEntry } from '$server/forms/entries';
import { partsOf } from '$core/types/part';
import { listRoutines, tryOn } from '$server/routines/routines';
import { getForm, postOutsideCandidates, postOutsideEntry } from '$server/api/forms/outsideForms';
import { listForms, patchForm, postAddress, postEntry, postForm } from '$server/api/forms/forms';
import { respond, type Endpoint } from '$server/http/endpoint';
import { csvPieces } from '$server/export/csv';
import { partNamed } from '$server/structure/tableParts';
import { undoOwn } from '$server/history/ownSteps';
import { recordHistory } from '$server/records/recordHistory';
import { readHistory } from '$server/history/undo';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let tom: Person;
let noor: Person;
let place: Place;

const always: AddressSettings = {
  label: 'the village board',
  expiresAt: null,
  most: null,
  mostHourly: 100_000,
  closed: false,
};

const form = (label: string, items: readonly FormItemJson[], more: Partial<FormJson> = {}): Partial<FormJson> => ({
  label,
  audience: 'outside',
  sections: [{ label: '', about: '', columns: 1, shownIf: '', items }],
  thanks: 'Somebody will come.',
  closed: 'The season is over.',
  ...more,
});

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('forms'));
  [ida, tom, noor] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Tom'), await makePerson(pool, 'Noor')];
  place = await makePlace(pool, ida, 'Outreach');
  await join(pool, await place.access(), tom, 'editor');
  await join(pool, await place.access(), noor, 'reader');
  await place.change(
    {
      do: 'addTable',
      label: 'Villages',
      fields: [text('Name'), { label: 'Open', type: 'yesNo' }, text('Secret name', { internal: true })],
    },
    {
      do: 'addTable',
      label: 'Helpers',
      title: 'alias',
      fields: [text('Alias', { internal: true }), { label: 'Free', type: 'yesNo', internal: true }],
    },
    {
      do: 'addTable',
      label: 'Reports',
      fields: [
        text('Place', { required: true }),
        { label: 'Size', type: 'option', options: ['fist', 'melon'], open: true },
        text('Words'),
        text('Phone', { internal: true }),
        { label: 'Seen by', type: 'member' },
        { label: 'Picture', type: 'pictures' },
        text('Source'),
        { label: 'Village', type: 'link', to: 'villages' },
        { label: 'Helpers', type: 'link', to: 'helpers', many: true },
        { label: 'Code', type: 'text', unique: true },
      ],
    },
  );
  await place.insert(
    'villages',
    { name: 'Low Meadow', open: true },
    { name: 'Hidden Croft', open: false },
    { name: 'Fell Gate', open: true },
  );
  await place.insert('helpers', { alias: 'Mrs. Wintergreen', free: true }, { alias: 'Mr. Sorrel', free: false });
  await place.change(
    {
      do: 'addPart',
      kind: 'form',
      table: 'reports',
      part: form('Report', [
        { field: 'place' },
        { field: 'size' },
        { field: 'words', shownIf: "size = 'melon'" },
        { field: 'picture' },
        { field: 'source', hidden: true, preset: 'the board' },
        { field: 'village', offers: 'open' },
        { field: 'helpers', offers: 'free' },
        { field: 'code' },
      ]),
    },
    {
      do: 'addPart',
      kind: 'form',
      table: 'reports',
      part: form('Inside', [{ field: 'place' }, { field: 'phone' }, { field: 'village', offers: 'open' }], {
        audience: 'inside',
      }),
    },
  );
});
afterAll(() => drop());

const address = async (settings: Partial<AddressSettings> = {}, name = 'Report'): Promise<FormAddress> => {
  const access = await place.access();
  const table = tableAt(access, 'reports');
  return makeAddress(pool, access, table, partNamed({ kind: 'form', table }, name), { ...always, ...settings });
};
const secretOf = ({ path }: FormAddress): string => path.replace('/f/', '');

interface Sent {
  readonly body?: BodyInit;
  readonly headers?: Record<string, string>;
  readonly from?: string;
  readonly person?: Person;
}
/** A call as it comes over the wire, by somebody who is not signed in unless it is said. */
async function call(
  called: Endpoint,
  params: Record<string, string>,
  { body, headers = {}, from = '203.0.113.5', person }: Sent = {},
) {
  const url = new URL('http://loom.test/');
  const request = new Request(url, {
    method: called.method,
    headers,
    ...(body === undefined ? {} : { body, duplex: 'half' }),
  } as RequestInit);
  const event = {
    request,
    url,
    params,
    locals: { pool, reads: pool, downloads: pool, caller: () => Promise.resolve(person ? { person } : null) },
    getClientAddress: () => from,
  } as unknown as RequestEvent;
  const answer = await respond(called)(event);
  return { status: answer.status, body: (await answer.json()) as Record<string, unknown> };
}
const json = { 'content-type': 'application/json' };
const send = (secret: string, values: object, { key, ...more }: Sent & { key?: string } = {}) =>
  call(
    postOutsideEntry,
    { secret },
    { body: JSON.stringify({ values }), headers: { ...json, ...(key ? { 'idempotency-key': key } : {}) }, ...more },
  );
const countIn = async (table: string): Promise<number> =>
  Number((await pool.query<{ n: string }>(`select count(*) as n from outreach.${table}`)).rows[0]?.n);
const fieldsRefused = (body: Record<string, unknown>) =>
  (body.problems as { field: string }[] | undefined)?.map(({ field }) => field);

describe('an entry from outside', () => {
  test('makes a record that the history knows, and is told nothing but thanks', async () => {
    const one = await address();
    const answer = await send(secretOf(one), {
      place: 'the old oak',
      size: 'melon',
      words: 'loud',
      village: 1,
      helpers: [1],
    });
    expect(answer).toEqual({ status: 200, body: { thanks: 'Somebody will come.', next: null } });
    const access = await place.access();
    const [latest] = (await readHistory(pool, access, { table: tableAt(access, 'reports'), limit: 1 })).items;
    expect(latest).toMatchObject({
      by: 'somebody outside',
      kind: 'form',
      title: '1 record made in Reports by the form “Report”',
      undoneBy: null,
    });
    const id = await countIn('reports');
    expect((await recordHistory(pool, access, tableAt(access, 'reports'), id, { limit: 5 })).items[0]).toMatchObject({
      by: 'somebody outside',
      how: 'form',
      kind: 'made',
    });
    expect(await place.values('reports', 'source')).toEqual(['the board']);
    expect(await place.values('reports', 'helpers')).toEqual([[{ id: 1, title: 'Mrs. Wintergreen' }]]);
    const { rows } = await pool.query<{ created_by: number | null }>('select created_by from outreach.reports');
    expect(rows).toEqual([{ created_by: null }]);
    // It can be undone by those who may change records.
    await place.undo(latest!.id);
    expect(await countIn('reports')).toBe(0);
  });

  test.each<[string, Record<string, unknown>, string[]]>([
    ['without what must be filled', {}, ['place']],
    ['an internal field', { place: 'x', phone: '555' }, ['phone']],
    ['a field that is hidden', { place: 'x', source: 'me' }, ['source']],
    [
      'fields of the system and of nothing',
      { place: 'x', _id: 7, created_by: 1, nothing: 1, __proto__x: 2 },
      ['_id', 'created_by', 'nothing', '__proto__x'],
    ],
    ['a record that is not offered', { place: 'x', village: 2 }, ['village']],
    ['records some of which are not offered', { place: 'x', helpers: [1, 2] }, ['helpers']],
    ['a record that is none', { place: 'x', village: 999 }, ['village']],
    ['a link by its words', { place: 'x', village: { match: { secret_name: 'a' } } }, ['village']],
    ['a new option', { place: 'x', size: 'wagon' }, ['size']],
    [
      'a file by its hash',
      { place: 'x', picture: [{ file: 'a'.repeat(64), name: 'a.png', size: 1, type: 'image/png' }] },
      ['picture'],
    ],
  ])('is refused with its place: %s', async (_, values, refused) => {
    const before = await countIn('reports');
    const answer = await send(secretOf(await address()), values);
    expect(answer.status).toBe(422);
    expect(fieldsRefused(answer.body)).toEqual(refused);
    expect(await countIn('reports')).toBe(before);
  });

  test('a value that is taken is refused without telling of the other record', async () => {
    const secret = secretOf(await address());
    expect((await send(secret, { place: 'a', code: 'K-1' })).status).toBe(200);
    const again = await send(secret, { place: 'b', code: 'K-1' });
    expect(again).toMatchObject({
      status: 422,
      body: { detail: 'Code must be unique, and “K-1” is taken.', fix: 'Correct it, then send it again.' },
    });
  });

  test.each<[string, string, Record<string, string>, number]>([
    ['no JSON', 'hello', json, 400],
    ['a list', '[1]', json, 400],
    ['no values', '{"values": 3}', json, 400],
    ['more than an entry', `{"values": {"place": "${'a'.repeat(1_100_000)}"}}`, json, 413],
    ['neither of both', 'place=x', { 'content-type': 'application/x-www-form-urlencoded' }, 400],
  ])('%s is refused', async (_, body, headers, status) =>
    expect((await call(postOutsideEntry, { secret: secretOf(await address()) }, { body, headers })).status).toBe(
      status,
    ),
  );

  test('sent twice, also at once, is written once', async () => {
    const secret = secretOf(await address());
    const before = await countIn('reports');
    const answers = await Promise.all(
      Array.from({ length: 6 }, () => send(secret, { place: 'twice' }, { key: 'one-filling' })),
    );
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200, 200, 200]);
    await send(secret, { place: 'twice' }, { key: 'one-filling' });
    expect(await countIn('reports')).toBe(before + 1);
  });

  test('the last one that fits is one, though its answer was lost and the form ended since', async () => {
    const secret = secretOf(await address({ most: 1 }));
    const before = await countIn('reports');
    expect((await send(secret, { place: 'the last' }, { key: 'lost answer' })).status).toBe(200);
    expect((await send(secret, { place: 'the last' }, { key: 'lost answer' })).status).toBe(200);
    expect((await send(secret, { place: 'too late' }, { key: 'another' })).status).toBe(410);
    expect(await countIn('reports')).toBe(before + 1);
  });

  test('what is sent is text wherever it is shown, and runs in no spreadsheet', async () => {
    const nasty = [
      '<script>alert(1)</script>',
      '<img src=x onerror=alert(1)>',
      '=HYPERLINK("http://x")',
      '"; drop table outreach.reports; --',
      '{{7*7}}',
    ];
    const secret = secretOf(await address());
    for (const one of nasty) expect((await send(secret, { place: one, size: 'melon', words: one })).status).toBe(200);
    expect((await place.values('reports', 'words')).slice(-5)).toEqual(nasty);
    const access = await place.access();
    const table = tableAt(access, 'reports');
    const fields = table.fields.filter(({ key }) => key === 'words');
    const pieces: Uint8Array[] = [];
    for await (const piece of csvPieces(pool, access, { table, fields, filter: null, sort: [] }, 'spreadsheet'))
      pieces.push(piece);
    const csv = Buffer.concat(pieces).toString();
    expect(csv).toContain(`"'=HYPERLINK(""http://x"")"`);
  });

  test('sets a routine off that waits for its form, and no other', async () => {
    const add = async (label: string, on: object) => {
      const steps = [
        { do: 'make', table: 'helpers', fields: [{ field: 'alias', formula: "place || ' '" }], result: 'It' },
      ];
      await place.change({
        do: 'addPart',
        kind: 'routine',
        table: 'reports',
        part: { label, on: true, when: on, steps },
      } as never);
    };
    await add('Any', { on: 'sent' });
    await add('This', { on: 'sent', form: 'Report' });
    await add('Other', { on: 'sent', form: 'Inside' });
    const access = await place.access();
    await place.insert('reports', { place: 'by hand' });
    for (const { id } of await listRoutines(pool, access))
      await tryOn(pool, access, 'reports', { routine: id, record: await countIn('reports') });
    const helpers = await countIn('helpers');
    expect((await send(secretOf(await address()), { place: 'the elm', village: 1 })).status).toBe(200);
    expect(await countIn('helpers')).toBe(helpers + 2);
    const { rows } = await pool.query<{ by: number | null }>('select person as by from loom.routine_runs');
    expect(rows).toEqual([{ by: null }, { by: null }]);
    // A form that people inside fill in is sent as well.
    const now = await place.access();
    const inside = partNamed({ kind: 'form', table: tableAt(now, 'reports') }, 'Inside');
    await sendEntry(pool, now, tableAt(now, 'reports'), inside, { values: { place: 'inside' } });
    expect(await countIn('helpers')).toBe(helpers + 4);
    const parts = partsOf(tableAt(await place.access(), 'reports'), 'routine');
    for (const { id } of parts)
      await place.change({ do: 'removePart', kind: 'routine', table: 'reports', part: id } as never);
    await pool.query('delete from outreach.reports');
  });
});

describe('an address', () => {
  const day = 24 * 3600_000;
  test.each<[string, Partial<AddressSettings>]>([
    ['closed', { closed: true }],
    ['past its end', { expiresAt: new Date(Date.now() - day).toISOString() }],
  ])('%s says so, and takes nothing', async (_, settings) => {
    const secret = secretOf(await address(settings));
    expect((await call(getForm, { secret })).body).toEqual({ ended: 'The season is over.', label: 'Report' });
    expect(await send(secret, { place: 'late' })).toMatchObject({
      status: 410,
      body: { detail: 'The season is over.' },
    });
    expect(
      (await call(postOutsideCandidates, { secret }, { body: JSON.stringify({ field: 'village' }), headers: json }))
        .status,
    ).toBe(404);
  });

  test('ends while people have it before them', async () => {
    const one = await address({ expiresAt: new Date(Date.now() + day).toISOString() });
    const access = await place.access();
    expect((await call(getForm, { secret: secretOf(one) })).body).toHaveProperty('form');
    await changeAddress(
      pool,
      access,
      partNamed({ kind: 'form', table: tableAt(access, 'reports') }, 'Report'),
      one.id,
      { closed: true },
    );
    expect((await send(secretOf(one), { place: 'late' })).status).toBe(410);
    await removeAddress(pool, access, partNamed({ kind: 'form', table: tableAt(access, 'reports') }, 'Report'), one.id);
    expect((await send(secretOf(one), { place: 'late' })).status).toBe(404);
  });

  test('is none that was not given, nor one of a workspace in the bin, nor of a form that is gone', async () => {
    for (const secret of ['', 'x', "' or true --", secretOf(await address()).slice(1)])
      expect((await call(getForm, { secret })).status).toBe(404);
    const one = secretOf(await address());
    await pool.query(`update loom.workspaces set deleted_at = now() where key = 'outreach'`);
    expect((await call(getForm, { secret: one })).status).toBe(404);
    await pool.query(`update loom.workspaces set deleted_at = null where key = 'outreach'`);
    const id = partNamed({ kind: 'form', table: tableAt(await place.access(), 'reports') }, 'Report').id;
    const batch = await place.change({ do: 'removePart', kind: 'form', table: 'reports', part: id });
    expect((await call(getForm, { secret: one })).status).toBe(404);
    await place.undo(batch);
    expect((await call(getForm, { secret: one })).status).toBe(200);
  });

  test('two of them share what the form takes in all', async () => {
    const id = partNamed({ kind: 'form', table: tableAt(await place.access(), 'reports') }, 'Report').id;
    const before = Number(
      (await pool.query<{ n: string }>('select coalesce(sum(entries), 0) as n from loom.form_addresses')).rows[0]?.n,
    );
    await place.change({ do: 'changePart', kind: 'form', table: 'reports', part: id, set: { most: before + 3 } });
    const both = [secretOf(await address()), secretOf(await address())];
    const answers = await Promise.all(Array.from({ length: 8 }, (_, i) => send(both[i % 2] ?? '', { place: `p${i}` })));
    expect(answers.filter(({ status }) => status === 200)).toHaveLength(3);
    expect(answers.filter(({ status }) => status === 410)).toHaveLength(5);
    await place.change({ do: 'changePart', kind: 'form', table: 'reports', part: id, set: { most: null } });
  });

  test('a script that sends a thousand gets in as many as it may from one place, and no more than there is room for from many', async () => {
    const hourly = secretOf(await address({ mostHourly: 30, most: 45 }));
    const before = await countIn('reports');
    const answers: number[] = [];
    for (let round = 0; round < 50; round++)
      answers.push(
        ...(await Promise.all(Array.from({ length: 20 }, (_, i) => send(hourly, { place: `s${round} ${i}` })))).map(
          ({ status }) => status,
        ),
      );
    expect(answers.filter((status) => status === 200)).toHaveLength(30);
    expect(answers.filter((status) => status === 429)).toHaveLength(970);
    // Another place has its own share, until the address is full.
    const others = await Promise.all(
      Array.from({ length: 40 }, (_, i) => send(hourly, { place: 'o' }, { from: `198.51.100.${i}` })),
    );
    expect(others.filter(({ status }) => status === 200)).toHaveLength(15);
    expect(others.filter(({ status }) => status === 410)).toHaveLength(25);
    expect(await countIn('reports')).toBe(before + 45);
    const { rows } = await pool.query<{ place: string }>('select distinct place from loom.form_entries');
    expect(JSON.stringify(rows)).not.toContain('203.0.113');
  }, 120_000);
});

describe('what an outsider gets to see', () => {
  test('is the form and the titles it offers, and nothing else', async () => {
    const secret = secretOf(await address());
    const page = JSON.stringify((await call(getForm, { secret })).body);
    for (const kept of [
      'Phone',
      'phone',
      'Seen by',
      'the board',
      'Secret name',
      'Villages',
      'Outreach',
      'Ida',
      'free',
      'Alias',
    ])
      expect(page).not.toContain(kept);
    const ask = async (field: string, q = '') =>
      call(postOutsideCandidates, { secret }, { body: JSON.stringify({ field, q }), headers: json });
    expect((await ask('village')).body).toEqual({
      items: [
        { id: 3, title: 'Fell Gate' },
        { id: 1, title: 'Low Meadow' },
      ],
      next: null,
    });
    expect((await ask('village', 'croft')).body).toEqual({ items: [], next: null });
    // A title that is internal is the record's number, and no way to find it by.
    expect((await ask('helpers')).body).toEqual({ items: [{ id: 1, title: '#1' }], next: null });
    expect((await ask('helpers', 'winter')).body).toEqual({ items: [], next: null });
    for (const field of ['phone', 'source', 'seen_by', 'nothing']) expect((await ask(field)).status).toBe(404);
  });

  test('a field that becomes internal leaves the form at once', async () => {
    const secret = secretOf(await address());
    const batch = await place.change({ do: 'changeField', table: 'reports', field: 'words', set: { internal: true } });
    expect(JSON.stringify((await call(getForm, { secret })).body)).not.toContain('Words');
    expect(fieldsRefused((await send(secret, { place: 'x', size: 'melon', words: 'y' })).body)).toEqual(['words']);
    await place.undo(batch);
  });
});

describe('files', () => {
  const png = Buffer.from(
    'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
    'base64',
  );
  const parts = (values: object, files: [string, string, Buffer][]): FormData => {
    const data = new FormData();
    data.append('values', JSON.stringify(values));
    for (const [field, name, bytes] of files) data.append(field, new Blob([new Uint8Array(bytes)]), name);
    return data;
  };
  const passing = () => readdirSync(tmpdir()).filter((name) => name.startsWith('loom-')).length;
  const kept = async () => Number((await pool.query<{ n: string }>('select count(*) as n from loom.files')).rows[0]?.n);

  test('come with the entry', async () => {
    const secret = secretOf(await address());
    const answer = await call(
      postOutsideEntry,
      { secret },
      { body: parts({ place: 'with a picture' }, [['picture', 'swarm.png', png]]) },
    );
    expect(answer.status).toBe(200);
    expect((await place.values('reports', 'picture')).at(-1)).toMatchObject([{ name: 'swarm.png', type: 'image/png' }]);
  });

  test.each<[string, object, [string, string, Buffer][], string[]]>([
    [
      'one that is no picture',
      { place: 'x' },
      [['picture', 'a.png', Buffer.from('<svg onload=alert(1)>')]],
      ['picture'],
    ],
    ['for a field that takes none', { place: 'x' }, [['place', 'a.png', png]], ['place']],
    ['for a field that is not there', { place: 'x' }, [['__proto__', 'a.png', png]], ['__proto__']],
    ['with an entry that is refused', {}, [['picture', 'b.png', Buffer.concat([png, Buffer.from('b')])]], ['place']],
  ])('%s are refused, and nothing of them stays', async (_, values, files, refused) => {
    const [before, had] = [passing(), await countIn('reports')];
    const answer = await call(postOutsideEntry, { secret: secretOf(await address()) }, { body: parts(values, files) });
    expect(answer.status).toBe(422);
    expect(fieldsRefused(answer.body)).toEqual(refused);
    expect(passing()).toBe(before);
    expect(await countIn('reports')).toBe(had);
  });

  test('too many at once are refused, none of them left out in silence', async () => {
    const many = Array.from({ length: 11 }, (_, i): [string, string, Buffer] => [
      'picture',
      `p${i}.png`,
      Buffer.concat([png, Buffer.from(String(i))]),
    ]);
    const [before, had] = [passing(), await kept()];
    const answer = await call(
      postOutsideEntry,
      { secret: secretOf(await address()) },
      { body: parts({ place: 'x' }, many) },
    );
    expect(answer).toMatchObject({ status: 413, body: { detail: 'More than 10 files came at once; none was kept.' } });
    expect([passing(), await kept()]).toEqual([before, had]);
  });

  test('of 2 GB are refused before they come in, or as soon as they are too large', async () => {
    const secret = secretOf(await address());
    const [before, had] = [passing(), await kept()];
    let read = 0;
    const stream = (length: number) =>
      new ReadableStream<Uint8Array>({
        pull(controller) {
          const head =
            read === 0 ? `--b\r\nContent-Disposition: form-data; name="picture"; filename="big.png"\r\n\r\n` : '';
          const chunk = Buffer.concat([Buffer.from(head), Buffer.alloc(1024 * 1024)]);
          read += chunk.length;
          controller.enqueue(read >= length ? Buffer.concat([chunk, Buffer.from('\r\n--b--\r\n')]) : chunk);
          if (read >= length) controller.close();
        },
      });
    const type = 'multipart/form-data; boundary=b';
    const said = await call(
      postOutsideEntry,
      { secret },
      { body: stream(2 ** 31), headers: { 'content-type': type, 'content-length': String(2 ** 31) } },
    );
    expect(said.status).toBe(413);
    expect(read).toBeLessThan(4 * 1024 * 1024);
    read = 0;
    const unsaid = await call(
      postOutsideEntry,
      { secret },
      { body: stream(60 * 1024 * 1024), headers: { 'content-type': type } },
    );
    expect(unsaid).toMatchObject({ status: 413, body: { detail: 'big.png is larger than 20 MB.' } });
    expect([passing(), await kept()]).toEqual([before, had]);
  });
});

describe('inside', () => {
  const insideForm = async () => {
    const access = await authorize(pool, tom, 'outreach', 'write');
    const table = tableAt(access, 'reports');
    return {
      access,
      table,
      form: standingForm(access.workspace.model, table, partNamed({ kind: 'form', table }, 'Inside')),
    };
  };
  test('a form makes a record and changes one, as its person’s own edits', async () => {
    const { access, table, form: inside } = await insideForm();
    const made = await sendEntry(pool, access, table, inside, {
      values: { place: 'in the office', phone: '555', village: 1 },
    });
    const record = made.records[0]!;
    expect(record.values).toMatchObject({ place: 'in the office', phone: '555' });
    await sendEntry(pool, access, table, inside, {
      values: { place: 'outside it' },
      record: record.id,
      version: record.version,
    });
    expect(
      await place.refused(
        sendEntry(pool, access, table, inside, {
          values: { place: 'late' },
          record: record.id,
          version: record.version,
        }),
      ),
    ).toMatch(/Somebody else/);
    expect(
      await place.refused(sendEntry(pool, access, table, inside, { values: { place: '' }, record: record.id })),
    ).toMatch(/is required/);
    expect(
      await place.refused(sendEntry(pool, access, table, inside, { values: { village: 2 }, record: record.id })),
    ).toMatch(/cannot be chosen/);
    expect((await readHistory(pool, access, { table, limit: 1 })).items[0]).toMatchObject({
      by: 'Tom',
      kind: 'edit',
      title: '1 record changed in Reports by the form “Inside”',
    });
    expect((await undoOwn(pool, access)).title).toContain('by the form');
  });

  test('has no address, and is for those who may write; addresses are the administrator’s', async () => {
    expect(await place.refused(address({}, 'Inside'))).toMatch(/for people of the workspace/);
    const params = { ws: 'outreach', t: 'reports', id: 'Report' };
    const body = { body: JSON.stringify({ label: 'x' }), headers: json };
    expect((await call(postAddress, params, { ...body, person: tom })).status).toBe(403);
    expect((await call(postAddress, params, { ...body, person: noor })).status).toBe(403);
    expect((await call(postAddress, params, body)).status).toBe(401);
    expect((await call(postAddress, params, { ...body, person: ida })).status).toBe(200);
    const entry = { body: JSON.stringify({ values: { place: 'x' } }), headers: json };
    expect((await call(postEntry, { ...params, id: 'Inside' }, { ...entry, person: noor })).status).toBe(403);
    expect((await call(postEntry, { ...params, id: 'Inside' }, { ...entry, person: tom })).status).toBe(200);
  });

  test.each<[string, Partial<FormJson>, number, string]>([
    ['a name that is taken', form('report', []), 409, '/label'],
    ['an internal field for outsiders', form('New', [{ field: 'phone' }]), 422, '/sections/0/items/0'],
    [
      'a link that runs a script',
      form('New', [], { next: { label: 'on', address: 'javascript:alert(1)' } }),
      400,
      '/form/next/address',
    ],
    [
      'a field and a list in one',
      form('New', [{ field: 'place', list: 'x' } as never]),
      400,
      '/form/sections/0/items/0',
    ],
  ])('a design is refused with its place: %s', async (_, sent, status, at) => {
    const answer = await call(
      postForm,
      { ws: 'outreach', t: 'reports' },
      { body: JSON.stringify({ form: sent }), headers: json, person: ida },
    );
    expect(answer).toMatchObject({ status, body: { at } });
  });

  test('a design is saved over the one it was made on, and over no other', async () => {
    const params = { ws: 'outreach', t: 'reports', id: 'Inside' };
    const { items: forms } = (await call(listForms, params, { person: ida })).body as { items: { form: FormJson }[] };
    const over = forms.map((one) => one.form).find(({ label }) => label === 'Inside');
    const save = (intro: string) =>
      call(patchForm, params, { body: JSON.stringify({ form: { ...over, intro }, over }), headers: json, person: ida });
    expect((await save('first')).status).toBe(200);
    expect(await save('second')).toMatchObject({
      status: 409,
      body: { detail: 'Somebody else saved “Inside” meanwhile.' },
    });
  });

  test('an address opens the form that stands, however it was changed meanwhile', async () => {
    const one = secretOf(await address());
    await place.change({ do: 'changeField', table: 'reports', field: 'place', set: { key: 'spot', label: 'Spot' } });
    expect(fieldsRefused((await send(one, { place: 'x' })).body)).toEqual(['place', 'spot']);
    expect((await send(one, { spot: 'x' })).status).toBe(200);
    expect((await openForm(pool, one)).table.label).toBe('Reports');
  });
});
