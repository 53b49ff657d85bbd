import type { Pool } from '../../src/lib/server/database/pool';
import { alternating, figure, median, type Figure } from './measure';
import { apply, benchPerson, makeLevels } from './world';

const key = 'bench_lookups';

/**
 * What a looked-up field costs when it is stored, as ours is, and when it is read through a join, on a million records.
 */
export async function* lookups(pool: Pool): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  const access = await makeLevels(pool, person, key, 1_000_000, false);
  await apply(pool, access, [
    { do: 'addField', table: 'inspections', field: { label: 'Number', type: 'formula', formula: 'hive.number' } },
  ]);
  await pool.query(`vacuum full analyze ${key}.inspections`);
  const from = `${key}.inspections i left join ${key}.hives h on h._id = i.hive`;
  const pairs: readonly (readonly [words: string, stored: string, joined: string, rounds: number])[] = [
    [
      'page of 100 in its order',
      `select _id, day, number from ${key}.inspections order by number, _id limit 100`,
      `select i._id, i.day, h.number from ${from} order by h.number, i._id limit 100`,
      5,
    ],
    [
      'page of 100 behind a place in its order',
      `select _id, day, number from ${key}.inspections where (number, _id) > ('H-3', 0) order by number, _id limit 100`,
      `select i._id, i.day, h.number from ${from} where (h.number, i._id) > ('H-3', 0) order by h.number, i._id limit 100`,
      5,
    ],
    [
      'records with one value',
      `select count(*) from ${key}.inspections where number = 'H-777'`,
      `select count(*) from ${from} where h.number = 'H-777'`,
      5,
    ],
    [
      'groups with their counts',
      `select number, count(*) from ${key}.inspections group by 1 order by 2 desc limit 10`,
      `select h.number, count(*) from ${from} group by 1 order by 2 desc limit 10`,
      3,
    ],
    [
      'all values, as an export reads them',
      `select count(number) from ${key}.inspections`,
      `select count(h.number) from ${from}`,
      5,
    ],
  ];
  const compare = async (words: string, stored: string, joined: string, rounds: number) => {
    const times = await alternating(
      rounds,
      1,
      () => pool.query(stored),
      () => pool.query(joined),
    );
    return figure('lookups', words, median(times.ours), median(times.theirs), 'ms', null);
  };
  for (const pair of pairs) yield await compare(...pair);
  await pool.query(`create index on ${key}.inspections (number, _id)`);
  await pool.query(`create index on ${key}.hives (number, _id)`);
  await pool.query(`analyze ${key}.inspections, ${key}.hives`);
  for (const [words, stored, joined] of pairs.slice(0, 3))
    yield await compare(`${words}, with an index`, stored, joined, 20);
  let name = 0;
  const rename = async (also: boolean) => {
    const id = 1 + ((++name * 7919) % 50_000);
    const client = await pool.connect();
    await client.query(`begin; update ${key}.hives set number = 'N-${name}' where _id = ${id}`);
    if (also) await client.query(`update ${key}.inspections set number = 'N-${name}' where hive = ${id}`);
    await client.query('commit');
    client.release();
  };
  const times = await alternating(
    60,
    10,
    () => rename(true),
    () => rename(false),
  );
  yield figure(
    'lookups',
    'the looked-up value changed, twenty records deep',
    median(times.ours),
    median(times.theirs),
    'ms',
    null,
  );
  const { rows } = await pool.query<{ stored: number; bare: number }>(
    `select pg_total_relation_size('${key}.inspections')::float as stored, sum(pg_column_size(number))::float as bare from ${key}.inspections`,
  );
  yield figure(
    'lookups',
    'what is stored for it, of the table',
    (rows[0]?.bare ?? 0) / 1e6,
    (rows[0]?.stored ?? 1) / 1e6,
    'MB',
    null,
  );
}
