import { randomUUID } from 'node:crypto';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import { request } from 'node:http';
import { hashPassword, makeToken } from '../../src/lib/server/access/signIn';
import { members, people } from '../../src/lib/server/database/catalogue';
import { catalogueOn, type Pool } from '../../src/lib/server/database/pool';
import { figure, quantile, timed, type Figure } from './measure';
import { startServer } from './server';
import { benchPerson, makeLevels } from './world';

const port = 4993;
const origin = `http://127.0.0.1:${port}`;
const key = 'bench_stranger';
const inspections = 200_000;
/** How long the editor works alone, and then beside each kind of stranger, in milliseconds. */
const worksFor = 15_000;

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
const times = <T>(count: number, make: (n: number) => T): T[] => Array.from({ length: count }, (_, n) => make(n));
const records = `${origin}/api/workspaces/${key}/tables/inspections/records`;

/** Something that a stranger does over and over until it is enough. */
type Attack = (token: string, enough: AbortSignal) => Promise<unknown>;

/** Again and again, whatever is answered; `beside` of them at once. */
const over = (beside: number, once: (token: string, enough: AbortSignal, turn: number) => Promise<unknown>): Attack => {
  return (token, enough) =>
    Promise.all(
      times(beside, async (n) => {
        for (let turn = n; !enough.aborted; turn += beside) {
          await once(token, enough, turn).catch(() => undefined);
          await pause(5);
        }
      }),
    );
};
const asking = (token: string, more: RequestInit = {}): RequestInit => ({ headers: { authorization: `Bearer ${token}` }, ...more });

/** A body that is said to be of any size, or goes on without saying, sent as fast as it is taken. */
const heavyBody = (path: string, headers: Record<string, string>, size: number): Promise<void> =>
  new Promise((resolve) => {
    const sent = request(`${origin}${path}`, { method: 'POST', headers });
    const piece = Buffer.alloc(1_000_000, 'a');
    let left = size;
    const go = () => {
      while (left > 0 && !sent.destroyed) {
        left -= piece.length;
        if (!sent.write(piece)) return void sent.once('drain', go);
      }
      sent.end();
    };
    sent.on('error', () => resolve()).on('response', (answer) => answer.resume().on('close', () => (sent.destroy(), resolve())));
    go();
  });

const attacks: Readonly<Record<string, Attack>> = {
  'sorts and filters of all records, twelve at once': over(12, async (token, enough, turn) => {
    const filter = encodeURIComponent(`hive.apiary.name <> 'A-${turn}' and contains(notes, '${turn % 10}')`);
    await (await fetch(`${records}?limit=500&sort=-notes,hive.apiary.name&filter=${filter}`, asking(token, { signal: enough }))).arrayBuffer();
  }),
  'the same, left after 0.2 s': over(12, async (token, enough, turn) => {
    const signal = AbortSignal.any([enough, AbortSignal.timeout(200)]);
    await (
      await fetch(`${records}?limit=500&sort=-notes,hive.apiary.name&filter=${encodeURIComponent(`kg > ${turn % 90}`)}`, asking(token, { signal }))
    ).arrayBuffer();
  }),
  'exports that nobody reads, twelve at once': over(12, async (token, enough) => {
    const answer = await fetch(`${origin}/api/workspaces/${key}/tables/inspections/export?format=csv`, asking(token, { signal: enough }));
    const reader = answer.body?.getReader();
    await reader?.read();
    await pause(10_000);
    await reader?.cancel();
  }),
  'forty streams of events unread, and a thousand tabs that say where they are': async (token, enough) => {
    for (let n = 0; n < 40; n++) void fetch(`${origin}/api/workspaces/${key}/events`, asking(token, { signal: enough })).catch(() => undefined);
    await over(8, (_, __, turn) =>
      fetch(`${origin}/api/workspaces/${key}/presence`, {
        method: 'PUT',
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        body: JSON.stringify({ tab: `tab ${turn % 1000}`, table: 'inspections', record: turn, field: 'kg' }),
        signal: enough,
      }).then((answer) => answer.arrayBuffer()),
    )(token, enough);
  },
  'sign-ins of 480 MB, said and unsaid, six at once': over(6, (_, __, turn) =>
    heavyBody(
      '/sign-in',
      { 'content-type': 'application/x-www-form-urlencoded', origin, ...(turn % 2 ? { 'content-length': '480000000' } : { 'transfer-encoding': 'chunked' }) },
      480_000_000,
    ),
  ),
  'calls of 480 MB, six at once': over(6, (token) =>
    heavyBody(
      `/api/workspaces/${key}/tables/inspections/records`,
      { authorization: `Bearer ${token}`, 'content-type': 'application/json', 'transfer-encoding': 'chunked' },
      480_000_000,
    ),
  ),
  'wrong passwords, sixty at once': over(60, async (_, enough, turn) => {
    const body = new URLSearchParams({ email: `person${turn % 200}@alderfold.example`, password: randomUUID() });
    await (await fetch(`${origin}/sign-in`, { method: 'POST', headers: { origin, accept: 'application/json' }, body, signal: enough })).arrayBuffer();
  }),
};

/** An editor who changes a record and reads a page, over and over, while strangers fill what they can. */
export async function* stranger(pool: Pool, url: string): AsyncGenerator<Figure> {
  const editor = await benchPerson(pool);
  const seat = await makeLevels(pool, editor, key, inspections);
  const [token, strange] = [await makeToken(pool, editor.email, 'bench'), await readerToken(pool, seat.workspace.id)];
  const server = await startServer(url, port);
  const memory = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
  try {
    await work(token, 5_000);
    const alone = await work(token, worksFor);
    for (const [name, attack] of Object.entries(attacks)) {
      const enough = new AbortController();
      const attacking = attack(strange, enough.signal).catch(() => undefined);
      await pause(1_000);
      let most = 0;
      const watch = setInterval(() => (most = Math.max(most, memory())), 100);
      const beside = await work(token, worksFor);
      clearInterval(watch);
      enough.abort();
      await attacking;
      yield figure('stranger', `${name}: edits, p95`, quantile(beside.edits, 0.95), quantile(alone.edits, 0.95), 'ms', 3);
      yield figure('stranger', `${name}: pages, p95`, quantile(beside.pages, 0.95), quantile(alone.pages, 0.95), 'ms', 3);
      yield figure('stranger', `${name}: what the editor asked for and did not get`, beside.refused, null, 'calls', 0);
      yield figure('stranger', `${name}: memory of the server at most`, most, null, 'MB', 1_500);
    }
    await pause(5_000);
    yield figure('stranger', 'memory of the server afterwards', memory(), null, 'MB', 1_000);
  } finally {
    server.kill('SIGKILL');
    await once(server, 'exit');
  }
}

async function readerToken(pool: Pool, workspace: number): Promise<string> {
  const email = 'stranger@alderfold.example';
  const set = { name: 'Stranger', passwordHash: await hashPassword(randomUUID()) };
  const [made] = await catalogueOn(pool)
    .insert(people)
    .values({ email, ...set })
    .onConflictDoUpdate({ target: people.email, set })
    .returning();
  await catalogueOn(pool)
    .insert(members)
    .values({ workspace, person: made?.id ?? 0, role: 'reader' });
  return makeToken(pool, email, 'bench');
}

/** Milliseconds of each edit and each page, ten of either in a second at most. */
async function work(token: string, ms: number): Promise<{ edits: number[]; pages: number[]; refused: number }> {
  const told = { edits: [] as number[], pages: [] as number[], refused: 0 };
  const headers = { authorization: `Bearer ${token}`, 'content-type': 'application/json' };
  const take = async (answering: Promise<Response>) => {
    const answer = await answering;
    await answer.arrayBuffer();
    if (!answer.ok) told.refused++;
  };
  const until = Date.now() + ms;
  for (let n = 1; Date.now() < until; n++) {
    const id = 1 + ((n * 7919 + (until % 1000)) % inspections);
    const body = JSON.stringify({ records: [{ id, values: { kg: n + (until % 977) / 1000, day: `2026-0${1 + (n % 9)}-1${n % 10}` } }] });
    told.edits.push(await timed(() => take(fetch(records, { method: 'PATCH', headers, body }))));
    told.pages.push(await timed(() => take(fetch(`${records}?limit=100&filter=${encodeURIComponent(`hive = ${1 + (n % 1000)}`)}`, { headers }))));
    await pause(50);
  }
  return told;
}
