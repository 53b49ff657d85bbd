import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { signIn, callerOf } from '$server/access/signIn';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { ChangeListener } from '$server/live/events';
import { answered, called, callerBy, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let place: Place;
let places = 0;
const who: Record<'ida' | 'jo' | 'ulla', Person> = {} as never;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('roles'));
  who.ida = await makePerson(pool, 'Ida');
  who.jo = await makePerson(pool, 'Jo');
  who.ulla = await makePerson(pool, 'Ulla');
  await pool.query('update loom.people set manages = true where id = $1', [who.ida.id]);
});
afterAll(() => drop());

/** Two apiaries of two stewards, with a hive each and one of nobody. */
beforeEach(async () => {
  place = await makePlace(pool, who.ida, `Bees ${++places}`);
  await place.change(
    {
      do: 'addTable',
      label: 'Apiaries',
      fields: [text('Name'), { label: 'Steward', type: 'member' }, { label: 'Rent', type: 'number' }],
    } as never,
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        text('Number'),
        { label: 'State', type: 'option', options: [{ label: 'draft' }, { label: 'sent' }] },
        { label: 'Price', type: 'number' },
      ],
    } as never,
  );
  await place.change({
    do: 'addField',
    table: 'hives',
    field: { label: 'Apiary', type: 'link', to: 'apiaries', counterpart: { label: 'Hives' } },
  } as never);
  await place.change({
    do: 'addField',
    table: 'apiaries',
    field: { label: 'Worth', type: 'formula', formula: 'sum(hives.price)' },
  } as never);
  await place.insert(
    'apiaries',
    { name: 'North', steward: who.jo.id, rent: 10 },
    { name: 'South', steward: who.ulla.id, rent: 20 },
  );
  await place.insert(
    'hives',
    { number: 'H-1', state: 'draft', price: 100, apiary: 1 },
    { number: 'H-2', state: 'draft', price: 200, apiary: 2 },
    { number: 'H-3', state: 'sent', price: 300, apiary: null },
  );
});

/** A call by its address, with what is answered as JSON. */
async function ask(by: Person | string | App.Locals['caller'], method: string, path: string, body?: unknown) {
  const at = new URL(path.replace('{ws}', place.key), 'http://loom.example');
  const { endpoint, params } = endpointAt(method, at.pathname);
  const caller = typeof by === 'string' ? callerBy(pool, { is: 'token', secret: by }, params.ws ?? '') : by;
  const { status, text: said } = await called(
    pool,
    caller,
    endpoint,
    params,
    Object.fromEntries(at.searchParams),
    body,
  );
  return { status, said, answer: (said.startsWith('{') ? JSON.parse(said) : {}) as Record<string, unknown> };
}
const ws = '/api/workspaces/{ws}';
const own = 'apiary.steward = person()';

/** Gives somebody a role that is made for them. */
async function give(person: Person, role: object): Promise<string> {
  const made = await ask(who.ida, 'POST', `${ws}/roles`, { label: `Role of ${person.name}`, ...role });
  expect([made.status, made.said.slice(0, 300)]).toEqual([200, expect.anything()]);
  const id = String(made.answer.id);
  const added = await ask(who.ida, 'POST', `${ws}/members`, { person: person.id, role: id });
  if (added.status === 409) await ask(who.ida, 'PATCH', `${ws}/members/${person.id}`, { role: id });
  return id;
}
const steward = {
  workspace: ['takeOut'],
  others: {},
  tables: {
    apiaries: { see: 'steward = person()', fields: { rent: 'hidden', name: 'seen' }, change: true },
    hives: { see: own, enter: own, change: "state = 'draft'", delete: false, fields: { price: 'seen' } },
  },
};
const numbers = async (by: Person, query = ''): Promise<unknown[]> => {
  const { answer } = await ask(by, 'GET', `${ws}/tables/hives/records?${query}`);
  return (answer.items as { values: { number: string } }[]).map(({ values }) => values.number);
};

describe('a role by table, field and condition', () => {
  test('shows each their own: in pages, filters, totals, links and counts', async () => {
    await give(who.jo, steward);
    expect(await numbers(who.jo)).toEqual(['H-1']);
    expect(await numbers(who.jo, "filter=number <> ''")).toEqual(['H-1']);
    expect(await numbers(who.jo, 'filter=apiary.name = %27South%27')).toEqual([]);
    const { answer: totals } = await ask(who.jo, 'GET', `${ws}/tables/hives/totals?totals=sum(price)`);
    expect(JSON.stringify(totals)).toContain('100');
    expect(JSON.stringify(totals)).not.toContain('600');
    const { answer: model } = await ask(who.jo, 'GET', `${ws}/model`);
    const fields = (model.tables as { key: string; fields: { key: string }[] }[]).map(({ key, fields: all }) => [
      key,
      all.map((field) => field.key).filter((name) => !/^(created|last_changed|changed)/.test(name)),
    ]);
    expect(fields).toEqual([
      ['apiaries', ['name', 'steward', 'hives', 'worth']],
      ['hives', ['number', 'state', 'price', 'apiary']],
    ]);
    // What is calculated keeps its value, which is that of everything.
    const { answer: one } = await ask(who.jo, 'GET', `${ws}/tables/apiaries/records/1`);
    expect(one).toMatchObject({ values: { name: 'North', worth: 100 } });
    expect((await ask(who.jo, 'GET', `${ws}/tables/apiaries/records/2`)).status).toBe(404);
    expect((await ask(who.ida, 'GET', `${ws}/tables/apiaries/records/2`)).status).toBe(200);
  });

  test('lets in what it lets in, by what the records are then', async () => {
    await give(who.jo, steward);
    const post = (values: object) => ask(who.jo, 'POST', `${ws}/tables/hives/records`, { records: [{ values }] });
    const patch = (id: number, values: object) =>
      ask(who.jo, 'PATCH', `${ws}/tables/hives/records`, { records: [{ id, values }] });
    expect((await post({ number: 'H-4', apiary: 1 })).status).toBe(200);
    // Theirs must be in an apiary of theirs, and one that they do not see is not there.
    expect((await post({ number: 'H-5' })).status).toBe(403);
    const unseen = await post({ number: 'H-5', apiary: 2 });
    const missing = await post({ number: 'H-5', apiary: 99 });
    expect([unseen.status, unseen.answer.detail]).toEqual([missing.status, missing.answer.detail]);
    expect((await post({ number: 'H-5', apiary: { match: { name: 'South' } } })).status).toBe(422);
    expect((await post({ number: 'H-5', apiary: { match: { name: 'North' } } })).status).toBe(200);
    // A draft may be sent, and not be changed from then on.
    expect((await patch(1, { state: 'sent' })).status).toBe(200);
    expect((await patch(1, { state: 'draft' })).status).toBe(403);
    // Fields that are only seen, hidden ones, records that are not seen, and what is not allowed at all.
    expect((await patch(4, { price: 1 })).answer.detail).toBe('Price is seen and not entered by you.');
    const hidden = await ask(who.jo, 'PATCH', `${ws}/tables/apiaries/records`, {
      records: [{ id: 1, values: { rent: 1 } }],
    });
    const none = await ask(who.jo, 'PATCH', `${ws}/tables/apiaries/records`, {
      records: [{ id: 1, values: { renx: 1 } }],
    });
    expect([hidden.status, hidden.said.replaceAll('rent', 'renx')]).toEqual([none.status, none.said]);
    const [theirs, gone] = [await patch(2, { number: 'mine' }), await patch(77, { number: 'mine' })];
    expect([theirs.status, theirs.said.replaceAll('2', '77')]).toEqual([gone.status, gone.said]);
    expect((await ask(who.jo, 'DELETE', `${ws}/tables/hives/records`, { ids: [4] })).status).toBe(403);
    expect(
      (await ask(who.jo, 'POST', `${ws}/plans`, { changes: [{ do: 'removeField', table: 'hives', field: 'price' }] }))
        .status,
    ).toBe(403);
    expect((await ask(who.jo, 'GET', `${ws}/roles`)).status).toBe(403);
    expect(await numbers(who.ida)).toEqual(['H-1', 'H-2', 'H-3', 'H-4', 'H-5']);
  });

  test('leaves links to what one does not see as they are', async () => {
    await place.change({
      do: 'addField',
      table: 'hives',
      field: { label: 'Near', type: 'link', to: 'apiaries', many: true, counterpart: { label: 'Around', many: true } },
    } as never);
    await place.write('hives', { update: [{ id: 1, values: { near: [1, 2] } }] });
    await give(who.jo, { ...steward, tables: { ...steward.tables, hives: { see: true, change: true } } });
    const { answer } = await ask(who.jo, 'GET', `${ws}/tables/hives/records/1`);
    expect(answer).toMatchObject({ values: { near: [{ id: 1, title: 'North' }] } });
    await ask(who.jo, 'PATCH', `${ws}/tables/hives/records`, { records: [{ id: 1, values: { near: [] } }] });
    expect((await place.values('hives', 'near'))[0]).toEqual([{ id: 2, title: 'South' }]);
    // A link to one is shown as filled, so that nobody fills it by mistake.
    const { answer: two } = await ask(who.jo, 'GET', `${ws}/tables/hives/records/2`);
    expect(two).toMatchObject({ values: { apiary: { id: 2, title: 'a record that you may not see' } } });
  });

  test('is changed for all who have it at once; it is undone as any change, and not deleted while somebody has it', async () => {
    const id = await give(who.jo, steward);
    expect(await numbers(who.jo)).toEqual(['H-1']);
    const hives = { ...steward.tables.hives, see: true };
    await ask(who.ida, 'PATCH', `${ws}/roles/${id}`, { tables: { ...steward.tables, hives } });
    expect(await numbers(who.jo)).toEqual(['H-1', 'H-2', 'H-3']);
    const { answer } = await ask(who.ida, 'GET', `${ws}/history?limit=1`);
    const [last] = answer.items as { id: number; title: string }[];
    expect(last?.title).toBe('Role “Role of Jo” changed');
    await place.undo(last?.id ?? 0);
    expect(await numbers(who.jo)).toEqual(['H-1']);
    expect((await ask(who.ida, 'DELETE', `${ws}/roles/${id}`)).status).toBe(409);
    await ask(who.ida, 'PATCH', `${ws}/members/${who.jo.id}`, { role: 'reader' });
    expect((await ask(who.ida, 'DELETE', `${ws}/roles/${id}`)).status).toBe(200);
    expect((await ask(who.ida, 'DELETE', `${ws}/roles/reader`)).status).toBe(409);
  });

  test('lets through nothing more when a field that it asks for is renamed or goes', async () => {
    await give(who.jo, steward);
    await place.change({ do: 'changeField', table: 'apiaries', field: 'steward', set: { key: 'keeper' } });
    expect(await numbers(who.jo)).toEqual(['H-1']);
    await place.change({ do: 'removeField', table: 'apiaries', field: 'keeper' });
    expect(await numbers(who.jo)).toEqual([]);
    const { answer } = await ask(who.ida, 'GET', `${ws}/roles`);
    const role = (answer.items as { label: string; lost: string[] }[]).find(({ label }) => label === 'Role of Jo');
    expect(role?.lost.toSorted()).toEqual([
      'whom it lets enter records of Hives used a field that was deleted',
      'whom it lets see records of Apiaries used a field that was deleted',
      'whom it lets see records of Hives used a field that was deleted',
    ]);
  });

  test.each<[string, object, RegExp]>([
    [
      'that designs what it does not see',
      { tables: { hives: { see: false, design: true } } },
      /structure cannot be changed/,
    ],
    ['that brings in and hides', { workspace: ['bringIn'], tables: { hives: { see: own } } }, /brings data in/],
    ['that enters what it does not see', { tables: { hives: { enter: true } } }, /cannot be entered/],
    [
      'that hides what records are called',
      { tables: { hives: { see: true, fields: { number: 'hidden' } } } },
      /names the records/,
    ],
    ['with a condition that is none', { tables: { hives: { see: 'price +' } } }, /./],
    ['for a table that is not there', { tables: { hovels: { see: true } } }, /no table/],
    ['called as one that every workspace has', { label: 'Reader' }, /Every workspace/],
  ])('%s is refused', async (_, role, why) => {
    const { status, said } = await ask(who.ida, 'POST', `${ws}/roles`, { label: 'Odd', ...role });
    expect([status, said]).toEqual([422, expect.stringMatching(why)]);
  });

  test('person() stands in conditions, and in nothing that is stored', async () => {
    const field = { label: 'Who', type: 'formula' as const, formula: 'name_of(person())' };
    expect(await place.refused(place.change({ do: 'addField', table: 'hives', field }))).toContain(
      'everybody who looks',
    );
    const rule = { do: 'addRule', table: 'apiaries', message: 'Mine.', condition: 'steward = person()' } as never;
    expect(await place.refused(place.change(rule))).toContain('everybody alike');
    await ask(who.ida, 'POST', `${ws}/members`, { person: who.jo.id, role: 'reader' });
    const path = `${ws}/tables/apiaries/records?filter=steward = person()`;
    expect((await ask(who.jo, 'GET', path)).answer.items).toMatchObject([{ values: { name: 'North' } }]);
    expect((await ask(who.ida, 'GET', path)).answer.items).toEqual([]);
  });

  test('whoever manages people gives nobody more than they have', async () => {
    const id = await give(who.jo, { workspace: ['people', 'takeOut'], others: { see: true, change: true } });
    const add = (role: string) => ask(who.jo, 'POST', `${ws}/members`, { person: who.ulla.id, role });
    expect((await add('administrator')).status).toBe(403);
    expect((await add('editor')).status).toBe(403);
    expect((await ask(who.jo, 'PATCH', `${ws}/members/${who.ida.id}`, { role: 'reader' })).status).toBe(403);
    expect((await ask(who.jo, 'PATCH', `${ws}/roles/${id}`, { workspace: ['people', 'design'] })).status).toBe(403);
    expect(
      (await ask(who.jo, 'POST', `${ws}/roles`, { label: 'More', others: { see: true, delete: true } })).status,
    ).toBe(403);
    expect((await add('reader')).status).toBe(200);
  });

  test('a token with a role allows what both allow', async () => {
    const id = await give(who.jo, steward);
    const token = async (role: string) =>
      String((await ask(who.jo, 'POST', '/api/tokens', { label: role, role })).answer.token);
    const [asEditor, asReader] = [await token('editor'), await token('reader')];
    const read = async (secret: string) => (await ask(secret, 'GET', `${ws}/tables/hives/records`)).answer.items;
    expect([await read(asEditor), await read(asReader)].map((all) => (all as unknown[]).length)).toEqual([1, 1]);
    const write = (secret: string) =>
      ask(secret, 'PATCH', `${ws}/tables/hives/records`, { records: [{ id: 1, values: { number: 'H-9' } }] });
    expect([(await write(asReader)).status, (await write(asEditor)).status]).toEqual([403, 200]);
    // As a role of one's own: an administrator's program sees what that role sees.
    const cut = String(
      (await ask(who.ida, 'POST', '/api/tokens', { label: 'cut', role: id, workspace: place.key })).answer.token,
    );
    expect(await read(cut)).toEqual([]);
    expect((await ask(who.ida, 'POST', '/api/tokens', { label: 'nowhere', role: id })).status).toBe(422);
  });
});

describe('a role by condition is no way around itself', () => {
  test('every link of a batch is looked at, also behind one that was left as it is', async () => {
    const seesAll = { see: true, enter: true, change: true };
    await give(who.jo, { ...steward, tables: { ...steward.tables, hives: seesAll } });
    const patch = (...records: object[]) => ask(who.jo, 'PATCH', `${ws}/tables/hives/records`, { records });
    const asItIs = { id: 2, values: { apiary: 2, number: 'H-2b' } };
    expect((await patch(asItIs)).status).toBe(200);
    expect((await patch(asItIs, { id: 3, values: { apiary: 2 } })).status).toBe(422);
    await place.insert('apiaries', { name: 'East' });
    expect((await patch(asItIs, { id: 3, values: { apiary: 3 } })).status).toBe(422);
    expect((await place.values('hives', 'apiary'))[2]).toBeNull();
  });

  test('nor are the pairs of a link to many, written by themselves', async () => {
    await place.change({
      do: 'addField',
      table: 'hives',
      field: { label: 'Near', type: 'link', to: 'apiaries', many: true, counterpart: { label: 'Around', many: true } },
    } as never);
    await place.write('hives', { update: [{ id: 2, values: { near: [1] } }] });
    const drafts = "state = 'draft'";
    const tables = { hives: { see: true, change: drafts }, apiaries: { see: true } };
    await give(who.jo, { others: {}, tables });
    const { model } = (await place.access()).whole;
    const pairs = model.tables.find((table) => table.pairs);
    const keys = pairs?.fields.filter(({ type }) => type.kind === 'link').map(({ key }) => key) ?? [];
    const hiveKey = pairs?.fields.find(
      ({ type }) => type.kind === 'link' && model.tables.find(({ id }) => id === type.to)?.key === 'hives',
    )?.key;
    const pair = (hive: number) => Object.fromEntries(keys.map((key) => [key, key === hiveKey ? hive : 1]));
    const path = `${ws}/tables/${pairs?.key}/records`;
    // H-3 was sent; H-1 is a draft.
    expect((await ask(who.jo, 'POST', path, { records: [{ values: pair(3) }] })).status).toBe(403);
    expect((await ask(who.jo, 'POST', path, { records: [{ values: pair(1) }] })).status).toBe(200);
    await place.write('hives', { update: [{ id: 2, values: { state: 'sent' } }] });
    expect((await ask(who.jo, 'DELETE', path, { ids: [1] })).status).toBe(403);
    // By the record itself it is as the record is.
    const near = (id: number) =>
      ask(who.jo, 'PATCH', `${ws}/tables/hives/records`, { records: [{ id, values: { near: [2] } }] });
    expect([(await near(3)).status, (await near(1)).status]).toEqual([403, 200]);
    expect((await ask(who.jo, 'POST', `${ws}/undo`, {})).status).toBe(200);
  });

  test('nor are words for an open list, where nothing may be written', async () => {
    const open = { label: 'Kind', type: 'option', options: [{ label: 'nucleus' }], open: true };
    await place.change({ do: 'addField', table: 'hives', field: open } as never);
    const write = (kind: string) =>
      ask(who.jo, 'PATCH', `${ws}/tables/hives/records`, { records: [{ id: 1, values: { kind } }] });
    const words = async () => JSON.stringify((await ask(who.ida, 'GET', `${ws}/model`)).answer);
    const apiaries = { see: true, change: true };
    await give(who.jo, { others: {}, tables: { apiaries, hives: { see: true } } });
    expect((await write('smuggled')).status).toBe(403);
    await give(who.ulla, {
      label: 'Other',
      others: {},
      tables: { hives: { see: true, change: true, fields: { kind: 'seen' } } },
    });
    const body = { records: [{ id: 1, values: { kind: 'carried' } }] };
    expect((await ask(who.ulla, 'PATCH', `${ws}/tables/hives/records`, body)).status).toBe(422);
    expect(await words()).not.toMatch(/smuggled|carried/);
  });

  test('whoever designs one table makes no forms and links of another', async () => {
    const seen = { see: true };
    await give(who.jo, { others: seen, tables: { hives: { ...seen, design: true } } });
    const form = { label: 'New', sections: [{ items: [{ field: 'number' }] }] };
    const of = (table: string) =>
      ask(who.jo, 'POST', `${ws}/tables/${table}/forms`, { form: { ...form, sections: [] } });
    expect([(await of('apiaries')).status, (await of('hives')).status]).toEqual([403, 200]);
    const made = await ask(who.ida, 'POST', `${ws}/tables/apiaries/forms`, {
      form: { ...form, audience: 'outside', sections: [] },
    });
    const address = `${ws}/tables/apiaries/forms/${String(made.answer.id)}/addresses`;
    expect((await ask(who.jo, 'POST', address, { label: 'x' })).status).toBe(403);
    // The link of the hives has its other side with the apiaries.
    const changes = [{ do: 'removeField', table: 'hives', field: 'apiary' }];
    expect((await ask(who.jo, 'POST', `${ws}/plans`, { changes })).status).toBe(403);
  });

  test('a role that somebody has stays, also when its making is undone; who manages people sees everything', async () => {
    await give(who.jo, steward);
    const { answer } = await ask(who.ida, 'GET', `${ws}/history?limit=1`);
    const [made] = answer.items as { id: number }[];
    expect(await place.refused(place.undo(made?.id ?? 0))).toContain('is the role of 1 person');
    expect(await numbers(who.jo)).toEqual(['H-1']);
    const { status, said } = await ask(who.ida, 'POST', `${ws}/roles`, {
      ...steward,
      label: 'Boss',
      workspace: ['people'],
    });
    expect([status, said]).toEqual([422, expect.stringContaining('manages people')]);
  });
});

describe('before it is kept, and as somebody else', () => {
  test('a role is tried: records seen, fields hidden, and what formulas carry', async () => {
    const tables = { ...steward.tables, hives: { ...steward.tables.hives, fields: { price: 'hidden' } } };
    const role = { ...steward, label: 'Steward', tables };
    const { answer } = await ask(who.ida, 'POST', `${ws}/roles/try`, { role, person: who.jo.id });
    expect(answer.items).toMatchObject([
      {
        table: 'apiaries',
        records: 2,
        seen: 1,
        hidden: ['Rent'],
        still: ['Name'],
        change: 'all',
        carries: [{ field: 'Worth', from: ['Hives.Price'] }],
      },
      { table: 'hives', records: 3, seen: 1, enter: 'some', delete: 'none', hidden: ['Price'], carries: [] },
    ]);
    expect((await ask(who.ida, 'GET', `${ws}/roles`)).said).not.toContain('Steward');
  });

  test('an administrator looks as another, by role or person, and writes nothing then', async () => {
    const id = await give(who.jo, steward);
    const workspace = (await place.access()).workspace.id;
    const as = (seeAs: object): Person => ({ ...who.ida, seeAs: { workspace, ...seeAs } as never });
    expect(await numbers(as({ person: who.jo.id }))).toEqual(['H-1']);
    expect(await numbers(as({ role: 'reader' }))).toHaveLength(3);
    expect(await numbers(as({ role: id }))).toEqual([]);
    const patch = [{ id: 1, values: { number: 'H-9' } }];
    const { status, answer } = await ask(as({ person: who.jo.id }), 'PATCH', `${ws}/tables/hives/records`, {
      records: patch,
    });
    expect([status, answer.detail]).toEqual([403, expect.stringContaining('Jo')]);
    expect((await ask(as({ person: who.jo.id }), 'GET', `${ws}/roles`)).status).toBe(403);
    // Nobody else looks as another by saying so.
    const false_: Person = { ...who.jo, seeAs: { workspace, person: who.ida.id } };
    expect(await numbers(false_)).toEqual(['H-1']);
    await ask(who.ida, 'PUT', `${ws}/see-as`, { person: who.jo.id });
    const { answer: trail } = await ask(who.ida, 'GET', `${ws}/audit?kind=sawAs`);
    expect(trail.items).toMatchObject([{ words: 'looked at it as Jo' }]);
  });
});

describe('the Directory', () => {
  test('groups are given workspaces: whoever comes into one is in, and out with it', async () => {
    const group = Number(
      (await ask(who.ida, 'POST', '/api/groups', { label: `Group ${places}`, people: [who.jo.id] })).answer.id,
    );
    expect((await ask(who.jo, 'GET', `${ws}/model`)).status).toBe(404);
    await ask(who.ida, 'PUT', `${ws}/groups/${group}`, { role: 'editor' });
    expect((await ask(who.jo, 'GET', `${ws}/model`)).status).toBe(200);
    const members = async () => (await ask(who.ida, 'GET', `${ws}/members`)).answer.items;
    expect(await members()).toMatchObject([
      { name: 'Ida', via: null },
      { name: 'Jo', role: 'editor', via: `Group ${places}` },
    ]);
    // A role of one's own goes before that of the group, also where it is less.
    await ask(who.ida, 'PATCH', `${ws}/members/${who.jo.id}`, { role: 'reader' });
    expect(await members()).toMatchObject([{}, { name: 'Jo', role: 'reader', via: null }]);
    await ask(who.ida, 'DELETE', `${ws}/members/${who.jo.id}`);
    expect((await ask(who.ida, 'DELETE', `${ws}/members/${who.jo.id}`)).status).toBe(409);
    await ask(who.ida, 'PATCH', `/api/groups/${group}`, { people: [] });
    expect((await ask(who.jo, 'GET', `${ws}/model`)).status).toBe(404);
    for (const [method, path, body] of [
      ['POST', '/api/groups', { label: 'Mine' }],
      ['PATCH', `/api/groups/${group}`, { people: [who.jo.id] }],
      ['DELETE', `/api/groups/${group}`, undefined],
      ['GET', '/api/people', undefined],
      ['POST', '/api/people', { name: 'X', email: 'x@alderfold.example' }],
      ['PATCH', `/api/people/${who.jo.id}`, { manages: true }],
    ] as const)
      expect([path, (await ask(who.jo, method, path, body)).status]).toEqual([path, 403]);
  });

  test('a group says how many of its people can come in by it', async () => {
    const people = [who.jo.id, who.ulla.id, who.ida.id];
    const made = await ask(who.ida, 'POST', '/api/groups', { label: `Counted ${places}`, people });
    const count = async () =>
      ((await ask(who.ida, 'GET', '/api/groups')).answer.items as { id: number; people: number }[]).find(
        ({ id }) => id === Number(made.answer.id),
      )?.people;
    expect([made.answer.people, await count()]).toEqual([3, 3]);
    await ask(who.ida, 'PATCH', `/api/people/${who.ulla.id}`, { deactivated: true });
    expect(await count()).toBe(2);
    await ask(who.ida, 'PATCH', `/api/people/${who.ulla.id}`, { deactivated: false });
  });

  test('of several groups that counts whose role allows most: the workspace’s own before reader', async () => {
    const own_ = String(
      (await ask(who.ida, 'POST', `${ws}/roles`, { label: 'Own', others: { see: true, change: true } })).answer.id,
    );
    const reading = Number(
      (await ask(who.ida, 'POST', '/api/groups', { label: `R ${places}`, people: [who.jo.id] })).answer.id,
    );
    const writing = Number(
      (await ask(who.ida, 'POST', '/api/groups', { label: `W ${places}`, people: [who.jo.id] })).answer.id,
    );
    await ask(who.ida, 'PUT', `${ws}/groups/${reading}`, { role: 'reader' });
    await ask(who.ida, 'PUT', `${ws}/groups/${writing}`, { role: own_ });
    const members = (await ask(who.ida, 'GET', `${ws}/members`)).answer.items;
    expect(members).toMatchObject([{ name: 'Ida' }, { name: 'Jo', role: own_ }]);
    await ask(who.ida, 'PUT', `${ws}/groups/${reading}`, { role: 'designer' });
    expect((await ask(who.ida, 'GET', `${ws}/members`)).answer.items).toMatchObject([{}, { role: 'designer' }]);
  });

  test('who is deactivated is out everywhere within a second: session, token, stream, password', async () => {
    const anna = await makePerson(pool, `Anna${places}`);
    await ask(who.ida, 'POST', `${ws}/members`, { person: anna.id, role: 'editor' });
    const { session } = await signIn(pool, anna.email, 'test', { place: '192.0.2.9' });
    const token = String((await ask(anna, 'POST', '/api/tokens', { label: 'mine' })).answer.token);
    const listener = new ChangeListener(url);
    await listener.start();
    try {
      const { endpoint, params } = endpointAt('GET', `/api/workspaces/${place.key}/events`);
      const request = new Request(`http://loom.example/api/workspaces/${place.key}/events`);
      const caller = callerBy(pool, { is: 'token', secret: token }, place.key);
      const stream = (await answered(pool, caller, endpoint, params, request, listener)).body?.getReader();
      await new Promise((resolve) => setTimeout(resolve, 1_100));
      const began = Date.now();
      const out = await ask(who.ida, 'PATCH', `/api/people/${anna.id}`, { deactivated: true });
      expect(out.answer).toMatchObject({ deactivatedAt: expect.stringMatching(/^\d{4}-/) });
      for (let piece = await stream?.read(); piece && !piece.done; piece = await stream?.read());
      expect(Date.now() - began).toBeLessThan(1_000);
    } finally {
      await listener.stop();
    }
    expect(await callerOf(pool, { is: 'session', secret: session })).toBeNull();
    expect((await ask(token, 'GET', `${ws}/model`)).status).toBe(401);
    await expect(signIn(pool, anna.email, 'test', { place: '192.0.2.9' })).rejects.toThrow('wrong');
    expect((await ask(who.ida, 'GET', `${ws}/members`)).said).not.toContain(anna.name);
    expect((await ask(who.ida, 'PATCH', `/api/people/${who.ida.id}`, { deactivated: true })).status).toBe(409);
    await ask(who.ida, 'PATCH', `/api/people/${anna.id}`, { deactivated: false });
    expect((await ask(token, 'GET', `${ws}/model`)).status).toBe(200);
  });

  test('somebody is invited by address: a message goes out, they set a password once, and are in', async () => {
    const email = `new${places}@alderfold.example`;
    const invited = await ask(who.ida, 'POST', `${ws}/invitations`, {
      email: ` ${email.toUpperCase()}`,
      name: 'Nils',
      role: 'editor',
    });
    expect(invited.answer).toMatchObject({ name: 'Nils', email, role: 'editor' });
    const { answer } = await ask(who.ida, 'GET', '/api/outbox?limit=1');
    const [message] = answer.items as { recipient: string; body: string }[];
    expect(message?.recipient).toBe(email);
    const secret = /\/invited\/(\S+)/.exec(message?.body ?? '')?.[1] ?? '';
    const { acceptInvitation } = await import('$server/access/invitations');
    await expect(acceptInvitation(pool, secret, 'short')).rejects.toThrow('8 characters');
    await expect(acceptInvitation(pool, `${secret}x`, 'long enough')).rejects.toThrow('used');
    expect(await acceptInvitation(pool, secret, 'long enough')).toBe(email);
    await expect(acceptInvitation(pool, secret, 'another one')).rejects.toThrow('used');
    const { session } = await signIn(pool, email, 'long enough', { place: '192.0.2.10' });
    const caller = callerBy(pool, { is: 'session', secret: session }, place.key);
    expect((await ask(caller, 'GET', `${ws}/model`)).status).toBe(200);
    const kept = await pool.query('select i::text as t from loom.invitations i');
    expect(JSON.stringify(kept.rows)).not.toContain(secret);
    // Of others' messages nobody reads who does not manage the Directory, and of their own not the address.
    const anna = await makePerson(pool, `Inviter${places}`);
    await ask(who.ida, 'POST', `${ws}/members`, { person: anna.id, role: 'administrator' });
    const asked = `passwordless${places}@alderfold.example`;
    for (const role of ['reader', 'editor']) {
      const { answer: member } = await ask(anna, 'POST', `${ws}/invitations`, { email: asked, role });
      await ask(anna, 'DELETE', `${ws}/members/${String(member.id)}`);
    }
    const own = (await ask(anna, 'GET', '/api/outbox')).said;
    expect(own).toContain(asked);
    expect(own).not.toMatch(/invited\/\w/);
    // Once a password is set, no other address sets one.
    const { answer: whole } = await ask(who.ida, 'GET', '/api/outbox?limit=2');
    const [second, first] = (whole.items as { body: string }[]).map(
      ({ body }) => /\/invited\/(\S+)/.exec(body)?.[1] ?? '',
    );
    expect(await acceptInvitation(pool, second ?? '', 'long enough')).toBe(asked);
    await expect(acceptInvitation(pool, first ?? '', 'taken over')).rejects.toThrow('used');
    expect((await ask(who.jo, 'GET', '/api/outbox')).answer.items).toEqual([]);
    expect((await ask(who.ida, 'POST', `${ws}/invitations`, { email, role: 'reader' })).status).toBe(409);
  });
});
