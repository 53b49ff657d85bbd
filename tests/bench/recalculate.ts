import { authorize, tableAt } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { withWorkspace } from '../../src/lib/server/access/lock';
import { recalculate as recalculateAll } from '../../src/lib/server/records/recalculate';
import { alternating, figure, median, type Figure } from './measure';
import { apply, benchPerson, makeLevels } from './world';

/**
 * A sum and a max over 1,000,000 records into 50,000, every value changed: ours beside the statement one would write by
 * hand.
 */
export async function recalculate(pool: Pool): Promise<Figure[]> {
  const person = await benchPerson(pool);
  let access = await makeLevels(pool, person, 'bench_recalculate', 1_000_000, false);
  access = await apply(pool, access, [
    { do: 'addField', table: 'hives', field: { label: 'Kg', type: 'formula', formula: 'sum(inspections.kg)' } },
    { do: 'addField', table: 'hives', field: { label: 'Last day', type: 'formula', formula: 'max(inspections.day)' } },
  ]);
  access = await authorize(pool, person, 'bench_recalculate', 'design');
  const anew = new Set(
    tableAt(access, 'hives')
      .fields.filter(({ type }) => type.kind === 'formula')
      .map(({ id }) => id),
  );
  const client = await pool.connect();
  const clear = async () => {
    await client.query('update bench_recalculate.hives set kg = null, last_day = null');
    await client.query('vacuum analyze bench_recalculate.hives');
  };
  const taken = { ours: [] as number[], theirs: [] as number[] };
  const once = async (side: keyof typeof taken, work: () => Promise<unknown>) => {
    await clear();
    const started = performance.now();
    await work();
    taken[side].push(performance.now() - started);
  };
  await alternating(
    5,
    1,
    () =>
      once('ours', () =>
        withWorkspace(pool, access, 'exclusive', (own, now) =>
          recalculateAll({ client: own, access: now, exclusive: true, anew }),
        ),
      ),
    () =>
      once('theirs', () =>
        client.query(
          `begin; update bench_recalculate.hives h set kg = coalesce(c.kg, 0), last_day = c.day
           from (select h2._id, g.kg, g.day from bench_recalculate.hives h2 left join (select hive, sum(kg) as kg, max(day) as day from bench_recalculate.inspections group by hive) g on g.hive = h2._id) c
           where c._id = h._id and (h.kg is distinct from coalesce(c.kg, 0) or h.last_day is distinct from c.day); commit`,
        ),
      ),
  );
  const { rows } = await client.query<{ n: number }>(
    'select count(*) as n from bench_recalculate.hives where kg is null',
  );
  client.release();
  if (rows[0]?.n !== 0) throw new Error('a side left values blank');
  // The first round of each warms up.
  return [
    figure(
      'recalculate',
      '1e6 into 5e4, sum and max',
      median(taken.ours.slice(1)),
      median(taken.theirs.slice(1)),
      'ms',
      1.2,
    ),
  ];
}
