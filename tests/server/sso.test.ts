import type { Server } from 'node:http';
import { createServer } from 'node:http';
import { once } from 'node:events';
import { TOTP, Secret } from 'otpauth';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { comeBack, goToProvider, type Going } from '$server/access/provider';
import { newFactor, removeFactor, setFactor } from '$server/access/secondFactor';
import { callerOf, endSessions, idleHours, signIn } from '$server/access/signIn';
import { authorize, type Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { startProvider } from '../../demo/provider';
import { called, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';
import { makePlace } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let provider: Server;
const origin = 'http://loom.example';
const people = [
  { email: 'ida@alderfold.example', name: 'Ida Vale', groups: ['Office', 'Board'] },
  { email: 'new@alderfold.example', name: 'Garrick Thwaite', groups: ['Field team'] },
  { email: 'unsure@alderfold.example', name: 'Unsure', groups: [], isVerified: false },
  { email: 'gone@alderfold.example', name: 'Gone', groups: [] },
];

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('sso'));
  ida = await makePerson(pool, 'Ida');
  await pool.query('update loom.people set manages = true where id = $1', [ida.id]);
  const free = createServer().listen(0, '127.0.0.1');
  await once(free, 'listening');
  const { port } = free.address() as { port: number };
  free.close();
  provider = await startProvider({
    port,
    client: 'loom',
    secret: 'hush hush',
    back: [`${origin}/sign-in/back`],
    people,
  });
  Object.assign(process.env, {
    LOOM_OIDC_ISSUER: `http://127.0.0.1:${port}`,
    LOOM_OIDC_CLIENT: 'loom',
    LOOM_OIDC_SECRET: 'hush hush',
    LOOM_OIDC_LABEL: 'Alderfold',
  });
});
afterAll(async () => {
  for (const key of ['ISSUER', 'CLIENT', 'SECRET', 'LABEL']) Reflect.deleteProperty(process.env, `LOOM_OIDC_${key}`);
  provider.closeAllConnections();
  provider.close();
  await drop();
});

/** What a browser does: goes where it is sent, with its cookies, and chooses who it is; stops where it is sent back. */
async function through(url: URL, as: string): Promise<URL> {
  const jar = new Map<string, string>();
  for (let next = url, steps = 0; steps < 10; steps++) {
    if (next.pathname.startsWith('/choose/')) next.searchParams.set('as', as);
    const cookie = [...jar].map(([name, value]) => `${name}=${value}`).join('; ');
    const answer = await fetch(next, { redirect: 'manual', headers: { cookie } });
    for (const set of answer.headers.getSetCookie()) {
      const [, name = '', value = ''] = /^([^=]+)=([^;]*)/.exec(set) ?? [];
      jar.set(name, value);
    }
    const to = answer.headers.get('location');
    if (!to) throw new Error(`${next.href} answers ${answer.status}: ${(await answer.text()).slice(0, 300)}`);
    next = new URL(to, next);
    if (next.origin === origin) return next;
  }
  throw new Error('sent around for ever');
}
async function signInAs(
  email: string,
  change: (going: Going, back: URL) => [Going, URL] = (going, back) => [going, back],
) {
  const { url, going } = await goToProvider(origin, '/w/bees');
  const [kept, back] = change(going, await through(url, email));
  const session = await comeBack(pool, back, origin, kept);
  return callerOf(pool, { is: 'session', secret: session });
}
const rowsOf = async (statement: string) => (await pool.query<Record<string, unknown>>(statement)).rows;

describe('with the sign-in of an organisation', () => {
  test('whoever has an address here is signed in as themselves, each time, also under another address', async () => {
    expect((await signInAs('ida@alderfold.example'))?.person).toMatchObject({ id: ida.id, name: 'Ida' });
    await pool.query(`update loom.people set email = 'ida.vale@alderfold.example' where id = $1`, [ida.id]);
    expect((await signInAs('ida@alderfold.example'))?.person.id).toBe(ida.id);
    await pool.query(`update loom.people set email = 'ida@alderfold.example' where id = $1`, [ida.id]);
    expect(await rowsOf(`select kind, facts from loom.audit where kind = 'signedIn' limit 1`)).toEqual([
      { kind: 'signedIn', facts: { with: 'Alderfold' } },
    ]);
  });

  test('somebody new is in the Directory from then on, and in no workspace', async () => {
    const caller = await signInAs('new@alderfold.example');
    expect(caller?.person).toMatchObject({ name: 'Garrick Thwaite', email: 'new@alderfold.example' });
    await makePlace(pool, ida, 'Bees');
    await expect(authorize(pool, caller?.person as Person, 'bees', 'see')).rejects.toThrow('no such workspace');
  });

  test('groups that follow it have who it names, in and out; others stay as they are', async () => {
    const make = async (label: string, follows: boolean, of: number[]) => {
      const { endpoint, params } = endpointAt('POST', '/api/groups');
      const made = JSON.parse((await called(pool, ida, endpoint, params, {}, { label, people: of })).text) as {
        id: number;
      };
      const patch = endpointAt('PATCH', `/api/groups/${made.id}`);
      expect((await called(pool, ida, patch.endpoint, patch.params, {}, { follows })).status).toBe(200);
      return made.id;
    };
    const [office, fieldTeam, board] = [
      await make('Office', true, []),
      await make('Field team', true, [ida.id]),
      await make('Board', false, []),
    ];
    const give = endpointAt('PUT', `/api/workspaces/bees/groups/${fieldTeam}`);
    expect((await called(pool, ida, give.endpoint, give.params, {}, { role: 'reader' })).status).toBe(200);
    await signInAs('ida@alderfold.example');
    const newcomer = await signInAs('new@alderfold.example');
    expect(await rowsOf('select "group", person from loom.group_people order by 1, 2')).toEqual([
      { group: office, person: ida.id },
      { group: fieldTeam, person: newcomer?.person.id },
    ]);
    expect(board).toBeGreaterThan(0);
    const access = await authorize(pool, newcomer?.person as Person, 'bees', 'see');
    expect(access.role.id).toBe('reader');
  });

  test.each([
    ['an address that nobody has made sure of', 'unsure@alderfold.example', undefined, 'which address is yours'],
    [
      'an answer to another question',
      'ida@alderfold.example',
      (going: Going, back: URL): [Going, URL] => [{ ...going, state: 'other' }, back],
      'not signed in',
    ],
    [
      'a code without its verifier',
      'ida@alderfold.example',
      (going: Going, back: URL): [Going, URL] => [{ ...going, verifier: 'x'.repeat(43) }, back],
      'not signed in',
    ],
    [
      'a token of another sign-in',
      'ida@alderfold.example',
      (going: Going, back: URL): [Going, URL] => [{ ...going, nonce: 'other' }, back],
      'not signed in',
    ],
    [
      'a code that is made up',
      'ida@alderfold.example',
      (going: Going, back: URL): [Going, URL] => (back.searchParams.set('code', 'made-up'), [going, back]),
      'not signed in',
    ],
  ])('%s lets nobody in', async (_, email, change, words) => {
    await expect(signInAs(email, change)).rejects.toThrow(words);
    expect(await rowsOf(`select 1 as x from loom.people where email = 'unsure@alderfold.example'`)).toEqual([]);
  });

  test('an answer is taken once, and who was deactivated is not let in', async () => {
    const { url, going } = await goToProvider(origin, '/');
    const back = await through(url, 'ida@alderfold.example');
    await comeBack(pool, back, origin, going);
    await expect(comeBack(pool, back, origin, going)).rejects.toThrow('not signed in');
    const gone = await makePerson(pool, 'Gone');
    await pool.query('update loom.people set deactivated_at = now() where id = $1', [gone.id]);
    await expect(signInAs('gone@alderfold.example')).rejects.toThrow('deactivated');
  });
});

describe('a second factor', () => {
  const place = () => ({ place: `10.0.0.${Math.floor(Math.random() * 200)}` });
  const number = (secret: string, at = 0) =>
    new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: Date.now() + at });

  test('is set up with a number, asked for at each sign-in, taken once, and removed with the password', async () => {
    const tom = await makePerson(pool, 'Tom');
    const enter = (code?: string) => signIn(pool, tom.email, 'test', place(), code);
    await enter();
    const { secret, picture } = await newFactor(tom);
    expect(atob(picture.split(',')[1] ?? '')).toMatch(/^<svg/);
    await expect(setFactor(pool, tom, secret, '000000')).rejects.toThrow('not the number');
    await expect(setFactor(pool, tom, 'AAAA', number('AAAA'))).rejects.toThrow('not the number');
    await setFactor(pool, tom, secret, number(secret, -30_000));
    await expect(setFactor(pool, tom, secret, number(secret))).rejects.toThrow('already');
    await expect(enter()).rejects.toMatchObject({ status: 401, details: { factor: true } });
    await expect(enter('123456')).rejects.toThrow('not right');
    const now = number(secret);
    await enter(now);
    await expect(enter(now)).rejects.toThrow('used before');
    await expect(enter(number(secret, 300_000))).rejects.toThrow('not right');
    await expect(signIn(pool, tom.email, 'wrong', place(), number(secret))).rejects.toThrow('Email or password');
    await expect(removeFactor(pool, tom, 'wrong')).rejects.toThrow('wrong');
    await removeFactor(pool, tom, 'test');
    await enter();
  });

  test('cannot be tried without end', async () => {
    const pell = await makePerson(pool, 'Pell');
    const { secret } = await newFactor(pell);
    await setFactor(pool, pell, secret, number(secret));
    const tries = [];
    for (let at = 0; at < 7; at++)
      tries.push(
        await signIn(pool, pell.email, 'test', place(), '000000').then(
          () => 200,
          (error: { status: number }) => error.status,
        ),
      );
    expect(tries).toEqual([401, 401, 401, 401, 401, 429, 429]);
  });
});

test('a session ends by itself when it is not used, and by hand everywhere else', async () => {
  const wren = await makePerson(pool, 'Wren');
  const enter = async () => (await signIn(pool, wren.email, 'test', { place: '10.1.1.1' })).session;
  const who = async (secret: string) => (await callerOf(pool, { is: 'session', secret }))?.person.name ?? null;
  const [one, two, three] = [await enter(), await enter(), await enter()];
  await pool.query(`update loom.sessions set used_at = now() - make_interval(hours => $1) where person = $2`, [
    idleHours - 1,
    wren.id,
  ]);
  expect(await who(one)).toBe('Wren');
  await pool.query(`update loom.sessions set used_at = used_at - interval '2 hours' where person = $1`, [wren.id]);
  // The first was used, which counts from then on.
  expect([await who(one), await who(two), await who(three)]).toEqual(['Wren', null, null]);
  const other = await enter();
  expect(await endSessions(pool, wren, one)).toBe(3);
  expect([await who(one), await who(other)]).toEqual(['Wren', null]);
});
