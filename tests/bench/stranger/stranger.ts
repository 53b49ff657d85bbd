import { spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { hashPassword } from '../../../src/lib/server/access/signIn';
import { makeToken } from '../../../src/lib/server/access/tokens';
import { members, people } from '../../../src/lib/server/database/catalogue';
import { catalogueOn, type Pool } from '../../../src/lib/server/database/pool';
import { figure, quantile, timed, type Figure } from '../measure';
import { startServer } from '../server';
import { benchPerson, makeLevels } from '../world';
import { attacks } from './attacks';

const port = 4993;
const origin = `http://127.0.0.1:${port}`;
const key = 'bench_stranger';
const inspections = 200_000;
/** How long the editor works alone, and then beside each kind of stranger, in milliseconds. */
const worksFor = 15_000;

/** The only thing a stranger does, such as LOOM_WORK=wrong. */
const only = process.env.LOOM_WORK;

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
const records = `${origin}/api/workspaces/${key}/tables/inspections/records`;

/** An editor who changes a record and reads a page, over and over, while strangers fill what they can. */
export async function* stranger(pool: Pool, url: string): AsyncGenerator<Figure> {
  const editor = await benchPerson(pool);
  const access = await makeLevels(pool, editor, key, inspections);
  const [token, strange] = [await makeToken(pool, editor.email, 'bench'), await readerToken(pool, access.workspace.id)];
  const server = await startServer(url, port);
  const memory = () =>
    Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
  try {
    await work(token, 5_000);
    const alone = await work(token, worksFor);
    for (const name of Object.keys(attacks).filter((one) => only === undefined || one.startsWith(only))) {
      // The stranger's own machine is another one: what their side costs is done only when nobody else wants the
      // processor.
      const attacking = spawn(
        'nice',
        [
          '-n',
          '19',
          process.execPath,
          '--import',
          'tsx',
          fileURLToPath(new URL('inChild.ts', import.meta.url)),
          name,
          origin,
          key,
          strange,
        ],
        {
          stdio: 'inherit',
        },
      );
      await pause(3_000);
      let most = 0;
      const watch = setInterval(() => (most = Math.max(most, memory())), 100);
      const beside = await work(token, worksFor);
      clearInterval(watch);
      attacking.kill('SIGKILL');
      await once(attacking, 'exit');
      await pause(2_000);
      yield figure(
        'stranger',
        `${name}: edits, p95`,
        quantile(beside.edits, 0.95),
        quantile(alone.edits, 0.95),
        'ms',
        3,
      );
      yield figure(
        'stranger',
        `${name}: pages, p95`,
        quantile(beside.pages, 0.95),
        quantile(alone.pages, 0.95),
        'ms',
        3,
      );
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
    if (!answer.ok && ++told.refused === 1) console.error(answer.status, answer.url);
  };
  const until = Date.now() + ms;
  for (let n = 1; Date.now() < until; n++) {
    const id = 1 + ((n * 7919 + (until % 1000)) % inspections);
    const body = JSON.stringify({
      records: [{ id, values: { kg: n + (until % 977) / 1000, day: `2026-0${1 + (n % 9)}-1${n % 10}` } }],
    });
    told.edits.push(await timed(() => take(fetch(records, { method: 'PATCH', headers, body }))));
    told.pages.push(
      await timed(() =>
        take(
          fetch(`${records}?limit=100&filter=${encodeURIComponent(`hive.number = 'H-${1 + (n % 1000)}'`)}`, {
            headers,
          }),
        ),
      ),
    );
    await pause(50);
  }
  return told;
}
