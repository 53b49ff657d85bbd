import { changesFromJson, type ChangeJson } from '../../src/lib/server/api/changes/changes';
import { authorize, type Person, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import { people } from '../../src/lib/server/database/catalogue';
import { catalogueOn, type Pool } from '../../src/lib/server/database/pool';
import { withWorkspace } from '../../src/lib/server/access/lock';
import { applyPlan, makePlan } from '../../src/lib/server/structure/plan';
import { recalculate } from '../../src/lib/server/records/recalculate';
import { allCalculated } from '../../src/lib/server/calculation/calculatedFields';
import { makeWorkspace } from '../../src/lib/server/workspaces/workspaces';

export async function benchPerson(pool: Pool): Promise<Person> {
  const [made] = await catalogueOn(pool)
    .insert(people)
    .values({ email: 'bench@alderfold.example', name: 'Bench', passwordHash: 'x' })
    .onConflictDoUpdate({ target: people.email, set: { name: 'Bench' } })
    .returning();
  if (!made) throw new Error('nobody was made');
  return { id: made.id, email: made.email, name: made.name };
}

/** A fresh workspace of this key; one left over from an earlier run goes. */
export async function freshWorkspace(pool: Pool, person: Person, key: string): Promise<WorkspaceAccess> {
  await pool.query(`drop schema if exists "${key}" cascade`);
  await pool.query('delete from loom.workspaces where key = $1', [key]);
  await makeWorkspace(pool, person, { label: key, key });
  return authorize(pool, person, key, 'design');
}

export async function apply(
  pool: Pool,
  access: WorkspaceAccess,
  changes: readonly ChangeJson[],
): Promise<WorkspaceAccess> {
  const plan = await makePlan(pool, access, changesFromJson(access.workspace.model, changes));
  if (!plan.possible) throw new Error(JSON.stringify(plan.effects));
  await applyPlan(pool, access, plan.id);
  return authorize(pool, access.person, access.workspace.key, 'design');
}

/** Inspections on hives on apiaries, with a rollup at each level; filled by the database itself. */
export async function makeLevels(
  pool: Pool,
  person: Person,
  key: string,
  inspections: number,
  rollups = true,
): Promise<WorkspaceAccess> {
  const [hives, apiaries] = [Math.max(10, inspections / 20), Math.max(2, inspections / 1000)];
  let access = await apply(pool, await freshWorkspace(pool, person, key), [
    { do: 'addTable', label: 'Apiaries', fields: [{ label: 'Name', type: 'text' }] },
    {
      do: 'addTable',
      label: 'Hives',
      fields: [
        { label: 'Number', type: 'text' },
        { label: 'Apiary', type: 'link', to: 'apiaries' },
      ],
    },
    {
      do: 'addTable',
      label: 'Inspections',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Frames', type: 'number', digits: 0 },
        { label: 'Kg', type: 'number' },
        { label: 'Notes', type: 'text' },
        { label: 'Hive', type: 'link', to: 'hives' },
      ],
    },
    ...(rollups
      ? ([
          {
            do: 'addField',
            table: 'hives',
            field: { label: 'Last day', type: 'formula', formula: 'max(inspections.day)' },
          },
          {
            do: 'addField',
            table: 'apiaries',
            field: { label: 'Last day', type: 'formula', formula: 'max(hives.last_day)' },
          },
        ] as const)
      : []),
  ]);
  await pool.query(`insert into "${key}".apiaries (name) select 'A-' || i from generate_series(1, $1::int) i`, [
    apiaries,
  ]);
  await pool.query(
    `insert into "${key}".hives (number, apiary) select 'H-' || i, 1 + (i::bigint * 7919) % $2::int from generate_series(1, $1::int) i`,
    [hives, apiaries],
  );
  await pool.query(
    `insert into "${key}".inspections (day, frames, kg, notes, hive)
     select date '2020-01-01' + (i::bigint * 104729 % 2000)::int, i % 12, round((i::bigint * 7919 % 100000) / 1000.0, 3), 'note ' || i % 1000, 1 + (i::bigint * 15485863) % $2::int from generate_series(1, $1::int) i`,
    [inspections, hives],
  );
  await pool.query(
    `select setval(pg_get_serial_sequence('"${key}".' || t, '_id'), 1000000000) from unnest(array['apiaries', 'hives', 'inspections']) t`,
  );
  await withWorkspace(pool, access, 'exclusive', (client, now) =>
    recalculate({
      client,
      access: now,
      exclusive: true,
      anew: allCalculated(now.workspace.model),
    }),
  );
  for (const table of ['apiaries', 'hives', 'inspections']) await pool.query(`vacuum analyze "${key}".${table}`);
  access = await authorize(pool, person, key, 'design');
  return access;
}
