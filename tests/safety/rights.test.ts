import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Need, Person } from '$server/access/workspaceAccess';
import { endpoints } from '$server/api/openapi';
import { allows } from '$server/access/workspaceAccess';
import { builtInRole, builtInRoles } from '$core/access/rights';
import type { Pool } from '$server/database/pool';
import { freshDatabase, join, makePerson } from '../server/database';
import { makePlace, text } from '../server/place';
import { called } from './calling';

/**
 * Every call that is described × everybody who should not make it. A call that is new is in here by being described.
 */
let pool: Pool;
let drop: () => Promise<void>;
const people: Record<string, Person> = {};
const roles = builtInRoles.map(({ id }) => id);
/** The role that may do least of those that may do what a call needs. */
const leastFor = (need: Need): string => roles.findLast((id) => allows(builtInRole(id)!, need)) ?? '';

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('rights'));
  const ida = await makePerson(pool, 'Ida');
  const place = await makePlace(pool, ida, 'Bees');
  await place.change({ do: 'addTable', label: 'Hives', fields: [text('Number')] });
  await place.insert('hives', { number: 'H-1' });
  people.stranger = await makePerson(pool, 'Stranger');
  for (const role of roles) {
    const person = await makePerson(pool, role);
    people[role] = person;
    await join(pool, await place.access(), person, role);
  }
});
afterAll(() => drop());

/** Nobody is called so: whoever calls would else leave, or take the others' places. */
const person = '999';
const params = { person, ws: 'bees', t: 'hives', f: 'number', id: '1', batch: '1', key: 'x', a: '1', work: 'edit' };
const inWorkspace = endpoints.filter(({ needs }) => needs !== null);

/**
 * It also brings a workspace back out of the bin, in which nobody has a place; its rights are looked at below by
 * themselves.
 */
const ofDeletedOnes = 'PATCH /api/workspaces/{ws}';

test('every call that names a workspace says whom it is for', async () => {
  const unsaid = endpoints
    .filter(({ path, needs }) => path.includes('{ws}') && needs === null)
    .map(({ method, path }) => `${method} ${path}`);
  expect(unsaid).toEqual([ofDeletedOnes]);
  expect(inWorkspace.length).toBeGreaterThan(60);
  const patch = endpoints.find(({ method, path }) => `${method} ${path}` === ofDeletedOnes)!;
  const ask = async (person: Person | null, ws: string) =>
    called(pool, person, patch, { ws }, {}, { label: 'Taken over' });
  expect((await ask(null, 'bees')).status).toBe(401);
  expect(await ask(people.stranger!, 'bees')).toEqual(await ask(people.stranger!, 'nowhere'));
  expect([(await ask(people.stranger!, 'bees')).status, (await ask(people.editor!, 'bees')).status]).toEqual([
    404, 404,
  ]);
});

describe.each(inWorkspace.map((endpoint) => [`${endpoint.method} ${endpoint.path}`, endpoint] as const))(
  '%s',
  (_, endpoint) => {
    const body = endpoint.method === 'GET' ? undefined : {};

    test('is refused to nobody, and to strangers as if there were no such workspace', async () => {
      const nobody = await called(pool, null, endpoint, params, {}, body);
      expect(nobody.status).toBe(401);
      const [there, nowhere] = [
        await called(pool, people.stranger!, endpoint, params, {}, body),
        await called(pool, people.stranger!, endpoint, { ...params, ws: 'nowhere' }, {}, body),
      ];
      expect([there.status, there.text]).toEqual([404, nowhere.text]);
      expect(there.text).toContain('no such workspace');
    });

    test('is refused without the right, before what is sent is looked at', async () => {
      for (const role of roles.filter((id) => !allows(builtInRole(id)!, endpoint.needs as Need))) {
        const answer = await called(pool, people[role]!, endpoint, params, {}, body);
        expect([role, answer.status]).toEqual([role, 403]);
      }
    });
  },
);

test('whoever has the role is not turned away: they are told what is wrong with what they sent, or are answered', async () => {
  const statuses = new Map<string, number>();
  // What is deleted for good would take the others' ground away.
  for (const endpoint of inWorkspace.filter(
    ({ path, method }) => !(method === 'DELETE' && path === '/api/workspaces/{ws}'),
  )) {
    // Plans and undoing may need more than the call: by what is changed.
    const at = /plans|undo|redo/.test(endpoint.path) ? { ...params, id: '999' } : params;
    const { status, text: told } = await called(
      pool,
      people[leastFor(endpoint.needs as Need)]!,
      endpoint,
      at,
      {},
      endpoint.method === 'GET' ? undefined : {},
    );
    statuses.set(`${endpoint.method} ${endpoint.path}`, status);
    expect([401, 403, 500], `${endpoint.method} ${endpoint.path} ${told.slice(0, 200)}`).not.toContain(status);
  }
  expect([...statuses.values()].filter((status) => status === 200).length).toBeGreaterThan(20);
});
