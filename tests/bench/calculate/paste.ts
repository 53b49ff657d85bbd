import { fieldNamed } from '../../../src/lib/core/model/model';
import { withWorkspace } from '../../../src/lib/server/access/lock';
import { tableAt, type Person } from '../../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../../src/lib/server/database/pool';
import { applyEdits } from '../../../src/lib/server/records/applyEdits';
import { alternating, figure, median, type Figure } from '../measure';
import { apply, freshWorkspace } from '../world';

const key = 'bench_paste';
const children = 100_000;
const parents = 5000;

/** (c) A hundred thousand records pasted in, with a count and a sum on five thousand parents. */
export async function paste(pool: Pool, person: Person): Promise<Figure[]> {
  const access = await apply(pool, await freshWorkspace(pool, person, key), [
    { do: 'addTable', label: 'Hives', fields: [{ label: 'Number', type: 'text' }] },
    {
      do: 'addTable',
      label: 'Harvests',
      fields: [
        { label: 'Note', type: 'text' },
        { label: 'Kg', type: 'number' },
        { label: 'Hive', type: 'link', to: 'hives', counterpart: { label: 'Harvests' } },
      ],
    },
    { do: 'addField', table: 'hives', field: { label: 'Times', type: 'formula', formula: 'count(harvests)' } },
    { do: 'addField', table: 'hives', field: { label: 'Kg', type: 'formula', formula: 'sum(harvests.kg)' } },
  ]);
  await pool.query(
    `insert into ${key}.hives (number, times, kg) select 'H-' || i, 0, 0 from generate_series(1, ${parents}) i`,
  );
  const table = tableAt(access, 'harvests');
  const ids = ['note', 'kg', 'hive'].map((name) => fieldNamed(table, name)?.id ?? '');
  const rows = Array.from(
    { length: children },
    (_, i) => [`note ${i % 1000}`, String((i * 7919) % 1000) + '.5', 1 + ((i * 7919) % parents)] as const,
  );
  const clear = async () => {
    await pool.query(`truncate ${key}.harvests; update ${key}.hives set times = 0, kg = 0`);
    await pool.query(`vacuum analyze ${key}.hives`);
    await pool.query('checkpoint').catch(() => undefined);
  };
  const taken = { ours: [] as number[], theirs: [] as number[] };
  const once = async (side: keyof typeof taken, work: () => Promise<unknown>) => {
    await clear();
    const started = performance.now();
    await work();
    taken[side].push(performance.now() - started);
  };
  const byHand = async () => {
    const client = await pool.connect();
    await client.query(
      `begin; select pg_advisory_xact_lock(7001, ${access.workspace.id}); select version, day from loom.workspaces where id = ${access.workspace.id}`,
    );
    const made = await client.query<{ _id: number }>(
      `insert into ${key}.harvests (note, kg, hive, created_by) select u.*, $4::int from unnest($1::text[], $2::numeric[], $3::bigint[]) u returning _id`,
      [rows.map(([note]) => note), rows.map(([, kg]) => kg), rows.map(([, , hive]) => hive), person.id],
    );
    await client.query(
      `update ${key}.hives h set times = c.times, kg = c.kg
       from (select hive, count(*) as times, sum(kg) as kg from ${key}.harvests where hive = any($1) group by hive) c where h._id = c.hive`,
      [[...new Set(rows.map(([, , hive]) => hive))]],
    );
    // The history has each record with what was in it, as ours has.
    await client.query(
      `with b as (insert into loom.batches (workspace, person, kind, title) values ($1, $2, 'edit', 'by hand') returning id)
       insert into loom.history (batch, table_id, first_id, last_id, kind, before, after)
       select b.id, $3, u.id, u.id, 'made', null, u.after from b, unnest($4::bigint[], $5::jsonb[]) u(id, after)`,
      [
        access.workspace.id,
        person.id,
        table.id,
        made.rows.map(({ _id }) => _id),
        rows.map((row) => JSON.stringify(Object.fromEntries(row.map((value, index) => [ids[index], value])))),
      ],
    );
    await client.query(`select pg_notify('loom', '{}'); commit`);
    client.release();
  };
  await alternating(
    5,
    1,
    () =>
      once('ours', () =>
        withWorkspace(pool, access, 'exclusive', (client, now, exclusive) =>
          applyEdits(
            { client, access: now, exclusive },
            [
              {
                table,
                update: [],
                remove: [],
                insert: rows.map((row) => ({ values: new Map(row.map((value, index) => [ids[index] ?? '', value])) })),
              },
            ],
            { kind: 'edit', title: 'paste' },
          ),
        ),
      ),
    () => once('theirs', byHand),
  );
  return [
    figure(
      'calculate',
      '(c) 100,000 records pasted into 5,000 parents',
      median(taken.ours.slice(1)),
      median(taken.theirs.slice(1)),
      'ms',
      1.5,
    ),
  ];
}
