import { duplicatesIn } from '../../src/lib/core/transfer/duplicates';
import { readTransfer } from '../../src/lib/core/transfer/works';
import type { Written } from '../../src/lib/core/filled/written';
import { authorize, type Person } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { undoBatch } from '../../src/lib/server/history/undo';
import { makeTransfer, runTransfer } from '../../src/lib/server/transfer/transfers';
import { stopWork } from '../../src/lib/server/structure/work';
import { figure, timed, type Figure } from './measure';
import { indexesBuilt, whileReading } from './waiting';
import { apply, benchPerson, freshWorkspace } from './world';

const hives = 100_000;
const lines = 1_000_000;
/** The only work that is done, such as LOOM_WORK=move. */
const only = process.env.LOOM_WORK;

/**
 * Data that moves between tables, beside the statements that one would write by hand for the same, with the same
 * history: 100,000 records with a million lines under them to other tables; two tables of 500,000 that become one, with
 * three links from elsewhere; 50,000 things split off a million rows. Readers ask all the while.
 */
export async function* transfer(pool: Pool, url: string): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  const works = { move: moving, merge: merging, split: splitting };
  for (const [name, work] of Object.entries(works))
    if (only === undefined || only === name) yield* await work(new Side(pool, url, person, `bench_transfer_${name}`));
  if (only === undefined || only === 'duplicates') yield* duplicates();
}

/** A workspace of its own for each work: indexes are still built in one while the next begins. */
class Side {
  constructor(
    readonly pool: Pool,
    readonly url: string,
    readonly person: Person,
    readonly key: string,
  ) {}
}

/** A transfer planned, done, and undone: how long it took and how long a reader of `table` waited at most. */
async function run({ pool, url, person, key }: Side, json: Written, table: string) {
  const access = await authorize(pool, person, key, 'design');
  const read = readTransfer(access.whole.model, json);
  if (!read.ok) throw new Error(read.problem.message);
  const { id, plan } = await makeTransfer(pool, access, read.value);
  if (plan.problems.length > 0) throw new Error(plan.problems[0]?.message);
  let batch = 0;
  const { all, wait } = await whileReading(url, `${key}.${table}`, async () => {
    batch = (await runTransfer(pool, await authorize(pool, person, key, 'design'), id, false)).batch ?? 0;
  });
  await indexesBuilt(pool);
  const undone = await timed(async () => undoBatch(pool, await authorize(pool, person, key, 'design'), batch));
  return { all, wait, undone };
}

/** Statements one after the other in a transaction that leaves nothing. */
async function byHand({ pool, key }: Side, statements: readonly string[]): Promise<number> {
  const client = await pool.connect();
  try {
    await client.query('begin');
    await client.query('set constraints all deferred');
    const { rows } = await client.query<{ id: number }>(
      `insert into loom.batches (workspace, kind, title) select id, 'transfer', 'by hand' from loom.workspaces where key = '${key}' returning id`,
    );
    return await timed(async () => {
      for (const statement of statements) await client.query(statement.replaceAll('$batch', String(rows[0]?.id)));
      await client.query('set constraints all immediate');
    });
  } finally {
    await client.query('rollback');
    client.release();
  }
}

/** The same transfer, broken off when 60 % of its time is over: how many tables are then not as they were. */
async function brokenOff(
  { pool, person, key }: Side,
  json: Written,
  tables: readonly string[],
  takes: number,
  how: 'stopped by its person' | 'its connection killed',
): Promise<Figure> {
  const state = async () => {
    const sums: string[] = [];
    for (const table of tables)
      sums.push(
        String(
          (
            await pool.query<{ sum: string }>(
              `select count(*) || ' ' || coalesce(sum(hashtext(t::text)::bigint), 0) as sum from ${key}.${table} t`,
            )
          ).rows[0]?.sum,
        ),
      );
    return sums;
  };
  const before = await state();
  const access = await authorize(pool, person, key, 'design');
  const read = readTransfer(access.whole.model, json);
  if (!read.ok) throw new Error(read.problem.message);
  const { id } = await makeTransfer(pool, access, read.value);
  const moving = runTransfer(pool, access, id, false).then(
    () => 'done',
    () => 'broken off',
  );
  await new Promise((resolve) => setTimeout(resolve, takes * 0.6));
  const began = performance.now();
  if (how === 'stopped by its person') await stopWork(pool, access, { kind: 'transfer', id });
  else
    await pool.query(
      `select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and state = 'active'
         and pid <> pg_backend_pid() and xact_start < now() - interval '${Math.round(takes * 0.4)} ms'`,
    );
  const outcome = await moving;
  if (outcome === 'done') throw new Error('the transfer was over before it could be broken off');
  const after = await state();
  const differing = tables.filter((_, at) => before[at] !== after[at]);
  console.error(`${how} at 60 %: answered after ${Math.round(performance.now() - began)} ms`);
  return figure('transfer', `move ${how} at 60 %: tables not as before`, differing.length, null, 'tables', 0);
}

const figures = (name: string, ours: { all: number; wait: number; undone: number }, hand: number): Figure[] => [
  figure('transfer', name, ours.all / 1000, hand / 1000, 's', 1.5),
  figure('transfer', `${name}: longest wait of a reader`, ours.wait, null, 'ms', 50),
  figure('transfer', `${name}: undone`, ours.undone / 1000, null, 's', null),
];

async function moving(side: Side): Promise<Figure[]> {
  const { pool, person, key } = side;
  const access = await apply(pool, await freshWorkspace(pool, person, key), [
    ...['Hives', 'Old hives'].map(
      (label) =>
        ({
          do: 'addTable',
          label,
          fields: [
            { label: 'Number', type: 'text' },
            { label: 'Weight', type: 'number' },
          ],
        }) as never,
    ),
    ...['Visits', 'Old visits'].map(
      (label) =>
        ({
          do: 'addTable',
          label,
          fields: [
            { label: 'Day', type: 'date' },
            { label: 'Frames', type: 'number' },
            { label: 'Note', type: 'text' },
          ],
        }) as never,
    ),
    ...[
      ['visits', 'hives'],
      ['old_visits', 'old_hives'],
    ].map(
      ([table, to]) =>
        ({
          do: 'addField',
          table,
          field: { label: 'Hive', type: 'link', to, onDelete: 'remove', counterpart: { label: 'Visits' } },
        }) as never,
    ),
    ...['hives', 'old_hives'].map(
      (table) =>
        ({
          do: 'addField',
          table,
          field: { label: 'Frames', type: 'formula', formula: 'sum(visits.frames)' },
        }) as never,
    ),
  ]);
  const field = (table: string, name: string) =>
    access.whole.model.tables.find((one) => one.key === table)?.fields.find((one) => one.key === name)?.id ?? '';
  const id = (table: string) => access.whole.model.tables.find((one) => one.key === table)?.id ?? '';
  await pool.query(
    `insert into ${key}.hives (number, weight) select 'H-' || i, i % 50 from generate_series(1, ${hives}) i`,
  );
  await pool.query(
    `insert into ${key}.visits (day, frames, note, hive) select date '2024-01-01' + i % 700, i % 12, 'note ' || i % 900, 1 + i % ${hives} from generate_series(1, ${lines}) i`,
  );
  await pool.query(
    `update ${key}.hives h set frames = s.n from (select hive, sum(frames) as n from ${key}.visits group by 1) s where s.hive = h._id`,
  );
  for (const table of ['hives', 'visits']) await pool.query(`vacuum analyze ${key}.${table}`);
  const before = (table: string, fields: readonly string[]) =>
    `jsonb_build_object(${fields.map((name) => `'${field(table, name)}', ${['weight', 'frames', 'day'].includes(name) ? `to_jsonb(g.${name}::text)` : `to_jsonb(g.${name})`}`).join(', ')})`;
  const gone = (table: string, map: string, fields: readonly string[]) =>
    `with g as (delete from ${key}.${table} t using ${map} m where t._id = m.source returning t.*)
     insert into loom.history (batch, table_id, first_id, last_id, kind, before)
     select $batch, '${id(table)}', _id, _id, 'deleted', ${before(table, fields)} from g`;
  await indexesBuilt(pool);
  const hand = await byHand(side, [
    `create temp table m1 on commit drop as select _id as source, row_number() over (order by _id) as target from ${key}.hives`,
    'create unique index on m1 (source); analyze m1',
    `insert into ${key}.old_hives (_id, number, weight) select m.target, h.number, h.weight from ${key}.hives h join m1 m on m.source = h._id order by m.target`,
    `create temp table m2 on commit drop as select v._id as source, row_number() over (order by v._id) as target from ${key}.visits v where v.hive in (select source from m1)`,
    'create unique index on m2 (source); analyze m2',
    `insert into ${key}.old_visits (_id, day, frames, note, hive) select m.target, v.day, v.frames, v.note, p.target from ${key}.visits v join m2 m on m.source = v._id join m1 p on p.source = v.hive order by m.target`,
    `insert into loom.history (batch, table_id, first_id, last_id, kind) values ($batch, '${id('old_hives')}', 1, ${hives}, 'made'), ($batch, '${id('old_visits')}', 1, ${lines}, 'made')`,
    gone('visits', 'm2', ['day', 'frames', 'note', 'hive', 'created', 'created_by', 'last_changed', 'last_changed_by']),
    gone('hives', 'm1', ['number', 'weight', 'created', 'created_by', 'last_changed', 'last_changed_by']),
    `update ${key}.old_hives h set frames = s.n from (select hive, sum(frames) as n from ${key}.old_visits group by 1) s where s.hive = h._id and h.frames is distinct from s.n`,
  ]);
  const move: Written = { work: 'move', table: 'hives', to: 'old_hives' };
  const ours = await run(side, move, 'hives');
  const tables = ['hives', 'visits', 'old_hives', 'old_visits'];
  return [
    ...figures('move 100,000 records with 1,000,000 lines', ours, hand),
    await brokenOff(side, move, tables, ours.all, 'stopped by its person'),
    await brokenOff(side, move, tables, ours.all, 'its connection killed'),
  ];
}

async function merging(side: Side): Promise<Figure[]> {
  const { pool, person, key } = side;
  const count = 500_000;
  await apply(pool, await freshWorkspace(pool, person, key), [
    ...['Takings', 'Sendings'].map(
      (label) =>
        ({
          do: 'addTable',
          label,
          fields: [
            { label: 'Day', type: 'date' },
            { label: 'Kg', type: 'number' },
            { label: 'Remark', type: 'text' },
          ],
        }) as never,
    ),
    { do: 'addTable', label: 'Checks', fields: [{ label: 'Result', type: 'text' }] } as never,
    { do: 'addTable', label: 'Tours', fields: [{ label: 'Driver', type: 'text' }] } as never,
    ...[
      ['checks', 'Taking', 'takings'],
      ['checks', 'Sending', 'sendings'],
      ['tours', 'Sending', 'sendings'],
    ].map(
      ([table, label, to]) =>
        ({ do: 'addField', table, field: { label, type: 'link', to, onDelete: 'clear' } }) as never,
    ),
  ]);
  for (const table of ['takings', 'sendings'])
    await pool.query(
      `insert into ${key}.${table} (day, kg, remark) select date '2024-01-01' + i % 700, i % 90, 'r' || i % 500 from generate_series(1, ${count}) i`,
    );
  await pool.query(
    `insert into ${key}.checks (result, taking, sending) select 'good', 1 + i % ${count}, 1 + (i * 7) % ${count} from generate_series(1, 200000) i`,
  );
  await pool.query(
    `insert into ${key}.tours (driver, sending) select 'd' || i % 20, 1 + i % ${count} from generate_series(1, 100000) i`,
  );
  for (const table of ['takings', 'sendings', 'checks', 'tours']) await pool.query(`vacuum analyze ${key}.${table}`);
  const pointed = (table: string, link: string, offset: number) => [
    `alter table ${key}.${table} add column ${link}_new bigint`,
    `update ${key}.${table} set ${link}_new = ${link} + ${offset} where ${link} is not null`,
    'set constraints all immediate',
    `create index on ${key}.${table} (${link}_new)`,
    `alter table ${key}.${table} add foreign key (${link}_new) references ${key}.movements (_id)`,
    `alter table ${key}.${table} rename column ${link} to _bin_${link}`,
  ];
  await indexesBuilt(pool);
  const hand = await byHand(side, [
    `create table ${key}.movements (_id bigint generated by default as identity, _version int not null default 1, day date, kg numeric, remark text, kind text, created timestamptz, created_by int, last_changed timestamptz, last_changed_by int)`,
    `insert into ${key}.movements (_id, day, kg, remark, kind, created, created_by) select _id, day, kg, remark, 'in', created, created_by from ${key}.takings order by _id`,
    `insert into ${key}.movements (_id, day, kg, remark, kind, created, created_by) select _id + ${count}, day, -kg, remark, 'out', created, created_by from ${key}.sendings order by _id`,
    `alter table ${key}.movements add primary key (_id)`,
    `insert into loom.history (batch, table_id, first_id, last_id, kind) values ($batch, 'm', 1, ${2 * count}, 'made')`,
    ...pointed('checks', 'taking', 0),
    ...pointed('checks', 'sending', count),
    ...pointed('tours', 'sending', count),
  ]);
  const ours = await run(
    side,
    {
      work: 'merge',
      sources: [
        { table: 'takings', mark: 'in' },
        { table: 'sendings', mark: 'out' },
      ],
      to: { label: 'Movements' },
      markLabel: 'Kind',
      fields: [
        { label: 'Day', from: { takings: 'day', sendings: 'day' } },
        { label: 'Kg', from: { takings: 'kg', sendings: '-kg' } },
        { label: 'Remark', from: { takings: 'remark', sendings: 'remark' } },
      ],
    },
    'checks',
  );
  return figures('merge 2 × 500,000 with 3 links from elsewhere', ours, hand);
}

async function splitting(side: Side): Promise<Figure[]> {
  const { pool, person, key } = side;
  await apply(pool, await freshWorkspace(pool, person, key), [
    {
      do: 'addTable',
      label: 'Visits',
      fields: ['Code', 'Name', 'Village', 'Phone', 'Note'].map((label) => ({ label, type: 'text' })),
    } as never,
  ]);
  await pool.query(
    `insert into ${key}.visits (code, name, village, phone, note)
     select 'K-' || k, 'Name ' || k, 'Village ' || k % 300, (1000000 + k)::text, 'note ' || i % 700
     from generate_series(1, ${lines}) i, lateral (select 1 + (i::bigint * 7919) % 50000 as k) x`,
  );
  await pool.query(`vacuum analyze ${key}.visits`);
  await indexesBuilt(pool);
  const hand = await byHand(side, [
    `create table ${key}.keepers (_id bigint generated by default as identity primary key, _version int not null default 1, code text unique, name text, village text, phone text)`,
    `insert into ${key}.keepers (code, name, village, phone) select code, mode() within group (order by name), mode() within group (order by village), mode() within group (order by phone) from ${key}.visits group by code order by min(_id)`,
    `insert into loom.history (batch, table_id, first_id, last_id, kind) values ($batch, 'k', 1, 50000, 'made')`,
    `alter table ${key}.visits add column keeper bigint`,
    `update ${key}.visits v set keeper = k._id from ${key}.keepers k where k.code = v.code`,
    'set constraints all immediate',
    `create index on ${key}.visits (keeper)`,
    `alter table ${key}.visits add foreign key (keeper) references ${key}.keepers (_id)`,
    ...['code', 'name', 'village', 'phone'].map(
      (name) => `alter table ${key}.visits rename column ${name} to _bin_${name}`,
    ),
  ]);
  const ours = await run(
    side,
    {
      work: 'splitOff',
      table: 'visits',
      by: ['code'],
      fields: ['name', 'village', 'phone'],
      label: 'Keepers',
      linkLabel: 'Keeper',
    },
    'visits',
  );
  return figures('split 50,000 off 1,000,000', ours, hand);
}

/** Names of three fields, of which some were entered again with typing errors, other case or order, or less. */
function duplicates(): Figure[] {
  let state = 7;
  const next = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  const parts = 'al der fold mar ten bri ow ham lin ea tor ben wick sel dra kin ost ry vel ash'.split(' ');
  const word = (n: number) => Array.from({ length: n }, () => parts[Math.floor(next() * parts.length)]).join('');
  const some = (count: number, n: number) => Array.from({ length: count }, () => word(n));
  const [firsts, lasts, villages] = [some(800, 2), some(6000, 3), some(300, 3)];
  const pick = (list: readonly string[]) => list[Math.floor(next() * list.length)] ?? '';
  const mistyped = (text: string) => {
    const at = 1 + Math.floor(next() * (text.length - 2));
    const kind = next();
    if (kind < 0.25) return text.slice(0, at) + text.slice(at + 1);
    if (kind < 0.5) return text.slice(0, at) + (text[at + 1] ?? '') + (text[at] ?? '') + text.slice(at + 2);
    if (kind < 0.75) return text.slice(0, at) + (text[at] ?? '') + text.slice(at);
    return text.slice(0, at) + 'aeioulrn'[Math.floor(next() * 8)] + text.slice(at + 1);
  };
  const count = 90_000;
  const records = Array.from({ length: count }, (_, id) => ({
    id,
    texts: [
      `${pick(firsts)} ${pick(lasts)}`,
      pick(villages),
      next() < 0.2 ? null : String(1e7 + Math.floor(next() * 9e7)),
    ] as (string | null)[],
  }));
  const planted = new Set<string>();
  for (let n = 0; n < 10_000; n++) {
    const { id, texts } = records[n * 9] ?? { id: 0, texts: [] };
    let [name = '', village, phone = null] = texts;
    name =
      next() < 0.6
        ? mistyped(name ?? '')
        : next() < 0.5
          ? (name ?? '').toUpperCase()
          : (name ?? '').split(' ').reverse().join(', ');
    if (next() < 0.2) village = mistyped(village ?? '');
    if (next() < 0.3) phone = null;
    else if (phone !== null && next() < 0.15) phone = `${phone.slice(0, 4)} ${phone.slice(4)}`;
    records.push({ id: count + n, texts: [name, village ?? null, phone] });
    planted.add(`${id} ${count + n}`);
  }
  const began = performance.now();
  const work = duplicatesIn(records, 'near');
  let step = work.next();
  while (!step.done) step = work.next();
  const seconds = (performance.now() - began) / 1000;
  const found = step.value.flatMap(({ records: ids }) =>
    ids.flatMap((a, at) => ids.slice(at + 1).map((b) => `${a} ${b}`)),
  );
  const right = found.filter((pair) => planted.has(pair)).length;
  return [
    figure('transfer', 'near duplicates among 100,000 names of 3 fields', seconds, null, 's', 20),
    figure('transfer', 'planted duplicates that were missed', (1 - right / planted.size) * 100, null, '%', 3),
    figure('transfer', 'proposed pairs that are none', (1 - right / found.length) * 100, null, '%', 5),
  ];
}
