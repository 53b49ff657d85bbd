import type { Person } from '../../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../../src/lib/server/database/pool';
import { withWorkspace } from '../../../src/lib/server/access/lock';
import { recalculate } from '../../../src/lib/server/records/recalculate';
import { allCalculated } from '../../../src/lib/server/calculation/calculatedFields';
import { alternating, figure, median, type Figure } from '../measure';
import { apply, makeLevels } from '../world';

const key = 'bench_whole';

/** Twenty formulas over one record, what it links to, and each other; beside each the SQL one would write by hand. */
const formulas: readonly (readonly [name: string, formula: string, sql: string])[] = [
  ['a1', 'kg * 2', 'i.kg * 2'],
  ['a2', 'kg + frames', 'i.kg + i.frames'],
  ['a3', 'round(kg / 7, 2)', 'round(loom.div(i.kg, 7), 2)'],
  [
    'a4',
    "case when kg > 50 then 'much' when kg > 10 then 'some' else 'little' end",
    "case when i.kg > 50 then 'much' when i.kg > 10 then 'some' else 'little' end",
  ],
  ['a5', 'day + 14', 'i.day + 14'],
  ['a6', 'year(day)', 'extract(year from i.day)::numeric'],
  ['a7', "notes || '!'", "i.notes || '!'"],
  ['a8', 'char_length(notes)', 'char_length(i.notes)::numeric'],
  ['a9', 'abs(kg - 50)', 'abs(i.kg - 50)'],
  ['b1', 'coalesce(frames, 0) * 3', 'coalesce(i.frames, 0) * 3'],
  ['b2', 'greatest(kg, frames)', 'greatest(i.kg, i.frames)'],
  ['b3', 'mod(frames, 5)', 'mod(i.frames, 5)'],
  ['c1', 'hive.number', 'h.number'],
  ['c2', 'hive.apiary.name', 'a.name'],
  ['c3', "hive.number || ' ' || notes", "h.number || ' ' || i.notes"],
  ['c4', 'hive.apiary.name = hive.number', 'a.name = h.number'],
  ['d1', 'a1 + a2', 'i.kg * 2 + (i.kg + i.frames)'],
  ['d2', 'a3 * 2', 'round(loom.div(i.kg, 7), 2) * 2'],
  ['d3', 'a5 > day', '(i.day + 14) > i.day'],
  ['d4', "c1 || '/' || c2", "h.number || '/' || a.name"],
];

/**
 * (d) Twenty calculated fields over a million records from nothing, against one statement by hand that does them all at
 * once.
 */
export async function wholeTable(pool: Pool, person: Person): Promise<Figure[]> {
  let access = await makeLevels(pool, person, key, 1_000_000, false);
  access = await apply(
    pool,
    access,
    formulas.map(([label, formula]) => ({
      do: 'addField',
      table: 'inspections',
      field: { label, type: 'formula', formula },
    })),
  );
  const names = formulas.map(([name]) => name);
  const client = await pool.connect();
  const clear = async () => {
    await client.query(`update ${key}.inspections set ${names.map((name) => `${name} = null`).join(', ')}`);
    await client.query(`vacuum full analyze ${key}.inspections`);
  };
  const taken = { ours: [] as number[], theirs: [] as number[] };
  const once = async (side: keyof typeof taken, work: () => Promise<unknown>) => {
    await clear();
    const started = performance.now();
    await work();
    taken[side].push(performance.now() - started);
  };
  // `left join` cannot reach the record that is updated, so what one looks up goes over a join with the table itself.
  const byHand = `update ${key}.inspections t set ${names.map((name) => `${name} = c.${name}`).join(', ')}
    from (select i._id, ${formulas.map(([name, , sql]) => `${sql} as ${name}`).join(', ')} from ${key}.inspections i
      left join ${key}.hives h on h._id = i.hive left join ${key}.apiaries a on a._id = h.apiary) c
    where t._id = c._id and (${names.map((name) => `t.${name} is distinct from c.${name}`).join(' or ')})`;
  await alternating(
    3,
    0,
    () =>
      once('ours', () =>
        withWorkspace(pool, access, 'exclusive', (own, now) =>
          recalculate({
            client: own,
            access: now,
            exclusive: true,
            anew: allCalculated(now.workspace.model),
          }),
        ),
      ),
    () => once('theirs', () => client.query(byHand)),
  );
  client.release();
  return [
    figure(
      'calculate',
      '(d) 20 calculated fields over 10⁶ records from nothing',
      median(taken.ours),
      median(taken.theirs),
      'ms',
      1.2,
    ),
  ];
}
