import { gzipSync } from 'node:zlib';
import type { Person } from '../../src/lib/server/access/workspaceAccess';
import { authorize } from '../../src/lib/server/access/workspaceAccess';
import { putLines } from '../../src/lib/server/api/recordLines';
import type { Pool } from '../../src/lib/server/database/pool';
import { inTransaction } from '../../src/lib/server/database/transaction';
import { linesOf } from '../../src/lib/server/http/lines';
import { answered } from '../safety/calling';
import { alternating, figure, median, type Figure } from './measure';
import { apply, freshWorkspace } from './world';

const key = 'bench_lines';
const all = 100_000;

/**
 * 100,000 records that come as gzipped lines, half of them new, the others changed; beside the statements that one
 * would write for the same by hand: the same lines read, the same tables, versions and history, in as many transactions.
 */
export async function linesBench(pool: Pool, person: Person): Promise<Figure[]> {
  await apply(pool, await freshWorkspace(pool, person, key), [
    {
      do: 'addTable',
      label: 'Jars',
      fields: [
        { label: 'Code', type: 'text', unique: true },
        { label: 'Grams', type: 'number' },
        { label: 'Day', type: 'date' },
        { label: 'Notes', type: 'text' },
      ],
    },
  ] as never);
  const home = (await authorize(pool, person, key, 'see')).workspace;
  const [table] = home.model.tables;
  if (!table) throw new Error('no table');
  const begin = async () => {
    await pool.query(`truncate ${key}.jars`);
    await pool.query(`delete from loom.batches where workspace = $1`, [home.id]);
    await pool.query(
      `insert into ${key}.jars (code, grams, day, notes) select 'J-' || i, i, '2026-01-01', 'as it was' from generate_series(1, ${all / 2}) i`,
    );
    await pool.query(`analyze ${key}.jars`);
  };
  const sent = gzipSync(
    Array.from(
      { length: all },
      (_, at) =>
        `${JSON.stringify({ values: { code: `J-${at + 1}`, grams: at % 977, day: '2026-05-01', notes: `note ${at}` } })}\n`,
    ).join(''),
  );
  const headers = { 'content-type': 'application/x-ndjson', 'content-encoding': 'gzip' };
  const request = () => new Request(`http://loom.example/x?by=code`, { method: 'PUT', body: sent, headers });
  const check = async () => {
    const { rows } = await pool.query<{ n: number; h: number }>(
      `select (select count(*) from ${key}.jars where notes <> 'as it was') as n,
        (select count(*) from loom.history where table_id = $1) as h`,
      [table.id],
    );
    if (Number(rows[0]?.n) !== all) throw new Error(`${rows[0]?.n} records were written`);
  };
  const times = { ours: [] as number[], theirs: [] as number[] };
  const { ours, theirs } = await alternating(
    3,
    1,
    async () => {
      await begin();
      const started = performance.now();
      const answer = await answered(pool, person, putLines, { ws: key, t: 'jars' }, request());
      const last = (await answer.text()).trimEnd().split('\n').at(-1) ?? '';
      times.ours.push(performance.now() - started);
      if (!last.includes(`"made":${all / 2},"found":${all / 2},"refused":0`)) throw new Error(last);
      await check();
    },
    async () => {
      await begin();
      const started = performance.now();
      await byHand(
        pool,
        request(),
        home.id,
        table.id,
        table.fields.map(({ id }) => id),
      );
      times.theirs.push(performance.now() - started);
      await check();
    },
  );
  void [ours, theirs];
  return [
    figure(
      'access',
      'an upsert of 100,000 records as gzipped lines, against the statements by hand',
      median(times.ours.slice(1)),
      median(times.theirs.slice(1)),
      'ms',
      2.5,
    ),
  ];
}

async function byHand(pool: Pool, request: Request, workspace: number, table: string, ids: string[]): Promise<void> {
  let part: unknown[] = [];
  const write = () =>
    inTransaction(pool, 'select 1', async (client) => {
      await client.query(
        `with d as (
           select * from jsonb_to_recordset($1::jsonb) as d (code text, grams numeric, day date, notes text)
         ), o as (
           select t._id, t.grams, t.day, t.notes from ${key}.jars t join d using (code) order by t._id for update of t
         ), w as (
           insert into ${key}.jars as t (code, grams, day, notes) select code, grams, day, notes from d
           on conflict (code) do update
             set grams = excluded.grams, day = excluded.day, notes = excluded.notes, _version = t._version + 1
           returning t.*
         ), b as (
           insert into loom.batches (workspace, kind, title) values ($2, 'edit', 'by hand') returning id
         )
         insert into loom.history (batch, table_id, first_id, last_id, kind, before, after)
         select b.id, $3, w._id, w._id, case when o._id is null then 'made' else 'changed' end,
           case when o._id is not null then
             jsonb_build_object($4::text, o.grams, $5::text, o.day, $6::text, o.notes) end,
           jsonb_build_object($7::text, w.code, $4::text, w.grams, $5::text, w.day, $6::text, w.notes)
         from b, w left join o on o._id = w._id`,
        [JSON.stringify(part), workspace, table, ids[1], ids[2], ids[3], ids[0]],
      );
    });
  for await (const { value } of linesOf(request)) {
    part.push((value as { values: unknown }).values);
    if (part.length < 10_000) continue;
    await write();
    part = [];
  }
  if (part.length > 0) await write();
}
