import type { Block } from '../../src/lib/core/types/summary';
import type { Written } from '../../src/lib/core/filled/written';
import { readSummary } from '../../src/lib/core/summaries/summary';
import type { WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { pageData } from '../../src/lib/server/summaries/data';
import { alternating, figure, median, timed, type Figure } from './measure';
import { apply, benchPerson, freshWorkspace } from './world';

const key = 'bench_present';
const records = 1_000_000;
const place = { x: 0, y: 0, w: 6, h: 4 };

/** Blocks over a million records, each against the bare `group by` that gives the same numbers. */
export async function* present(pool: Pool): AsyncGenerator<Figure> {
  const person = await benchPerson(pool);
  let access = await freshWorkspace(pool, person, key);
  access = await apply(pool, access, [
    { do: 'addTable', label: 'Apiaries', fields: [{ label: 'Name', type: 'text' }] },
    {
      do: 'addTable',
      label: 'Harvests',
      fields: [
        { label: 'Note', type: 'text' },
        { label: 'Day', type: 'date' },
        { label: 'At', type: 'dateTime' },
        { label: 'Kg', type: 'number', digits: 2, unit: 'kg' },
        { label: 'Kind', type: 'option', options: ['heather', 'lime', 'meadow', 'forest'] },
        { label: 'Apiary', type: 'link', to: 'apiaries' },
      ],
    },
  ]);
  await pool.query(`insert into ${key}.apiaries (name) select 'Apiary ' || i from generate_series(1, 40) i`);
  await pool.query(`
    insert into ${key}.harvests (note, day, at, kg, kind, apiary)
    select 'n' || i, current_date - i % 1500, now() - i % 36000000 * interval '1 second', (i % 4000) / 100.0,
      (array['heather', 'lime', 'meadow', 'forest'])[1 + i % 4], 1 + i % 40
    from generate_series(1, ${records}) i
  `);
  await pool.query(`vacuum analyze ${key}.harvests, ${key}.apiaries`);
  const { zone } = access.workspace;
  const from = `from ${key}.harvests r`;
  const year = Number(access.workspace.day.slice(0, 4));
  const sum = { total: 'sum', of: 'kg' };
  const cases: readonly (readonly [words: string, block: Written, bare: string])[] = [
    ['a number with its sum', { kind: 'number', measures: [sum] }, `select count(*), sum(kg) ${from}`],
    [
      'a sum by month',
      { kind: 'chart', chart: 'bars', measures: [sum], groups: 'day:month' },
      `select date_trunc('month', day::timestamp)::date, count(*), sum(kg) ${from} group by 1 order by 1`,
    ],
    [
      'a sum by month of a moment',
      { kind: 'chart', chart: 'lines', measures: [sum], groups: 'at:month' },
      `select date_trunc('month', at at time zone '${zone}')::date, count(*), sum(kg) ${from} group by 1 order by 1`,
    ],
    [
      'sum, mean and greatest by month and linked record, with all subtotals',
      {
        kind: 'table',
        measures: [sum, { total: 'avg', of: 'kg' }, { total: 'max', of: 'kg' }],
        groups: 'day:month,apiary',
      },
      `select m, a.name, n, s, v, x from (
         select date_trunc('month', day::timestamp)::date as m, apiary, count(*) as n, sum(kg) as s, avg(kg) as v, max(kg) as x
         ${from} group by 1, 2) g left join ${key}.apiaries a on a._id = g.apiary order by 1, 2`,
    ],
    [
      'this year against last by month',
      {
        kind: 'chart',
        chart: 'bars',
        measures: [sum],
        groups: 'day:month',
        period: { field: 'day', span: 'year', against: 'yearBefore' },
      },
      `select date_trunc('month', day::timestamp)::date, count(*), sum(kg) ${from}
       where day >= '${year - 1}-01-01' and day < '${year + 1}-01-01' group by 1 order by 1`,
    ],
    [
      'how many lie in each step of 2 kg',
      { kind: 'chart', chart: 'distribution', measures: [{ total: 'count' }], groups: 'kg:2' },
      `select floor(kg / 2) * 2, count(*) ${from} group by 1 order by 1`,
    ],
    [
      'a million groups, of which the first 5,000 are shown',
      { kind: 'table', measures: [sum], groups: 'note' },
      `select note, count(*), sum(kg) ${from} group by 1 order by note collate loom.people limit 5001`,
    ],
  ];
  const blocks = cases.map(([, block]) => blockOf(access, block));
  for (const [index, [words, , bare]] of cases.entries()) {
    const block = blocks[index];
    if (!block) continue;
    const show = async () => {
      const [data] = await pageData(pool, access, { filters: [], blocks: [block] }, {});
      if (!data?.asked) throw new Error(JSON.stringify(data?.problem));
    };
    const times = await alternating(index === cases.length - 1 ? 3 : 9, 2, show, () => pool.query(bare));
    yield figure(
      'present',
      `${words}, over ${records.toLocaleString('en')} records, against group by bare`,
      median(times.ours),
      median(times.theirs),
      'ms',
      1.5,
    );
  }
  const five = { filters: [], blocks: blocks.slice(0, 5) };
  await pageData(pool, access, five, {});
  const opened: number[] = [];
  for (let time = 0; time < 5; time++) opened.push(await timed(() => pageData(pool, access, five, {})));
  yield figure('present', 'five blocks over a million records', median(opened), null, 'ms', 2000);
}

function blockOf(access: WorkspaceAccess, block: Written): Block {
  const json = { label: 'Bench', blocks: [{ title: '', place, table: 'harvests', ...block }] };
  const read = readSummary(access.workspace.model, 'bench', json);
  const [first] = read.ok ? read.value.blocks : [];
  if (!first) throw new Error(JSON.stringify(read));
  return first;
}
