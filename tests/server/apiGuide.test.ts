import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { called, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';
import { makePlace } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('apiguide'));
  ida = await makePerson(pool, 'Ida');
  await makePlace(pool, ida, 'Bees');
});
afterAll(() => drop());

/** A call of the guide with what it is answered, as far as the guide says. */
interface Example {
  readonly method: string;
  readonly address: string;
  readonly body: string;
  readonly status: number;
  readonly answer: string;
}

const examples = [...readFileSync('docs/guide/api.md', 'utf8').matchAll(/^```http\n(.*?)^```/gms)].map(
  ([, block = '']): Example => {
    const [, method = '', address = '', body = '', status = '', answer = ''] =
      /^(\w+) (\S.*?)\n(.*?)^→ (\d+) ?(.*)$/ms.exec(block.trim()) ?? [];
    return { method, address, body: body.trim(), status: Number(status), answer: answer.trim() };
  },
);

test('the guide has an example of most that a program does', () => {
  expect(examples.length).toBeGreaterThan(15);
  expect(examples.every(({ method, status }) => method !== '' && status > 0)).toBe(true);
});

test.each(examples.map((one, at) => [`${at + 1}. ${one.method} ${one.address}`, one] as const))(
  '%s',
  async (_, { method, address, body, status, answer }) => {
    const [path = '', query = ''] = address.split('?');
    const { endpoint, params } = endpointAt(method, path);
    const asked = Object.fromEntries(
      query.split('&').flatMap((part) => (part === '' ? [] : [part.split(/=(.*)/s).slice(0, 2) as [string, string]])),
    );
    const got = await called(pool, ida, endpoint, params, asked, body === '' ? undefined : JSON.parse(body));
    expect([got.status, got.text]).toEqual([status, expect.any(String)]);
    // Every moment that is told is RFC 3339, whatever it is of.
    for (const [, at] of got.text.matchAll(/"at":"([^"/]+)"/g)) expect(at).toMatch(/^\d{4}-\d\d-\d\dT[\d:.]+Z$/);
    if (answer !== '') expect(JSON.parse(got.text)).toMatchObject(JSON.parse(answer) as object);
  },
);
