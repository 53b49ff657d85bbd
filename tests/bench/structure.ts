import { tableAt, authorize, type WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import { changesFromJson, type ChangeJson } from '../../src/lib/server/api/changes/changes';
import type { Pool } from '../../src/lib/server/database/pool';
import { applyPlan, makePlan } from '../../src/lib/server/structure/plan';
import { undoBatch } from '../../src/lib/server/history/undo';
import { alternating, figure, median, timed, type Figure } from './measure';
import { whileReading } from './waiting';
import { apply, benchPerson, freshWorkspace } from './world';

const key = 'bench_structure';
const records = 1_000_000;
const targets = 50_000;

async function makeVisits(pool: Pool, access: WorkspaceAccess): Promise<WorkspaceAccess> {
  const made = await apply(pool, access, [
    { do: 'addTable', label: 'Hives', fields: [{ label: 'Number', type: 'text' }] },
    {
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Weight', type: 'text' },
        { label: 'Hive', type: 'text' },
        { label: 'Notes', type: 'text' },
        { label: 'Frames', type: 'number', digits: 0 },
      ],
    },
  ]);
  await pool.query(`insert into ${key}.hives (number) select 'H-' || i from generate_series(1, ${targets}) i`);
  await pool.query(
    `insert into ${key}.visits (day, weight, hive, notes, frames)
     select date '2020-01-01' + (i::bigint * 104729 % 2000)::int, case when i % 1000 = 0 then 'heavy ' || i else round((i::bigint * 7919 % 100000) / 1000.0, 3)::text end,
       'H-' || 1 + (i::bigint * 15485863) % ${targets}, 'note ' || i % 1000, i % 12 from generate_series(1, ${records}) i`,
  );
  for (const table of ['hives', 'visits']) await pool.query(`vacuum analyze ${key}.${table}`);
  return made;
}

const fileOf = async (pool: Pool): Promise<unknown> =>
  (await pool.query(`select relfilenode from pg_class where oid = '${key}.visits'::regclass`)).rows[0];

/** Changes of structure on a table of a million records, beside the statements one would write by hand. */
export async function structure(pool: Pool, url: string): Promise<Figure[]> {
  const person = await benchPerson(pool);
  let access = await makeVisits(pool, await freshWorkspace(pool, person, key));
  const again = async () => (access = await authorize(pool, person, key, 'design'));
  const planOf = (changes: readonly ChangeJson[]) =>
    makePlan(pool, access, changesFromJson(access.workspace.model, changes));
  const figures: Figure[] = [];

  // What rewrites nothing: planned and applied.
  const before = await fileOf(pool);
  const small: readonly (readonly [string, ChangeJson])[] = [
    ['add a field', { do: 'addField', table: 'visits', field: { label: 'Temper', type: 'rating' } }],
    ['rename a key', { do: 'changeField', table: 'visits', field: 'notes', set: { key: 'remarks' } }],
    ['rename a label', { do: 'changeField', table: 'visits', field: 'remarks', set: { label: 'Remarks' } }],
    ['switch a field off', { do: 'changeField', table: 'visits', field: 'frames', set: { off: true } }],
  ];
  const takes = new Map<string, number[]>();
  for (let round = 0; round < 5; round++) {
    const done: number[] = [];
    for (const [words, change] of small) {
      const plan = await planOf([change]);
      takes.set(words, [
        ...(takes.get(words) ?? []),
        await timed(async () => void done.push((await applyPlan(pool, access, plan.id)).batch)),
      ]);
      await again();
    }
    for (const batch of done.reverse()) {
      await undoBatch(pool, access, batch);
      await again();
    }
  }
  for (const [words, times] of takes)
    figures.push(figure('structure', `${words}, 1e6 records`, median(times), null, 'ms', 50));
  const rewritten = JSON.stringify(await fileOf(pool)) === JSON.stringify(before) ? 0 : 1;
  figures.push(figure('structure', 'rewrites of the table by these', rewritten, null, 'rewrites', 0));

  // The plan beside one pass over the table that counts the same, as one would write it by hand.
  const planAgainstPass = async (name: string, change: ChangeJson, pass: string) => {
    const times = await alternating(
      3,
      1,
      () => planOf([change]),
      () => pool.query(pass),
    );
    figures.push(
      figure(
        'structure',
        `plan of ${name}, against one pass that counts the same`,
        median(times.ours),
        median(times.theirs),
        'ms',
        1,
      ),
    );
  };
  const number = (text: string) =>
    `case when btrim(${text}) ~ '^[+-]?[0-9]+(\\.[0-9]+)?$' then btrim(${text})::numeric else loom.read_number(btrim(${text}), '.') end`;

  // Text to number, 0.1 % of it no number: kept, converted, misfits set aside.
  const toNumber: ChangeJson = {
    do: 'changeField',
    table: 'visits',
    field: 'weight',
    set: { type: 'number', digits: null },
  };
  await planAgainstPass(
    'text to number',
    toNumber,
    `select count(n) as fits, count(weight) - count(n) as misfits from (select weight, ${number('weight')} as n from ${key}.visits) v`,
  );
  const times: { ours: number[]; theirs: number[]; wait: number[] } = { ours: [], theirs: [], wait: [] };
  for (let round = 0; round < 2; round++) {
    const plan = await planOf([toNumber]);
    let batch = 0;
    const { all, wait } = await whileReading(
      url,
      `${key}.visits`,
      async () => ({ batch } = await applyPlan(pool, access, plan.id)),
    );
    times.ours.push(all);
    times.wait.push(wait);
    await again();
    await undoBatch(pool, access, batch);
    await again();
    await pool.query(`vacuum full analyze ${key}.visits`);
    times.theirs.push(
      await timed(() =>
        // The same guarantees: the old column kept, misfits listed, all in one transaction.
        pool.query(
          `begin; alter table ${key}.visits rename column weight to kept; alter table ${key}.visits add column weight numeric;
           alter table ${key}.visits alter column weight type numeric using ${number('kept')};
           create table ${key}.misfits as select _id, kept from ${key}.visits where kept is not null and weight is null; commit`,
        ),
      ),
    );
    await pool.query(
      `begin; drop table ${key}.misfits; alter table ${key}.visits drop column weight; alter table ${key}.visits rename column kept to weight; commit`,
    );
    await pool.query(`vacuum full analyze ${key}.visits`);
  }
  figures.push(figure('structure', 'text to number, 0.1 % misfits', median(times.ours), median(times.theirs), 'ms', 2));
  figures.push(
    figure(
      'structure',
      'text to number: longest wait of a reader, against the whole',
      median(times.wait),
      median(times.ours),
      'ms',
      0.1,
    ),
  );

  // Text to link against 50,000 targets.
  const toLink: ChangeJson = { do: 'textToLink', table: 'visits', field: 'hive', to: 'hives' };
  await planAgainstPass(
    'text to link',
    toLink,
    `select count(h._id) as found, count(*) filter (where h._id is null) as missed, count(distinct btrim(v.hive)) filter (where h._id is null) as words
     from ${key}.visits v left join ${key}.hives h on h.number = btrim(v.hive) where v.hive is not null`,
  );
  const links: typeof times = { ours: [], theirs: [], wait: [] };
  for (let round = 0; round < 2; round++) {
    const plan = await planOf([toLink]);
    let batch = 0;
    const { all, wait } = await whileReading(
      url,
      `${key}.visits`,
      async () => ({ batch } = await applyPlan(pool, access, plan.id)),
    );
    links.ours.push(all);
    links.wait.push(wait);
    await again();
    await undoBatch(pool, access, batch);
    await again();
    await pool.query(`vacuum full analyze ${key}.visits`);
    links.theirs.push(
      await timed(() =>
        pool.query(
          `begin; create unique index hive_numbers on ${key}.hives (number);
           create function ${key}.target_of(word text) returns bigint language sql stable as 'select _id from ${key}.hives where number = $1';
           alter table ${key}.visits add column link bigint;
           alter table ${key}.visits alter column link type bigint using ${key}.target_of(btrim(hive));
           create table ${key}.misfits as select _id, hive from ${key}.visits where hive is not null and link is null;
           create index visits_link on ${key}.visits (link); alter table ${key}.visits add foreign key (link) references ${key}.hives (_id); commit`,
        ),
      ),
    );
    await pool.query(
      `begin; drop table ${key}.misfits; drop index ${key}.hive_numbers; alter table ${key}.visits drop column link; drop function ${key}.target_of; commit`,
    );
    await pool.query(`vacuum full analyze ${key}.visits`);
  }
  figures.push(figure('structure', 'text to link, 50,000 targets', median(links.ours), median(links.theirs), 'ms', 2));
  figures.push(
    figure(
      'structure',
      'text to link: longest wait of a reader, against the whole',
      median(links.wait),
      median(links.ours),
      'ms',
      0.1,
    ),
  );
  if (tableAt(access, 'visits').fields.length === 0) throw new Error('the table is gone');
  return figures;
}
