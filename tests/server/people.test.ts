import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { callerOf } from '$server/access/signIn';
import type { Person } from '$server/access/workspaceAccess';
import { getEvents } from '$server/api/events';
import * as api from '$server/api/people/people';
import { getExport } from '$server/api/recordQueries';
import { patchRecords } from '$server/api/recordWrites';
import { getModel, listWorkspaces, patchWorkspace, postWorkspace } from '$server/api/workspaces';
import type { RoleId } from '$server/database/catalogue';
import type { Pool } from '$server/database/pool';
import type { Endpoint } from '$server/http/endpoint';
import { ChangeListener, eventStream } from '$server/live/events';
import { authorize } from '$server/access/workspaceAccess';
import { signIn } from '$server/access/signIn';
import { answered, called, callerBy, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let [ida, jo, ulla]: Person[] = [];
let place: Place;
let places = 0;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('people'));
  [ida, jo, ulla] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Jo'), await makePerson(pool, 'Ulla')];
});
beforeEach(async () => {
  place = await makePlace(pool, who(ida), `Bees ${++places}`);
  await place.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
  await place.insert('hives', { number: 'H-1' });
});
afterAll(() => drop());

const who = (person: Person | undefined): Person => {
  if (!person) throw new Error('made before the tests');
  return person;
};

/** As somebody, or as a token, with what is answered as JSON. */
async function ask(
  from: Person | string,
  endpoint: Endpoint,
  more: Readonly<Record<string, string>> = {},
  body?: unknown,
  query: Readonly<Record<string, string>> = {},
) {
  const caller = typeof from === 'string' ? callerBy(pool, { is: 'token', secret: from }, more.ws ?? place.key) : from;
  const { status, text: said } = await called(pool, caller, endpoint, { ws: place.key, ...more }, query, body);
  return { status, said, answer: (said.startsWith('{') ? JSON.parse(said) : null) as Record<string, unknown> };
}
const roles = async (): Promise<string[]> => {
  const { answer } = await ask(who(ida), api.getMembers);
  return (answer.items as { name: string; role: RoleId }[]).map(({ name, role }) => `${name} ${role}`);
};
const add = (person: Person | undefined, role: RoleId) =>
  ask(who(ida), api.postMember, {}, { person: who(person).id, role });

describe('people of a workspace', () => {
  test('are added from the Directory by number or address, once; what is sent is looked at', async () => {
    expect((await add(jo, 'editor')).status).toBe(200);
    expect(
      (await ask(who(ida), api.postMember, {}, { person: ' ULLA@alderfold.example', role: 'reader' })).answer,
    ).toMatchObject({ name: 'Ulla', role: 'reader', seenAt: null, since: expect.stringMatching(/^\d{4}-/) });
    expect(await roles()).toEqual(['Ida administrator', 'Jo editor', 'Ulla reader']);
    expect((await add(jo, 'reader')).status).toBe(409);
    for (const [body, status] of [
      [{ person: 9999, role: 'reader' }, 422],
      [{ person: 'nobody@alderfold.example', role: 'reader' }, 422],
      [{ person: who(ulla).id, role: 'owner' }, 422],
      [{ role: 'reader' }, 400],
    ] as const)
      expect((await ask(who(ida), api.postMember, {}, body)).status).toBe(status);
    expect(await roles()).toHaveLength(3);
  });

  test('change their roles by an administrator only, and of these one stays', async () => {
    await add(jo, 'editor');
    const change = (by: Person | undefined, of: Person | undefined, role: RoleId) =>
      ask(who(by), api.patchMember, { person: String(who(of).id) }, { role });
    expect((await change(jo, jo, 'administrator')).status).toBe(403);
    expect((await change(ida, ida, 'reader')).status).toBe(409);
    expect((await ask(who(ida), api.deleteMember, { person: String(who(ida).id) })).status).toBe(409);
    expect((await change(ida, jo, 'administrator')).status).toBe(200);
    expect((await change(ida, ulla, 'reader')).status).toBe(404);
    // They take each other's place at the same moment: one of the two comes too late.
    const both = await Promise.all([
      ask(who(ida), api.deleteMember, { person: String(who(jo).id) }),
      ask(who(jo), api.deleteMember, { person: String(who(ida).id) }),
    ]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 404]);
    const { rows } = await pool.query<{ n: number }>(
      `select count(*)::int as n from loom.members m join loom.workspaces w on w.id = m.workspace
       where w.key = $1 and m.role = 'administrator'`,
      [place.key],
    );
    expect(rows[0]?.n).toBe(1);
  });

  test('leave by themselves, and remove nobody else', async () => {
    await add(jo, 'editor');
    await add(ulla, 'reader');
    expect((await ask(who(jo), api.deleteMember, { person: String(who(ulla).id) })).status).toBe(403);
    expect((await ask(who(jo), api.deleteMember, { person: String(who(jo).id) })).status).toBe(200);
    expect(await roles()).toEqual(['Ida administrator', 'Ulla reader']);
    expect((await ask(who(jo), getModel)).status).toBe(404);
  });

  test('who is removed hears nothing more within a second', async () => {
    await add(jo, 'reader');
    const listener = new ChangeListener(url);
    await listener.start();
    try {
      const again = () => authorize(pool, who(jo), place.key, 'see');
      const reader = eventStream(listener, await again(), again).body?.getReader();
      // Longer than rights that were looked at hold.
      await new Promise((resolve) => setTimeout(resolve, 1_100));
      const began = Date.now();
      await ask(who(ida), api.deleteMember, { person: String(who(jo).id) });
      let told = '';
      for (let piece = await reader?.read(); piece && !piece.done; piece = await reader?.read())
        told += new TextDecoder().decode(piece.value);
      expect(Date.now() - began).toBeLessThan(1_000);
      expect(told).not.toContain('batch');
    } finally {
      await listener.stop();
    }
    expect((await ask(who(jo), getEvents)).status).toBe(404);
  });
});

describe('a token', () => {
  const make = async (body: object, from: Person | string = who(ida)) => {
    const { status, answer } = await ask(from, api.postToken, {}, body);
    return { status, token: String(answer.token), id: String(answer.id), answer };
  };
  const write = (secret: string, ws = place.key) =>
    ask(secret, patchRecords, { ws, t: 'hives' }, { records: [{ id: 1, values: { number: 'H-2' } }] });

  test('may do what its person may, or less; its secret is shown once', async () => {
    const [whole, reads] = [await make({ label: 'all' }), await make({ label: 'reads', role: 'reader' })];
    expect((await write(whole.token)).status).toBe(200);
    expect((await write(reads.token)).status).toBe(403);
    // Also by what was found for the call before.
    expect([(await write(reads.token)).status, (await ask(reads.token, getModel)).status]).toEqual([403, 200]);
    await add(jo, 'reader');
    const more = await make({ label: 'more than Jo', role: 'administrator' }, who(jo));
    expect((await write(more.token)).status).toBe(403);
    const { answer, said } = await ask(who(ida), api.getTokens);
    expect(answer.items).toMatchObject([
      { label: 'reads', role: 'reader' },
      { label: 'all', role: null },
    ]);
    expect(said).not.toContain(whole.token);
    const kept = await pool.query('select t::text as t from loom.tokens t');
    expect(JSON.stringify(kept.rows)).not.toContain(whole.token);
    expect((await ask(who(jo), api.deleteToken, { id: whole.id })).status).toBe(404);
  });

  test('of one workspace finds no other, in lists neither', async () => {
    const other = await makePlace(pool, who(ida), `Other ${places}`);
    const { token } = await make({ label: 'here', workspace: place.key });
    expect((await write(token)).status).toBe(200);
    const [there, nowhere] = [
      await ask(token, getModel, { ws: other.key }),
      await ask(token, getModel, { ws: 'none' }),
    ];
    expect([there.status, there.said]).toEqual([404, nowhere.said]);
    const { answer } = await ask(token, listWorkspaces);
    expect((answer.items as { key: string }[]).map((one) => one.key)).toEqual([place.key]);
    expect((await ask(token, postWorkspace, {}, { label: 'Mine' })).status).toBe(403);
    expect((await ask(token, patchWorkspace, { ws: other.key }, { label: 'Mine' })).status).toBe(403);
    expect((await make({ label: 'elsewhere', workspace: 'none' })).status).toBe(404);
  });

  test('stands in no answer that is kept for a key', async () => {
    const sent = () =>
      called(pool, who(ida), api.postToken, {}, {}, { label: 'kept?' }, { 'idempotency-key': `key ${places}` });
    const [first, second] = [await sent(), await sent()].map((one) => JSON.parse(one.text) as { token: string });
    expect(first?.token).not.toBe(second?.token);
    const kept = await pool.query('select i::text as t from loom.idempotency i');
    expect(JSON.stringify(kept.rows)).not.toContain(first?.token);
  });

  test('has a stream of its own rights, which ends when it is revoked, while its person’s goes on', async () => {
    const { token, id } = await make({ label: 'listens', role: 'reader' });
    const listener = new ChangeListener(url);
    await listener.start();
    const { endpoint, params } = endpointAt('GET', `/api/workspaces/${place.key}/events`);
    const open = async (from: Person | string) => {
      const caller = typeof from === 'string' ? callerBy(pool, { is: 'token', secret: from }, place.key) : from;
      const request = new Request(`http://loom.example/api/workspaces/${place.key}/events`);
      return (await answered(pool, caller, endpoint, params, request, listener)).body?.getReader();
    };
    try {
      const [own, asToken] = [await open(who(ida)), await open(token)];
      await new Promise((resolve) => setTimeout(resolve, 1_100));
      const ended = (async () => {
        for (let piece = await asToken?.read(); piece && !piece.done; piece = await asToken?.read());
        return true;
      })();
      await ask(who(ida), api.deleteToken, { id });
      expect(await Promise.race([ended, new Promise((resolve) => setTimeout(() => resolve(false), 1_000))])).toBe(true);
      let told = '';
      while (!told.includes('batch')) {
        const piece = await own?.read();
        if (!piece || piece.done) break;
        told += new TextDecoder().decode(piece.value as Uint8Array);
      }
      expect(told).toContain('batch');
      await own?.cancel();
    } finally {
      await listener.stop();
    }
  });

  test('makes no further tokens, and does not leave for its person', async () => {
    const { token, id } = await make({ label: 'reads', role: 'reader' });
    expect((await make({ label: 'more' }, token)).status).toBe(403);
    expect((await ask(token, api.deleteToken, { id })).status).toBe(403);
    await add(jo, 'administrator');
    expect((await ask(token, api.deleteMember, { person: String(who(ida).id) })).status).toBe(403);
  });

  test('is over at its end, at once when it is revoked, and says when it was used', async () => {
    const short = await make({ label: 'short', days: 1 });
    expect((await write(short.token)).status).toBe(200);
    const { rows } = await pool.query<{ used: boolean; seen: boolean }>(
      `select t.used_at > now() - interval '1 minute' as used, p.seen_at > now() - interval '1 minute' as seen
       from loom.tokens t join loom.people p on p.id = t.person where t.id = $1`,
      [short.id],
    );
    expect(rows).toEqual([{ used: true, seen: true }]);
    await pool.query(`update loom.tokens set ends_at = now() - interval '1 second' where id = $1`, [short.id]);
    expect((await write(short.token)).status).toBe(401);
    expect(await callerOf(pool, { is: 'token', secret: short.token }, place.key)).toBeNull();
    const gone = await make({ label: 'gone' });
    expect((await write(gone.token)).status).toBe(200);
    expect((await ask(who(ida), api.deleteToken, { id: gone.id })).status).toBe(200);
    expect((await write(gone.token)).status).toBe(401);
  });
});

describe('the audit trail', () => {
  const lines = async (query: Readonly<Record<string, string>> = {}) =>
    (await ask(who(ida), api.getAudit, {}, undefined, query)).answer as {
      items: { id: number; by: string; words: string }[];
      next: number | null;
    };
  const said = async (query: Readonly<Record<string, string>> = {}) =>
    (await lines(query)).items.map(({ by, words }) => `${by} ${words}`);

  test('says who got in, who took something out, and who may do what from then on', async () => {
    await add(jo, 'editor');
    await ask(who(ida), api.patchMember, { person: String(who(jo).id) }, { role: 'reader' });
    await ask(who(ida), api.postToken, {}, { label: 'loads', role: 'editor', workspace: place.key, days: 30 });
    const out = await called(
      pool,
      callerBy(
        pool,
        { is: 'token', secret: String((await ask(who(ida), api.postToken, {}, { label: 'out' })).answer.token) },
        place.key,
      ),
      getExport,
      { ws: place.key, t: 'hives' },
      { format: 'csv' },
    );
    expect(out.status).toBe(200);
    await signIn(pool, who(jo).email, 'guess', { place: '192.0.2.77' }).catch(() => null);
    await signIn(pool, who(jo).email, 'test', { place: '192.0.2.77' });
    await signIn(pool, who(ulla).email, 'test', { place: '192.0.2.78' });
    await ask(who(ida), api.deleteMember, { person: String(who(jo).id) });
    const [removed, ...before] = await said();
    expect(removed).toBe('Ida removed Jo (reader before)');
    // Once somebody is out, their sign-ins are no longer this workspace's.
    expect(before.slice(0, 5).join('\n')).toMatch(
      /^Ida took out \/api\/workspaces\/\S+\/tables\/hives\/export\?format=csv\nIda made the token “out”, without an end\nIda made the token “loads”, editor at most, until \d{4}-\d\d-\d\d\nIda made Jo reader \(editor before\)\nIda added Jo as editor$/,
    );
    await add(jo, 'reader');
    expect(await said({ kind: 'signInFailed' })).toEqual([`somebody failed to sign in as ${who(jo).email}`]);
    expect(await said({ kind: 'signedIn', person: String(who(jo).id) })).toEqual(['Jo signed in']);
    expect((await said()).join()).not.toContain('Ulla');
    expect((await ask(who(jo), api.getAudit)).status).toBe(403);
  });

  test('is read in pages and as a file, and is never changed', async () => {
    for (const person of [jo, ulla]) await add(person, 'reader');
    const first = await lines({ limit: '1' });
    expect(first).toMatchObject({ items: [{ words: 'added Ulla as reader' }], next: first.items[0]?.id });
    expect(await said({ limit: '1', after: String(first.next) })).toEqual(['Ida added Jo as reader']);
    const { said: csv } = await ask(who(ida), api.getAudit, {}, undefined, { format: 'csv' });
    expect(csv.split('\r\n')[1]).toMatch(/^\d+,\S+Z,Ida,memberAdded,added Ulla as reader$/);
    for (const statement of ['update loom.audit set name = $$x$$', 'delete from loom.audit', 'truncate loom.audit'])
      await expect(pool.query(statement)).rejects.toThrow('the audit trail is not changed');
  });
});
