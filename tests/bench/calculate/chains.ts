import type pg from 'pg';
import { fieldNamed } from '../../../src/lib/core/model/model';
import { withWorkspace } from '../../../src/lib/server/access/lock';
import { tableAt, type Person, type WorkspaceAccess } from '../../../src/lib/server/access/workspaceAccess';
import { openPool, type Pool } from '../../../src/lib/server/database/pool';
import { applyEdits } from '../../../src/lib/server/records/applyEdits';
import { recalculate } from '../../../src/lib/server/records/recalculate';
import { allCalculated } from '../../../src/lib/server/calculation/calculatedFields';
import type { ChangeJson } from '../../../src/lib/server/api/changes/changes';
import { randomFrom } from '../../../demo/random';
import { alternating, figure, median, type Figure } from '../measure';
import { apply, freshWorkspace } from '../world';

/** How many levels each chain of sums has; `v3` is summed up over three. */
const chains = [1, 3, 6];
const levels = 6;
const fanIn = 10;

const sizeOf = (records: number, level: number) => Math.max(10, Math.round(records / fanIn ** level));

/** Seven tables, each linked to the next, and for each chain a field whose sum goes up as many of them. */
export async function makeChains(pool: Pool, person: Person, key: string, records: number): Promise<WorkspaceAccess> {
  const tables: ChangeJson[] = Array.from({ length: levels + 1 }, (_, i) => levels - i).map((level) => ({
    do: 'addTable',
    label: `Level ${level}`,
    fields: [
      { label: 'Name', type: 'text' },
      ...(level === 0 ? chains.map((chain) => ({ label: `V${chain}`, type: 'number' as const, digits: 0 })) : []),
      ...(level < levels
        ? [{ label: 'Up', type: 'link' as const, to: `level_${level + 1}`, counterpart: { label: 'Down' } }]
        : []),
    ],
  }));
  const sums = chains.flatMap((chain) =>
    Array.from({ length: chain }, (_, i): ChangeJson => ({
      do: 'addField',
      table: `level_${i + 1}`,
      field: { label: `V${chain}`, type: 'formula', formula: `sum(down.v${chain})` },
    })),
  );
  const access = await apply(pool, await freshWorkspace(pool, person, key), [...tables, ...sums]);
  for (let level = levels; level >= 0; level--) {
    const up = level < levels ? `, 1 + (i::bigint * 7919) % ${sizeOf(records, level + 1)}` : '';
    await pool.query(
      level === 0
        ? `insert into ${key}.level_0 (name, v1, v3, v6, up) select 'n' || i, i % 100, i % 100, i % 100${up} from generate_series(1, ${records}) i`
        : `insert into ${key}.level_${level} (name${up && ', up'}) select 'n' || i${up} from generate_series(1, ${sizeOf(records, level)}) i`,
    );
  }
  await withWorkspace(pool, access, 'exclusive', (client, now) =>
    recalculate({
      client,
      access: now,
      exclusive: true,
      anew: allCalculated(now.workspace.model),
    }),
  );
  for (let level = 0; level <= levels; level++) await pool.query(`vacuum analyze ${key}.level_${level}`);
  return access;
}

/** The least that does the same by hand: prepared statements, the same locks, versions, history and notice. */
export async function byHand(
  client: pg.PoolClient,
  access: WorkspaceAccess,
  chain: number,
  id: number,
  value: number,
): Promise<void> {
  const { key, id: workspace } = access.workspace;
  const column = `v${chain}`;
  const table = tableAt(access, 'level_0');
  const field = fieldNamed(table, column)?.id ?? '';
  const run = (name: string, text: string, values: unknown[]) =>
    client.query<Record<string, unknown>>({ name: `${key}_${column}_${name}`, text, values });
  await client.query(
    `begin; select pg_advisory_xact_lock_shared(7001, ${workspace}); select version, day from loom.workspaces where id = ${workspace}`,
  );
  const old = await run(
    'update',
    `with o as (select _id, ${column}, up from ${key}.level_0 where _id = $1 for no key update)
     update ${key}.level_0 t set ${column} = $2, last_changed = date_trunc('second', now()), last_changed_by = $3, _version = _version + 1 from o where t._id = o._id returning o.${column} as before, o.up`,
    [id, value, access.person.id],
  );
  let up = old.rows[0]?.up as number | undefined;
  for (let level = 1; level <= chain && up !== undefined; level++) {
    await run(`lock ${level}`, `select 1 from ${key}.level_${level} where _id = $1 for no key update`, [up]);
    const done: pg.QueryResult<Record<string, unknown>> = await run(
      `sum ${level}`,
      `update ${key}.level_${level} t set ${column} = c.v from (select coalesce(sum(${column}), 0) as v from ${key}.level_${level - 1} where up = $1) c
       where t._id = $1 and t.${column} is distinct from c.v returning ${level < levels ? 't.up' : 'null'} as up`,
      [up],
    );
    up = (done.rows[0]?.up ?? undefined) as number | undefined;
  }
  await run(
    'history',
    `with b as (insert into loom.batches (workspace, person, kind, title) values ($1, $2, 'edit', 'by hand') returning id),
     h as (insert into loom.history (batch, table_id, first_id, last_id, kind, before, after) select id, $3, $4::bigint, $4::bigint, 'changed', $5::jsonb, $6::jsonb from b)
     select id, pg_notify('loom', json_build_object('workspace', $1::int, 'batch', id, 'tables', array[$3])::text) from b`,
    [
      workspace,
      access.person.id,
      table.id,
      id,
      JSON.stringify({ [field]: old.rows[0]?.before }),
      JSON.stringify({ [field]: value }),
    ],
  );
  await client.query('commit');
}

function ours(pool: Pool, access: WorkspaceAccess, chain: number): (id: number, value: number) => Promise<unknown> {
  const table = tableAt(access, 'level_0');
  const field = fieldNamed(table, `v${chain}`);
  if (!field) throw new Error('no field');
  return (id, value) =>
    withWorkspace(pool, access, 'shared', (client, now, exclusive) =>
      applyEdits(
        { client, access: now, exclusive },
        [{ table, insert: [], remove: [], update: [{ id, values: new Map([[field.id, String(value)]]) }] }],
        {
          kind: 'edit',
          title: 'ours',
        },
      ),
    );
}

/** (a) One edit through chains of one, three and six levels, in tables of three sizes. */
export async function editsThroughChains(
  pool: Pool,
  accesses: readonly { readonly access: WorkspaceAccess; readonly records: number }[],
): Promise<Figure[]> {
  const figures: Figure[] = [];
  const client = await pool.connect();
  const medians = new Map<string, number>();
  for (const { access, records } of accesses)
    for (const chain of chains) {
      const random = randomFrom(records + chain);
      const next = (): [number, number] => [1 + Math.floor(random() * records), Math.floor(random() * 1_000_000)];
      const edit = ours(pool, access, chain);
      const times = await alternating(
        600,
        150,
        () => edit(...next()),
        () => byHand(client, access, chain, ...next()),
      );
      medians.set(`${chain} ${records}`, median(times.ours));
      figures.push(
        figure(
          'calculate',
          `(a) edit, ${chain} level${chain > 1 ? 's' : ''}, ${records} records`,
          median(times.ours),
          median(times.theirs),
          'ms',
          1.3,
        ),
      );
    }
  client.release();
  const [first, last] = [accesses[0]?.records, accesses.at(-1)?.records];
  for (const chain of chains)
    figures.push(
      figure(
        'calculate',
        `(a) edit, ${chain} level${chain > 1 ? 's' : ''}, ${last} against ${first}`,
        medians.get(`${chain} ${last}`) ?? NaN,
        medians.get(`${chain} ${first}`) ?? NaN,
        'ms',
        1.25,
      ),
    );
  return figures;
}

/** (b) Eight writers on the children of one parent: edits a second, and how many of them met a deadlock. */
export async function hotParent(pool: Pool, url: string, access: WorkspaceAccess): Promise<Figure[]> {
  const writers = 8;
  const seconds = 5;
  const { rows } = await pool.query<{ id: number }>(
    `select _id as id from ${access.workspace.key}.level_0 where up = 1 order by 1 limit ${writers}`,
  );
  const own = openPool(url, writers);
  const clients = await Promise.all(Array.from({ length: writers }, () => own.connect()));
  const edit = ours(pool, access, 1);
  const during = async (one: (writer: number, value: number) => Promise<unknown>) => {
    const until = performance.now() + seconds * 1000;
    let done = 0;
    await Promise.all(
      rows.map(async (_, writer) => {
        while (performance.now() < until) {
          await one(writer, Math.floor(Math.random() * 1_000_000));
          done++;
        }
      }),
    );
    return done / seconds;
  };
  const deadlocks = async () =>
    (await pool.query<{ n: number }>('select deadlocks as n from pg_stat_database where datname = current_database()'))
      .rows[0]?.n ?? 0;
  const before = await deadlocks();
  const rates = { ours: [] as number[], theirs: [] as number[] };
  for (let round = 0; round < 4; round++) {
    const sides = [
      async () => rates.ours.push(await during((writer, value) => edit(rows[writer]?.id ?? 1, value))),
      async () =>
        rates.theirs.push(
          await during((writer, value) =>
            byHand(clients[writer] as pg.PoolClient, access, 1, rows[writer]?.id ?? 1, value),
          ),
        ),
    ];
    for (const side of round % 2 === 0 ? sides : sides.reverse()) await side();
  }
  for (const client of clients) client.release();
  await own.end();
  await new Promise((resolve) => setTimeout(resolve, 1500));
  // The bar is on time an edit, so that less is better as everywhere here: 0.8 of the throughput is 1.25 of the time.
  return [
    figure(
      'calculate',
      '(b) 8 writers on one parent, time an edit',
      1000 / median(rates.ours),
      1000 / median(rates.theirs),
      'ms',
      1.25,
    ),
    figure('calculate', '(b) deadlocks meanwhile', (await deadlocks()) - before, null, 'deadlocks', 0),
  ];
}
