import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { authorize, type Person, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import { tableAt } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { writeRecords } from '../../src/lib/server/entry/write';
import { listRoutines, tryOn } from '../../src/lib/server/routines/routines';
import { runTimed } from '../../src/lib/server/routines/timed';
import { randomFrom } from '../../demo/random';
import { alternating, figure, median, timed, type Figure } from './measure';
import { apply, benchPerson, freshWorkspace } from './world';

const key = 'bench_routines';
/** Where no routine is. */
const without = 'bench_plain';
const standing = 100_000;
const rounds = 500;
const pasted = 10_000;
const messages = 10_000;

/** Lots of seasons, filled into jars. */
async function makeLots(pool: Pool, person: Person, workspace: string): Promise<void> {
  await apply(pool, await freshWorkspace(pool, person, workspace), [
    { do: 'addTable', label: 'Seasons', fields: [{ label: 'Name', type: 'text', unique: true }] },
    {
      do: 'addTable',
      label: 'Lots',
      fields: [
        { label: 'Code', type: 'text' },
        { label: 'Day', type: 'date' },
        { label: 'Kg', type: 'number' },
        { label: 'State', type: 'text' },
        { label: 'Note', type: 'text' },
        { label: 'Season', type: 'link', to: 'seasons', onDelete: 'clear', counterpart: { label: 'Lots' } },
      ],
    },
    {
      do: 'addTable',
      label: 'Jars',
      fields: [
        { label: 'Mark', type: 'text' },
        { label: 'Lot', type: 'link', to: 'lots', onDelete: 'remove', counterpart: { label: 'Jars' } },
      ],
    },
  ]);
  await pool.query(`insert into ${workspace}.seasons (name) select (2000 + n)::text from generate_series(0, 40) n`);
  await pool.query(`
    insert into ${workspace}.lots (code, day, kg)
    select 'L' || n, date '2020-01-01' + n % 2000, n % 97 from generate_series(1, ${standing}) n
  `);
}

/**
 * Routines beside the same without them, or written by hand: an edit, a paste; then messages that the clock puts in the
 * queue, sent by one process and by two.
 */
export async function* routines(pool: Pool): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  for (const workspace of [key, without]) await makeLots(pool, person, workspace);
  await pool.query('vacuum analyze');
  yield* anEdit(pool, person);
  yield* aPaste(pool, person);
  yield* theQueue(pool, person);
}

/** Makes a routine, tries it, and switches it on; the ones before are taken away. */
async function only(pool: Pool, person: Person, routine: Readonly<Record<string, unknown>>): Promise<WorkspaceAccess> {
  const access = await authorize(pool, person, key, 'design');
  const before = await listRoutines(pool, access);
  const changed = await apply(pool, access, [
    ...before.map(({ id, table }) => ({ do: 'removePart', kind: 'routine', table, part: id }) as const),
    { do: 'addPart', kind: 'routine', table: 'lots', part: { on: true, ...routine } } as never,
  ]);
  const [{ id } = { id: '' }] = await listRoutines(pool, changed);
  const tried = await tryOn(pool, changed, 'lots', { routine: id, record: 1 });
  if (tried.problem ?? !tried.met) throw new Error(JSON.stringify(tried));
  return changed;
}

async function* anEdit(pool: Pool, person: Person): AsyncGenerator<Figure> {
  const access = await only(pool, person, {
    label: 'Season',
    when: { on: 'changed', fields: ['kg'] },
    steps: [
      { do: 'set', fields: [{ field: 'state', formula: "'weighs ' || cast(kg as text)" }] },
      {
        do: 'find',
        table: 'seasons',
        by: [{ field: 'name', formula: 'cast(extract(year from day) as text)' }],
        make: true,
        link: 'season',
        result: 'Year',
      },
    ],
  });
  const plain = await authorize(pool, person, without, 'see');
  const random = randomFrom(standing);
  let n = 0;
  const edit = (by: WorkspaceAccess) => () => {
    const id = 1 + Math.floor(random() * standing);
    return writeRecords(pool, by, 'lots', { update: [{ id, values: { kg: 1000 + ++n } }] }, { minimal: true });
  };
  const times = await alternating(rounds, 200, edit(access), edit(plain));
  yield figure(
    'routines',
    'an edit that sets a routine of two steps off',
    median(times.ours),
    median(times.theirs),
    'ms',
    1.6,
  );
  const { rows } = await pool.query<{ n: number }>(
    `select count(*)::int as n from ${key}.lots where season is not null`,
  );
  if ((rows[0]?.n ?? 0) < rounds / 2) throw new Error('the routine did not run');
}

async function* aPaste(pool: Pool, person: Person): AsyncGenerator<Figure> {
  const access = await only(pool, person, {
    label: 'Jar',
    when: { on: 'made' },
    steps: [
      {
        do: 'set',
        fields: [
          { field: 'state', formula: "'weighs ' || cast(kg as text)" },
          { field: 'note', formula: "code || ' of ' || cast(extract(year from day) as text)" },
        ],
      },
      {
        do: 'make',
        table: 'jars',
        fields: [
          { field: 'mark', formula: 'code' },
          { field: 'lot', formula: 'this' },
        ],
        result: 'Jar',
      },
    ],
  });
  const values = Array.from({ length: pasted }, (_, n) => ({
    code: `P${n}`,
    day: `20${20 + (n % 7)}-03-0${1 + (n % 9)}`,
    kg: n % 97,
  }));
  const ours = () =>
    writeRecords(pool, access, 'lots', { insert: values.map((one) => ({ values: one })) }, { minimal: true });
  const hand = () => byHand(pool, access, values);
  const times = await alternating(6, 2, ours, hand);
  const { rows } = await pool.query<{ lots: number; jars: number }>(`
    select (select count(*)::int from ${key}.lots where note like 'P% of 20%') as lots,
      (select count(*)::int from ${key}.jars j join ${key}.lots l on l._id = j.lot and l.code = j.mark) as jars
  `);
  const wanted = 16 * pasted;
  if (rows[0]?.lots !== wanted || rows[0].jars !== wanted) throw new Error(`not all was done: ${JSON.stringify(rows)}`);
  yield figure(
    'routines',
    '10,000 records pasted: two fields set, a linked record made for each',
    median(times.ours),
    median(times.theirs),
    'ms',
    2,
  );
}

/** The same written by hand for this very structure: the same locks, history and notification. */
async function byHand(
  pool: Pool,
  access: WorkspaceAccess,
  values: readonly { readonly code: string; readonly day: string; readonly kg: number }[],
): Promise<void> {
  const client = await pool.connect();
  const [lots, jars] = [tableAt(access, 'lots'), tableAt(access, 'jars')];
  const field = (name: string) => lots.fields.find((one) => one.key === name)?.id ?? '';
  const { id: workspace } = access.workspace;
  try {
    await client.query(`begin; select pg_advisory_xact_lock_shared(7001, ${workspace})`);
    const batch = await client.query<{ id: number }>(
      `insert into loom.batches (workspace, person, kind, title) values ($1, $2, 'edit', 'by hand') returning id`,
      [workspace, access.person.id],
    );
    const { id } = batch.rows[0] ?? { id: 0 };
    const made = await client.query<{ id: number }>(
      `insert into ${key}.lots (code, day, kg, created_by, last_changed_by)
       select u.*, $4::int, $4::int from unnest($1::text[], $2::date[], $3::numeric[]) u returning _id as id`,
      [values.map((one) => one.code), values.map((one) => one.day), values.map((one) => one.kg), access.person.id],
    );
    const ids = made.rows.map((row) => row.id);
    const [first, last] = [ids[0] ?? 0, ids.at(-1) ?? 0];
    await client.query(
      `insert into loom.history (batch, table_id, first_id, last_id, kind) values ($1, $2, $3, $4, 'made')`,
      [id, lots.id, first, last],
    );
    await client.query(
      `with n as (
         update ${key}.lots l set state = 'weighs ' || kg, note = code || ' of ' || extract(year from day), _version = _version + 1
         where _id between $3 and $4 returning _id, state, note
       )
       insert into loom.history (batch, table_id, first_id, last_id, kind, before, after, step)
       select $1::bigint, $2, _id, _id, 'changed', jsonb_build_object($5::text, null, $6::text, null),
         jsonb_build_object($5::text, state, $6::text, note), 1
       from n`,
      [id, lots.id, first, last, field('state'), field('note')],
    );
    const jar = await client.query<{ id: number }>(
      `insert into ${key}.jars (mark, lot, created_by, last_changed_by)
       select code, _id, $3::int, $3::int from ${key}.lots where _id between $1 and $2 order by _id returning _id as id`,
      [first, last, access.person.id],
    );
    await client.query(
      `insert into loom.history (batch, table_id, first_id, last_id, kind, step) values ($1, $2, $3, $4, 'made', 2)`,
      [id, jars.id, jar.rows[0]?.id, jar.rows.at(-1)?.id],
    );
    await client.query(`select pg_notify('loom', $1)`, [
      JSON.stringify({ workspace, batch: id, tables: [lots.id, jars.id] }),
    ]);
    await client.query('commit');
  } finally {
    client.release();
  }
}

/** Puts a message for each of many records in the queue, as the clock does. */
async function enqueued(pool: Pool, person: Person, day: string): Promise<number> {
  await pool.query(`delete from loom.outgoing where workspace = (select id from loom.workspaces where key = '${key}')`);
  await pool.query(`delete from loom.outbox`);
  await pool.query(`update ${key}.lots set day = date '2019-01-01'`);
  await pool.query(`update ${key}.lots set day = $1::date + 3 where _id <= ${messages}`, [day]);
  await only(pool, person, {
    label: 'Near',
    when: { on: 'dateNear', field: 'day', days: -3, hour: 7 },
    steps: [
      {
        do: 'write',
        to: [{ formula: "code || '@alderfold.example'" }],
        subject: 'Lot {code}',
        text: 'It weighs {kg}.',
      },
    ],
  });
  return timed(() => runTimed(pool, new Date(`${day}T20:00:00Z`)));
}

const leftIn = async (pool: Pool): Promise<number> => {
  const { rows } = await pool.query<{ n: number }>(
    `select count(*)::int as n from loom.outgoing where state = 'waiting'`,
  );
  return rows[0]?.n ?? 0;
};

const drained = (pool: Pool): Promise<number> =>
  timed(async () => {
    while ((await leftIn(pool)) > 0) await new Promise((resolve) => setTimeout(resolve, 200));
  });

async function* theQueue(pool: Pool, person: Person): AsyncGenerator<Figure> {
  const url = pool.options.connectionString ?? '';
  const put = await enqueued(pool, person, '2031-05-01');
  yield figure('routines', '10,000 messages put in the queue by the clock', put / 1000, null, 's', null);
  const one = await sender(url);
  const took = await drained(pool);
  const grew = await ended(one);
  yield figure('routines', '10,000 messages sent to the Outbox', took / 1000, null, 's', 60);
  yield figure('routines', 'memory of the process that grew meanwhile', grew, null, 'MB', 30);
  await enqueued(pool, person, '2031-06-01');
  const processes = await Promise.all([sender(url), sender(url)]);
  const both = await drained(pool);
  await Promise.all(processes.map(ended));
  const { rows } = await pool.query<{ tries: number; arrived: number; n: number }>(`
    select sum(tries)::int as tries, count(*)::int as n, (select count(*)::int from loom.outbox) as arrived
    from loom.outgoing where state = 'sent'
  `);
  const { tries = 0, arrived = 0, n = 0 } = rows[0] ?? {};
  if (n !== messages || arrived !== messages) throw new Error(`not all arrived: ${JSON.stringify(rows)}`);
  yield figure('routines', '10,000 messages sent by two processes', both / 1000, null, 's', 60);
  yield figure('routines', 'messages that both of them sent', tries - messages, null, 'messages', 0);
}

/** A process of its own that sends what is in the queue. */
async function sender(url: string): Promise<ChildProcess> {
  const child = spawn(process.execPath, ['--expose-gc', '--import', 'tsx', 'tests/bench/drain.ts'], {
    env: { ...process.env, DATABASE_URL: url },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  if (child.stdout) await once(child.stdout, 'data');
  return child;
}

/** Ends a process that sends; by how many megabytes its memory grew at most. */
async function ended(child: ChildProcess): Promise<number> {
  let said = '';
  child.stdout?.on('data', (chunk: Buffer) => (said += chunk.toString()));
  child.kill('SIGTERM');
  await once(child, 'exit');
  return Number(said.trim());
}
