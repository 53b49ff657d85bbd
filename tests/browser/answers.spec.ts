import { request as httpRequest } from 'node:http';
import { connect, createServer, type Socket } from 'node:net';
import { once } from 'node:events';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { databaseName, expect, test } from './watched';
import { api, change, origin, signIn } from './person';
import { makeToken } from '../../src/lib/server/access/tokens';
import { openPool } from '../../src/lib/server/database/pool';
import { databaseUrl } from '../server/database';
import { serve } from './server';

/** What a program that is no browser gets: headers as they are written, bodies that never end. */
interface Told {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly text: string;
}

function ask(
  method: string,
  path: string,
  headers: Record<string, string> = {},
  body?: string | Buffer | AsyncIterable<Buffer>,
): Promise<Told> {
  return new Promise((resolve, reject) => {
    const sent = httpRequest(`${origin()}${path}`, { method, headers }, (answer) => {
      let text = '';
      answer.on('data', (chunk: Buffer) => (text += chunk.toString()));
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, headers: answer.headers, text }));
      answer.on('error', reject);
    });
    sent.on('error', reject);
    if (body === undefined || typeof body === 'string' || Buffer.isBuffer(body)) return void sent.end(body);
    void (async () => {
      for await (const piece of body) {
        if (sent.destroyed || sent.writableEnded) break;
        if (!sent.write(piece)) await new Promise((free) => setTimeout(free, 5));
      }
      sent.end();
    })().catch(() => undefined);
  });
}

test('every answer says what it is, to whom it is, and lets nothing in from elsewhere', async ({ browser }) => {
  const pool = openPool(databaseUrl(databaseName()), 1);
  const token = await makeToken(pool, 'ida@alderfold.example', 'answers');
  await pool.end();
  const page = await signIn(browser, 'ida');
  const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
  const json = { 'content-type': 'application/json' };
  const hives = '/api/workspaces/apiaries/tables/hives/records';

  // The name of the scheme in any case, with any blanks behind it.
  for (const scheme of ['Bearer', 'bearer', 'BEARER ', 'bearer  '])
    expect((await ask('GET', `${hives}?limit=1`, { authorization: `${scheme} ${token}` })).status, scheme).toBe(200);
  // Changes with cookies come from here, or not at all; those with a token from anywhere.
  for (const [path, body] of [
    ['/api/workspaces/apiaries/undo', undefined],
    ['/sign-out', undefined],
    [hives, '{"records":[]}'],
  ] as const)
    for (const from of [
      {},
      { origin: 'http://127.0.0.1:1' },
      { origin: 'null' },
      { origin: 'https://elsewhere.example' },
    ] as Record<string, string>[])
      expect(
        (await ask('POST', path, { ...json, cookie, ...from }, body)).status,
        `${path} ${JSON.stringify(from)}`,
      ).toBe(403);
  expect((await ask('POST', hives, { ...json, cookie, origin: origin() }, '{"records":"x"}')).status).toBe(400);
  expect((await ask('POST', hives, { ...json, authorization: `Bearer ${token}` }, '{"records":"x"}')).status).toBe(400);

  // Problem details for whatever is asked under /api, and nothing of it is kept on the way.
  for (const [method, path, status] of [
    ['GET', '/api/nothing', 404],
    ['GET', '/api/workspaces/apiaries/nothing/at/all', 404],
    ['PUT', '/api/workspaces/apiaries/model', 405],
    ['GET', `${hives}?limit=many`, 400],
    ['GET', `${hives}/9999999999999999999999`, 404],
    ['GET', '/api/workspaces/apiaries%00/model', 400],
    ['GET', `${hives}?filter=%00`, 400],
  ] as const) {
    const told = await ask(method, path, { authorization: `Bearer ${token}` });
    expect([told.status, told.headers['content-type']], `${method} ${path} ${told.text}`).toEqual([
      status,
      'application/problem+json',
    ]);
    expect(told.headers['cache-control'], path).toBe('no-store');
    expect((JSON.parse(told.text) as { fix?: string }).fix, path).toBeTruthy();
  }
  expect((await ask('GET', `${hives}?limit=1`, { authorization: `Bearer ${token}` })).headers['cache-control']).toBe(
    'no-store',
  );
  const home = await ask('GET', '/', { cookie });
  for (const part of ["default-src 'self'", "form-action 'self'", "object-src 'none'", "frame-ancestors 'none'"])
    expect(home.headers['content-security-policy']).toContain(part);

  // After signing in one stays here, whatever the address says.
  for (const to of [
    '/%09/evil.example',
    '//evil.example',
    '/%5Cevil.example',
    '/%0A/evil.example',
    'https://evil.example',
    '/%2F%2Fevil.example%2F..',
    '/\\evil',
  ])
    expect((await ask('GET', `/sign-in?to=${to}`, { cookie })).headers.location, to).toMatch(/^\/(?![/\\])/);
  expect((await ask('GET', '/sign-in?to=%2Fw%2Fapiaries%3Ffilter%3Dx', { cookie })).headers.location).toBe(
    '/w/apiaries?filter=x',
  );

  // Bodies are bounded before they are read; what is no UTF-8 is refused, not altered.
  async function* endless() {
    for (let piece = 0; piece < 600; piece++) yield Buffer.alloc(1024 * 1024, 'a');
    await Promise.resolve();
  }
  const form = { 'content-type': 'application/x-www-form-urlencoded', origin: origin() };
  const before = process.memoryUsage().rss;
  for (const [path, headers, status] of [
    ['/sign-in', form, 413],
    [hives, { ...json, authorization: `Bearer ${token}` }, 413],
  ] as const) {
    const told = await ask('POST', path, headers, endless()).catch((error: Error) => error);
    // A server that refuses while one still writes may end the connection before its answer is read.
    if (told instanceof Error) expect(told.message).toMatch(/EPIPE|ECONNRESET|socket hang up/);
    else expect([status, 200], told.text.slice(0, 200)).toContain(told.status);
  }
  expect(process.memoryUsage().rss - before).toBeLessThan(900 * 1024 * 1024);
  const latin = await ask(
    'POST',
    hives,
    { ...json, authorization: `Bearer ${token}` },
    Buffer.from('{"records":[{"values":{"number":"caf\u00e9"}}]}', 'latin1'),
  );
  expect([latin.status, latin.text]).toEqual([400, expect.stringContaining('UTF-8')]);
  await page.close();
});

test('while the database is away every answer says so, what was typed stays, and all goes on once it is back', async ({
  browser,
}) => {
  // A way to the database that can be cut.
  const there = new URL(databaseUrl(databaseName()));
  const open = new Set<Socket>();
  let away = false;
  const way = createServer((near) => {
    if (away) return void near.destroy();
    const far = connect(Number(there.port), there.hostname);
    for (const [one, other] of [
      [near, far],
      [far, near],
    ] as const) {
      open.add(one);
      one.pipe(other);
      one.on('error', () => other.destroy());
      one.on('close', () => (open.delete(one), other.destroy()));
    }
  }).listen(0, '127.0.0.1');
  await once(way, 'listening');
  const address = way.address();
  if (address === null || typeof address === 'string') throw new Error('no port');
  const through = new URL(there);
  [through.hostname, through.port] = ['127.0.0.1', String(address.port)];
  const server = await serve(through.href);

  const page = await signIn(browser, 'ida', { baseURL: server.origin });
  await page.goto('/w/apiaries/t/hives?columns=number,weight&takesNew=no');
  const weight = page.locator('[data-cell="4.1"]');
  await weight.click();
  const before = await weight.innerText();
  away = true;
  for (const one of open) one.destroy();
  await page.keyboard.type('33.2');
  await page.keyboard.press('Enter');
  await expect(page.getByText('1 edit not sent yet')).toBeVisible();
  await expect(weight).toContainText('33.2');
  const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
  for (const path of ['/', '/w/apiaries', '/w/apiaries/t/hives', '/api/workspaces/apiaries/model', '/f/nothing']) {
    const answer = await fetch(`${server.origin}${path}`, { headers: { cookie } });
    expect([answer.status, answer.headers.get('retry-after')], path).toEqual([503, '5']);
    expect(await answer.text(), path).toContain('cannot be reached');
  }
  away = false;
  await expect(page.getByText('1 edit not sent yet')).toHaveCount(0);
  await page.reload();
  await expect(weight).toContainText('33.2');
  await weight.click();
  await page.keyboard.type(before.replace(/[^\d.]/g, ''));
  await page.keyboard.press('Enter');
  await expect(weight).toContainText(before.trim());
  await page.close();
  await server.stop();
  way.close();
  for (const one of open) one.destroy();
});

test('a page that learns of a change while the server is away stays as it is, with what is being typed in it', async ({
  browser,
}) => {
  const [ida, tom] = [await signIn(browser, 'ida'), await signIn(browser, 'tom')];
  await tom.goto('/w/apiaries/t/hives?columns=number,weight&takesNew=no');
  const weight = tom.locator('[data-cell="5.1"]');
  await weight.click();
  await tom.keyboard.type('41.');
  let asked = 0;
  await tom.route('**/__data.json*', (route) => {
    asked++;
    return asked === 1
      ? route.abort('connectionrefused')
      : asked === 2
        ? route.fulfill({ status: 503 })
        : route.continue();
  });
  await change(ida, 'apiaries', { do: 'changeTable', table: 'hives', set: { label: 'Hives by the woods' } });
  await expect(tom.getByText('The server does not answer just now. This page stays as it is')).toBeVisible();
  await tom.keyboard.type('5');
  await expect(tom.getByText('The server does not answer just now')).toHaveCount(0);
  await expect(tom.getByRole('navigation').getByRole('link', { name: 'Hives by the woods' })).toBeVisible();
  await tom.keyboard.press('Enter');
  await expect(weight).toContainText('41.5');
  expect(asked).toBeGreaterThanOrEqual(3);
  await api(tom, 'POST', '/api/workspaces/apiaries/undo', {});
  await change(ida, 'apiaries', { do: 'changeTable', table: 'hives', set: { label: 'Hives' } });
  await Promise.all([ida.close(), tom.close()]);
});

test('what was asked for by somebody who left is not looked for any longer, and others go on', async ({ browser }) => {
  const [page, tom] = [await signIn(browser, 'ida'), await signIn(browser, 'tom')];
  // What their pages would look for meanwhile is not counted.
  await Promise.all([page.goto('about:blank'), tom.goto('about:blank')]);
  const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
  const pool = openPool(databaseUrl(databaseName()), 2);
  const holder = await pool.connect();
  const waiting = async () =>
    (
      await pool.query(
        "select 1 from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock' and query like '%\"hives\"%'",
      )
    ).rowCount ?? 0;
  await holder.query('begin; lock table apiaries.hives in access exclusive mode');
  try {
    const leaving = new AbortController();
    const asked = Array.from({ length: 12 }, () =>
      fetch(`${origin()}/api/workspaces/apiaries/tables/hives/records?limit=1`, {
        headers: { cookie },
        signal: leaving.signal,
      }).then(
        () => 'answered',
        () => 'left',
      ),
    );
    // One person’s share of what is for reading, and no more: the others have theirs.
    await expect.poll(waiting).toBe(4);
    const others = await tom.request.get(`${origin()}/api/workspaces/apiaries/tables/plants/records?limit=1`, {
      timeout: 3000,
    });
    expect(others.status()).toBe(200);
    expect(await waiting()).toBe(4);
    leaving.abort();
    expect(new Set(await Promise.all(asked))).toEqual(new Set(['left']));
    await expect.poll(waiting, { timeout: 5000 }).toBe(0);
  } finally {
    await holder.query('rollback');
    holder.release();
    await pool.end();
  }
  await Promise.all([page.close(), tom.close()]);
});

test('who waits for long, or sends slowly, holds up neither their own pages nor the sign-in of others', async ({
  browser,
}) => {
  const page = await signIn(browser, 'ida');
  const key = `long_${Date.now().toString(36)}`;
  await api(page, 'POST', '/api/workspaces', { label: key, key });
  await change(page, key, { do: 'addTable', label: 'Lines', fields: [{ label: 'Words', type: 'text' }] });
  await page.goto('about:blank');
  const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
  const pool = openPool(databaseUrl(databaseName()), 1);
  // More than what is on its way between two sockets holds.
  await pool.query(`insert into "${key}".lines (words) select repeat('x', 1000) || i from generate_series(1, 60000) i`);
  const leaving = new AbortController();
  // Bodies that are said to come, and do not.
  const slow = Array.from({ length: 4 }, () => {
    const sent = httpRequest(`${origin()}/sign-in`, {
      method: 'POST',
      headers: { origin: origin(), 'content-type': 'application/x-www-form-urlencoded', 'content-length': '50' },
    });
    sent.on('error', () => undefined);
    sent.write('email=');
    return sent;
  });
  try {
    // Two begin, and are not read; the others wait for them.
    const exports = Array.from({ length: 8 }, () =>
      fetch(`${origin()}/api/workspaces/${key}/tables/lines/export?format=csv`, {
        headers: { cookie },
        signal: leaving.signal,
      }).catch(() => null),
    );
    await new Promise((resolve) => setTimeout(resolve, 500));
    const within = { signal: AbortSignal.timeout(5_000) };
    for (const path of ['/', '/w/honey', '/api/workspaces/honey/model'])
      expect((await fetch(`${origin()}${path}`, { headers: { cookie }, ...within })).status, path).toBe(200);
    expect((await fetch(`${origin()}/sign-in`, within)).status).toBe(200);
    const tom = new URLSearchParams({ email: 'tom@alderfold.example', password: 'meadow-and-fell' });
    const signedIn = await fetch(`${origin()}/sign-in`, {
      method: 'POST',
      headers: { origin: origin() },
      body: tom,
      ...within,
    });
    expect(await signedIn.json()).toMatchObject({ type: 'redirect', status: 303 });
    leaving.abort();
    await Promise.all(exports);
  } finally {
    for (const one of slow) one.destroy();
    await pool.end();
  }
  await page.close();
});

test('a disk that is full is said, whatever is sent, and nothing of it stays', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'loom-test-disk-'));
  const mounts = spawnSync('unshare', ['-Urm', 'mount', '-t', 'tmpfs', 'none', folder]).status === 0;
  test.skip(!mounts, 'this machine lets nobody mount a disk of their own');
  const url = databaseUrl(databaseName());
  const pool = openPool(url, 1);
  const token = await makeToken(pool, 'ida@alderfold.example', 'full disk');
  const server = await serve(url, { folder, size: '16m' });
  // The disk as the server sees it: nobody else does.
  const left = () =>
    readdirSync(`/proc/${server.pid}/root${folder}`, { recursive: true, withFileTypes: true })
      .filter((one) => one.isFile())
      .map(({ name }) => name);
  const send = async (path: string, body: FormData | string) => {
    const answer = await fetch(`${server.origin}/api/workspaces/apiaries/${path}`, {
      method: 'POST',
      headers: {
        authorization: `Bearer ${token}`,
        ...(typeof body === 'string' ? { 'content-type': 'application/json' } : {}),
      },
      body,
    });
    return { status: answer.status, said: (await answer.json()) as { detail?: string; id?: number } };
  };
  const file = (name: string, size: number) => {
    const form = new FormData();
    form.append('file', new Blob([Buffer.alloc(size, 'Number,Kg\n')]), name);
    return form;
  };
  const full = { status: 507, said: { detail: 'The disk of the server is full; nothing of this was kept.' } };
  for (const [path, body] of [
    ['intakes', file('larger than the disk.csv', 60_000_000)],
    ['files', file('larger with its copy.bin', 10_000_000)],
    ['intakes', JSON.stringify({ text: 'Number\tKg\n'.repeat(2_000_000) })],
  ] as const) {
    expect(await send(path, body), path).toMatchObject(full);
    expect(left(), path).toEqual([]);
  }
  expect((await pool.query(`select 1 from loom.intakes where state = 'reading'`)).rowCount).toBe(0);
  const { status, said } = await send('intakes', file('small.csv', 1_000));
  expect(status).toBe(200);
  await expect
    .poll(
      async () =>
        (await pool.query('select state from loom.intakes where id = $1', [said.id])).rows[0]?.state as string,
    )
    .toBe('ready');
  await server.stop();
  await pool.end();
  rmdirSync(folder);
});
