import type pg from 'pg';
import { fieldNamed } from '../../src/lib/core/model/model';
import { tableAt, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { withWorkspace } from '../../src/lib/server/access/lock';
import { applyEdits } from '../../src/lib/server/records/applyEdits';
import { randomFrom } from '../../demo/random';
import { alternating, figure, median, type Figure } from './measure';
import { benchPerson, makeLevels } from './world';

/**
 * The same edit written by hand for this very structure: prepared statements, the same locks, history and notification.
 */
async function byHand(
  client: pg.PoolClient,
  key: string,
  workspace: number,
  person: number,
  table: string,
  field: string,
  id: number,
  day: string,
): Promise<void> {
  const run = (name: string, text: string, values: unknown[]) =>
    client.query<Record<string, unknown>>({ name: `${key}_${name}`, text, values });
  await client.query(
    `begin; select pg_advisory_xact_lock_shared(7001, ${workspace}); select version, day from loom.workspaces where id = ${workspace}`,
  );
  const old = await run(
    'update',
    `with o as (select _id, day, hive from ${key}.inspections where _id = $1 for no key update)
     update ${key}.inspections i set day = $2, last_changed = date_trunc('second', now()), last_changed_by = $3, _version = _version + 1 from o where i._id = o._id returning o.day, o.hive`,
    [id, day, person],
  );
  const { day: before, hive } = old.rows[0] ?? {};
  await run('lock hive', `select 1 from ${key}.hives where _id = $1 for no key update`, [hive]);
  const hives = await run(
    'hive',
    `update ${key}.hives h set last_day = c.v from (select max(day) as v from ${key}.inspections where hive = $1) c where h._id = $1 and h.last_day is distinct from c.v returning apiary`,
    [hive],
  );
  const apiary = hives.rows[0]?.apiary;
  if (apiary !== undefined) {
    await run('lock apiary', `select 1 from ${key}.apiaries where _id = $1 for no key update`, [apiary]);
    await run(
      'apiary',
      `update ${key}.apiaries a set last_day = c.v from (select max(last_day) as v from ${key}.hives where apiary = $1) c where a._id = $1 and a.last_day is distinct from c.v`,
      [apiary],
    );
  }
  await run(
    'history',
    `with b as (insert into loom.batches (workspace, person, kind, title) values ($1, $2, 'edit', 'by hand') returning id),
     h as (insert into loom.history (batch, table_id, first_id, last_id, kind, before, after) select id, $3, $4::bigint, $4::bigint, 'changed', $5::jsonb, $6::jsonb from b)
     select id, pg_notify('loom', json_build_object('workspace', $1::int, 'batch', id, 'tables', array[$3])::text) from b`,
    [workspace, person, table, id, JSON.stringify({ [field]: before }), JSON.stringify({ [field]: day })],
  );
  await client.query('commit');
}

async function measure(
  pool: Pool,
  access: WorkspaceAccess,
  inspections: number,
  rounds: number,
): Promise<{ ours: number; theirs: number }> {
  const random = randomFrom(inspections);
  const { key, id: workspace } = access.workspace;
  const table = tableAt(access, 'inspections');
  const field = fieldNamed(table, 'day');
  if (!field) throw new Error('no day');
  const next = () => ({
    id: 1 + Math.floor(random() * inspections),
    day: `20${20 + Math.floor(random() * 9)}-0${1 + Math.floor(random() * 9)}-1${Math.floor(random() * 9)}`,
  });
  const client = await pool.connect();
  const times = await alternating(
    rounds,
    200,
    async () => {
      const { id, day } = next();
      await withWorkspace(pool, access, 'shared', (own, now, exclusive) =>
        applyEdits(
          { client: own, access: now, exclusive },
          [{ table, insert: [], remove: [], update: [{ id, values: new Map([[field.id, day]]) }] }],
          {
            kind: 'edit',
            title: 'ours',
          },
        ),
      );
    },
    async () => {
      const { id, day } = next();
      await byHand(client, key, workspace, access.person.id, table.id, field.id, id, day);
    },
  );
  client.release();
  return { ours: median(times.ours), theirs: median(times.theirs) };
}

/** One inspection's day changed, with a rollup on its hive and one on its apiary. */
export async function edit(pool: Pool): Promise<Figure[]> {
  const person = await benchPerson(pool);
  const small = await makeLevels(pool, person, 'bench_small', 10_000);
  const large = await makeLevels(pool, person, 'bench_large', 1_000_000);
  const [at4, at6] = [await measure(pool, small, 10_000, 1500), await measure(pool, large, 1_000_000, 1500)];
  return [
    figure('edit', '1e4 inspections', at4.ours, at4.theirs, 'ms', 1.5),
    figure('edit', '1e6 inspections', at6.ours, at6.theirs, 'ms', 1.5),
    figure('edit', '1e6 against 1e4', at6.ours, at4.ours, 'ms', 1.25),
  ];
}
