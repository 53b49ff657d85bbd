import { randomUUID } from 'node:crypto';
import { request } from 'node:http';

/** Where a stranger is, and with which token. */
export interface Target {
  readonly origin: string;
  readonly workspace: string;
  readonly token: string;
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
const times = <T>(count: number, make: (n: number) => T): T[] => Array.from({ length: count }, (_, n) => make(n));
const tableOf = ({ origin, workspace }: Target) => `${origin}/api/workspaces/${workspace}/tables/inspections`;

/** Something that a stranger does over and over until they are stopped. */
type Attack = (target: Target) => Promise<unknown>;

/** Again and again, whatever is answered; `beside` of them at once. */
const over =
  (beside: number, once: (target: Target, turn: number) => Promise<unknown>): Attack =>
  (target) =>
    Promise.all(
      times(beside, async (n) => {
        for (let turn = n; ; turn += beside) {
          await once(target, turn).catch(() => undefined);
          await pause(5);
        }
      }),
    );
const asking = ({ token }: Target, more: RequestInit = {}): RequestInit => ({
  headers: { authorization: `Bearer ${token}` },
  ...more,
});

/** A body that is said to be of any size, or goes on without saying, sent as fast as it is taken. */
const heavyBody = (address: string, headers: Record<string, string>, size: number): Promise<void> =>
  new Promise((resolve) => {
    const sent = request(address, { method: 'POST', headers });
    const piece = Buffer.alloc(1_000_000, 'a');
    let left = size;
    const go = () => {
      while (left > 0 && !sent.destroyed) {
        left -= piece.length;
        if (!sent.write(piece)) return void sent.once('drain', go);
      }
      sent.end();
    };
    sent
      .on('error', () => resolve())
      .on('response', (answer) => answer.resume().on('close', () => (sent.destroy(), resolve())));
    go();
  });

export const attacks: Readonly<Record<string, Attack>> = {
  'sorts and filters of all records, twelve at once': over(12, async (target, turn) => {
    const filter = encodeURIComponent(`hive.apiary.name <> 'A-${turn}' and contains(notes, '${turn % 10}')`);
    await (
      await fetch(`${tableOf(target)}/records?limit=500&sort=-notes,hive.apiary.name&filter=${filter}`, asking(target))
    ).arrayBuffer();
  }),
  'the same, left after 0.2 s': over(12, async (target, turn) => {
    const filter = encodeURIComponent(`kg > ${turn % 90}`);
    const signal = AbortSignal.timeout(200);
    await (
      await fetch(
        `${tableOf(target)}/records?limit=500&sort=-notes,hive.apiary.name&filter=${filter}`,
        asking(target, { signal }),
      )
    ).arrayBuffer();
  }),
  'exports that nobody reads, twelve at once': over(12, async (target) => {
    const answer = await fetch(`${tableOf(target)}/export?format=csv`, asking(target));
    const reader = answer.body?.getReader();
    await reader?.read();
    await pause(10_000);
    await reader?.cancel();
  }),
  'forty streams of events unread, and a thousand tabs that say where they are': async (target) => {
    const workspace = `${target.origin}/api/workspaces/${target.workspace}`;
    for (let n = 0; n < 40; n++) void fetch(`${workspace}/events`, asking(target)).catch(() => undefined);
    await over(8, (_, turn) =>
      fetch(`${workspace}/presence`, {
        method: 'PUT',
        headers: { authorization: `Bearer ${target.token}`, 'content-type': 'application/json' },
        body: JSON.stringify({ tab: `tab ${turn % 1000}`, table: 'inspections', record: turn, field: 'kg' }),
      }).then((answer) => answer.arrayBuffer()),
    )(target);
  },
  'sign-ins of 480 MB, said and unsaid, six at once': over(6, ({ origin }, turn) =>
    heavyBody(
      `${origin}/sign-in`,
      {
        'content-type': 'application/x-www-form-urlencoded',
        origin,
        ...(turn % 2 ? { 'content-length': '480000000' } : { 'transfer-encoding': 'chunked' }),
      },
      480_000_000,
    ),
  ),
  'calls of 480 MB, six at once': over(6, (target) =>
    heavyBody(
      `${tableOf(target)}/records`,
      { authorization: `Bearer ${target.token}`, 'content-type': 'application/json', 'transfer-encoding': 'chunked' },
      480_000_000,
    ),
  ),
  'wrong passwords, sixty at once': over(60, async ({ origin }, turn) => {
    const body = new URLSearchParams({ email: `person${turn % 200}@alderfold.example`, password: randomUUID() });
    await (
      await fetch(`${origin}/sign-in`, { method: 'POST', headers: { origin, accept: 'application/json' }, body })
    ).arrayBuffer();
  }),
};
