import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { allows, type Person } from '$server/access/workspaceAccess';
import { makeOwnToken } from '$server/access/tokens';
import { signIn } from '$server/access/signIn';
import { endpoints, openApiDocument } from '$server/api/openapi';
import { roleNamed } from '$server/access/limits';
import type { Pool } from '$server/database/pool';
import type { Endpoint } from '$server/http/endpoint';
import { freshDatabase, join, makePerson } from '../server/database';
import { makePlace, text, type Place } from '../server/place';
import { called, callerBy, endpointAt } from './calling';

/**
 * Every route of the document × everybody who comes by something that is over, of another workspace, or cut: a route
 * that is new is in here by being described. `rights.test.ts` has nobody, strangers and the four roles.
 */
let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let own: Place;
let other: Place;
let cut: Person;
/** Numbers and names of things in the other workspace, of which somebody here may learn nothing. */
const foreign: Record<string, string> = {};
const nowhere: Record<string, string> = {};

const routes: readonly (readonly [string, Endpoint])[] = endpoints.map((endpoint) => [
  `${endpoint.method} ${endpoint.path}`,
  endpoint,
]);
const inWorkspace = routes.filter(([, { needs }]) => needs !== null);
const bodyOf = ({ method }: Endpoint) => (method === 'GET' ? undefined : {});

async function make(by: Person, key: string, path: string, body: object): Promise<Record<string, never>> {
  const { endpoint, params } = endpointAt('POST', `/api/workspaces/${key}${path}`);
  const { status, text: said } = await called(pool, by, endpoint, params, {}, body);
  if (status !== 200) throw new Error(said);
  return JSON.parse(said) as Record<string, never>;
}

async function fill(place: Place): Promise<Record<string, string>> {
  await place.change({
    do: 'addTable',
    label: place.key === 'bees' ? 'Hives' : 'Nests',
    fields: [text('Number'), { label: 'Weight', type: 'number' }],
  } as never);
  const table = place.key === 'bees' ? 'hives' : 'nests';
  const [record] = await place.insert(table, { number: 'N-1', weight: 5 }, { number: 'N-2', weight: 50 });
  const batch = (await place.write(table, { update: [{ id: record?.id ?? 0, values: { weight: 6 } }] })).batch;
  const form = await make(ida, place.key, `/tables/${table}/forms`, {
    form: { label: 'New', audience: 'outside', sections: [{ items: [{ field: 'number' }] }] },
  });
  const address = await make(ida, place.key, `/tables/${table}/forms/${String(form.id)}/addresses`, { label: 'x' });
  const role = await make(ida, place.key, '/roles', {
    label: 'Light ones',
    workspace: ['takeOut'],
    others: {},
    tables: { [table]: { see: 'weight < 10', enter: true, change: 'weight < 10' } },
  });
  process.env.LOOM_STAND_INS = '1';
  process.env.ORIGIN = 'http://127.0.0.1';
  const hook = await make(ida, place.key, '/webhooks', { label: 'x', table, url: '/stand-ins/web/x' });
  const plan = await make(ida, place.key, '/plans', { changes: [{ do: 'addField', table, field: text('More') }] });
  const id = place.key === 'bees' ? String(record?.id) : String(batch);
  return {
    t: table,
    f: 'number',
    id,
    batch: String(batch),
    role: String(role.id),
    a: String(address.id),
    form: String(form.id),
    hook: String(hook.id),
    plan: String(plan.id),
    delivery: '1',
    group: '1',
    key: 'x',
    hash: 'a'.repeat(64),
    work: 'edit',
    person: '999',
  };
}

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('everybody'));
  ida = await makePerson(pool, 'Ida');
  own = await makePlace(pool, ida, 'Bees');
  other = await makePlace(pool, ida, 'Wasps');
  const ours = await fill(own);
  Object.assign(foreign, await fill(other));
  Object.assign(nowhere, ours, {
    t: 'nothing',
    id: '987654321',
    batch: '987654321',
    role: 'a_nothing',
    a: '987654321',
    form: 'o_nothing',
    hook: '987654321',
    plan: '987654321',
  });
  cut = await makePerson(pool, 'Cut');
  await join(pool, await own.access(), cut, ours.role as never);
});
afterAll(async () => {
  delete process.env.LOOM_STAND_INS;
  delete process.env.ORIGIN;
  await drop();
});

test('what is called here is what the document describes, and nothing else', () => {
  const { paths } = openApiDocument() as { paths: Record<string, Record<string, unknown>> };
  const described = Object.entries(paths).flatMap(([path, methods]) =>
    Object.keys(methods).map((method) => `${method.toUpperCase()} ${path}`),
  );
  expect(routes.map(([name]) => name).toSorted()).toEqual(described.toSorted());
});

describe('nothing that is over lets anybody in', () => {
  const params = { ws: 'bees', t: 'hives', f: 'number', id: '1', batch: '1', person: '999', a: '1' };
  const open = routes.filter(([, endpoint]) => !endpoint.open);
  const over: Record<string, () => Promise<App.Locals['caller']>> = {
    'a token that has ended': async () => {
      const { token, id } = await makeOwnToken(pool, ida, { label: 'ends', days: 1 });
      await pool.query(`update loom.tokens set ends_at = now() - interval '1 second' where id = $1`, [id]);
      return callerBy(pool, { is: 'token', secret: token }, 'bees');
    },
    'a token that was revoked': async () => {
      const { token, id } = await makeOwnToken(pool, ida, { label: 'gone' });
      await pool.query('delete from loom.tokens where id = $1', [id]);
      return callerBy(pool, { is: 'token', secret: token }, 'bees');
    },
    'a token of somebody who was deactivated': async () => {
      const gone = await makePerson(pool, 'Gone');
      await join(pool, await own.access(), gone, 'administrator');
      const { token } = await makeOwnToken(pool, gone, { label: 'gone' });
      // Looked at before, so that it may be remembered.
      await callerBy(pool, { is: 'token', secret: token }, 'bees')(false);
      await pool.query('update loom.people set deactivated_at = now() where id = $1', [gone.id]);
      return callerBy(pool, { is: 'token', secret: token }, 'bees');
    },
    'a session that was not used for long': async () => {
      const idle = await makePerson(pool, 'Idle');
      await join(pool, await own.access(), idle, 'administrator');
      const { session } = await signIn(pool, idle.email, 'test', { place: '10.9.9.9' });
      await callerBy(pool, { is: 'session', secret: session }, 'bees')(false);
      await pool.query(`update loom.sessions set used_at = now() - interval '40 days' where person = $1`, [idle.id]);
      return callerBy(pool, { is: 'session', secret: session }, 'bees');
    },
  };
  test.each(Object.keys(over))('%s', async (name) => {
    const from = await (over[name] as () => Promise<App.Locals['caller']>)();
    const answers = [];
    for (const [route, endpoint] of open) {
      const { status, text: said } = await called(pool, from, endpoint, params, {}, bodyOf(endpoint));
      // A call that goes by what was found last looks in its transaction, and is made again for nobody.
      if (status !== 401) answers.push([route, status, said.slice(0, 120)]);
    }
    expect(answers).toEqual([]);
  });
});

test('a token for one workspace finds in another what somebody finds who is in none', async () => {
  const { token } = await makeOwnToken(pool, ida, { label: 'wasps only', workspace: 'wasps' });
  const differing = [];
  for (const [route, endpoint] of inWorkspace) {
    const ask = (ws: string) =>
      called(
        pool,
        callerBy(pool, { is: 'token', secret: token }, ws),
        endpoint,
        { ...nowhere, ws },
        {},
        bodyOf(endpoint),
      );
    const [here, none] = [await ask('bees'), await ask('neverland')];
    if (here.status !== 404 || here.text !== none.text) differing.push([route, here.status, here.text.slice(0, 100)]);
  }
  expect(differing).toEqual([]);
});

test('a token for one table finds no other one, and nothing of the structure is changed by it', async () => {
  await own.change({ do: 'addTable', label: 'Elsewhere', fields: [text('Word')] });
  await own.insert('elsewhere', { word: 'planted' });
  const { token } = await makeOwnToken(pool, ida, { label: 'hives only', workspace: 'bees', tables: ['hives'] });
  const listed = endpointAt('GET', '/api/tokens');
  const { items } = JSON.parse((await called(pool, ida, listed.endpoint, {})).text) as { items: unknown[] };
  expect(items[0]).toMatchObject({
    label: 'hives only',
    workspace: 'bees',
    tables: [{ key: 'hives', label: 'Hives' }],
  });
  const from = callerBy(pool, { is: 'token', secret: token }, 'bees');
  const found = [];
  for (const [route, endpoint] of inWorkspace) {
    const ask = (t: string) =>
      called(pool, from, endpoint, { ...nowhere, ws: 'bees', t, f: 'word', id: '1' }, {}, bodyOf(endpoint));
    const [there, none] = [await ask('elsewhere'), await ask('neverland')];
    if (there.text.replaceAll('elsewhere', 'neverland') !== none.text && endpoint.path.includes('{t}'))
      found.push([route, there.status, there.text.slice(0, 120)]);
    expect(there.text, route).not.toContain('planted');
  }
  expect(found).toEqual([]);
  const read = endpointAt('GET', '/api/workspaces/bees/tables/hives/records');
  expect((await called(pool, from, read.endpoint, read.params)).status).toBe(200);
  const plan = endpointAt('POST', '/api/workspaces/bees/plans');
  const body = { changes: [{ do: 'addField', table: 'hives', field: text('By token') }] };
  expect((await called(pool, from, plan.endpoint, plan.params, {}, body)).status).toBe(403);
});

/** What stands in a path where the name of the number is `id`, by what the path is about. */
const idIn = (path: string, of: Record<string, string>): string =>
  path.includes('/webhooks/')
    ? (of.hook ?? '')
    : path.includes('/forms/')
      ? (of.form ?? '')
      : path.includes('/plans/')
        ? (of.plan ?? '')
        : (of.batch ?? '');

test('what is of another workspace is as if it were nowhere, to the byte, also for who is in both', async () => {
  const differing = [];
  for (const [route, endpoint] of inWorkspace) {
    const { path } = endpoint;
    if (!/\{(?!ws\})/.test(path) || path.includes('{key}')) continue;
    const ask = async (of: Record<string, string>) => {
      const params = { ...of, ws: 'bees', id: idIn(path, of) };
      const { status, text: said } = await called(pool, ida, endpoint, params, {}, bodyOf(endpoint));
      // What was asked for may be said again.
      const words = Object.entries(of).reduce(
        (all, [name, value]) => (value.length > 3 ? all.replaceAll(value, `<${name}>`) : all),
        said,
      );
      return `${status} ${words}`;
    };
    const [theirs, none] = [await ask(foreign), await ask(nowhere)];
    if (theirs !== none) differing.push([route, theirs.slice(0, 160), none.slice(0, 160)]);
  }
  expect(differing).toEqual([]);
});

test('a role of the workspace’s own is let in where its rights reach, and nowhere else; never is there a fault', async () => {
  const access = await own.access();
  const role = roleNamed(
    access.whole.model,
    String(
      (await pool.query<{ role: string }>('select role from loom.members where person = $1', [cut.id])).rows[0]?.role,
    ),
  );
  const wrong = [];
  for (const [route, endpoint] of inWorkspace) {
    const may = role !== null && allows(role, endpoint.needs as never);
    const params = {
      ws: 'bees',
      t: 'hives',
      f: 'number',
      id: '1',
      batch: '987654321',
      person: '999',
      a: '987654321',
      role: 'x',
      group: '1',
      delivery: '1',
      hash: 'a',
    };
    const { status, text: said } = await called(pool, cut, endpoint, params, {}, bodyOf(endpoint));
    if (may ? [401, 500].includes(status) : status !== 403) wrong.push([route, may, status, said.slice(0, 140)]);
    expect(said, route).not.toContain('N-2');
  }
  expect(wrong).toEqual([]);
  // Of a record that it does not see it is told what it is told of one that never was.
  for (const [route, endpoint] of inWorkspace.filter(([, { path }]) => /records\/\{id\}|trace\/\{id\}/.test(path))) {
    const ask = async (id: string) => {
      const { status, text: said } = await called(
        pool,
        cut,
        endpoint,
        { ws: 'bees', t: 'hives', f: 'weight', id },
        {},
        endpoint.method === 'GET' ? undefined : { values: { weight: 1 } },
      );
      return `${status} ${said.replaceAll(new RegExp(`\\b${id}\\b`, 'g'), '<id>')}`;
    };
    expect([route, await ask('2')]).toEqual([route, await ask('987654321')]);
  }
});
