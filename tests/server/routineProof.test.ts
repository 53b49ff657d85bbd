import { afterAll, beforeAll, expect, test } from 'vitest';
import { partFrom } from '$server/api/changes/parts';
import { authorize, tableAt, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import { Refusal } from '$server/base/refusal';
import { partOf } from '$core/parts/parts';
import { openPool, type Pool } from '$server/database/pool';
import { writeRecords } from '$server/entry/write';
import { tryOn } from '$server/routines/routines';
import { beginSending, queueConnections } from '$server/sending/outgoing';
import { addTablePart } from '$server/structure/tableParts';
import { randomFrom } from '../../demo/random';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

/** So many worlds are made in the tests; `LOOM_PROOF_WORLDS` asks for more. */
const worlds = Number(process.env.LOOM_PROOF_WORLDS ?? 2);
const writers = 8;
const editsEach = 20;

let pool: Pool;
let url: string;
let drop: () => Promise<void>;
let ida: Person;

beforeAll(async () => {
  ({ pool, url, drop } = await freshDatabase('routine_proof'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

const kind = 'routine';

async function routine(place: Place, label: string, json: Record<string, unknown>): Promise<string> {
  const access = await place.access();
  const table = tableAt(access, 'lots');
  const whole = { label, on: true, ...json };
  const part = partFrom(access.workspace.model, table, kind, partOf(kind).blank(whole), whole, '');
  const { id } = await addTablePart(pool, access, { kind, table }, part);
  const tried = await tryOn(pool, await place.access(), 'lots', { routine: id, record: 1 });
  expect(tried.problem).toBe(null);
  return id;
}

/** Lots, what routines make of them, and what depends on chance: the condition, the steps' order, what fails. */
async function makeWorld(place: Place, random: () => number) {
  await place.change(
    { do: 'addTable', label: 'Seasons', fields: [text('Name', { unique: true })] },
    {
      do: 'addTable',
      label: 'Lots',
      fields: [
        text('Code', { unique: true }),
        { label: 'Kg', type: 'number' },
        text('State'),
        { label: 'Season', type: 'link', to: 'seasons', onDelete: 'clear', counterpart: { label: 'Lots' } },
      ],
    },
    {
      do: 'addTable',
      label: 'Jars',
      fields: [
        text('Mark'),
        { label: 'Lot', type: 'link', to: 'lots', onDelete: 'remove', counterpart: { label: 'Jars' } },
      ],
    },
    { do: 'addField', table: 'lots', field: { label: 'Filled', type: 'formula', formula: 'count(jars)' } },
  );
  const heavy = 40 + Math.floor(random() * 20);
  // The first lot meets every condition, so that each routine can be tried on it.
  await place.insert('lots', { code: 'L0', kg: 99 });
  const jar = (mark: string) => ({
    do: 'make',
    table: 'jars',
    fields: [
      { field: 'mark', formula: mark },
      { field: 'lot', formula: 'this' },
    ],
    result: 'Jar',
  });
  const season = {
    do: 'find',
    table: 'seasons',
    by: [{ field: 'name', formula: "'S' || cast(round(kg) as text)" }],
    make: true,
    link: 'season',
    result: 'Its season',
  };
  const message = {
    do: 'write',
    to: [{ formula: "code || '@bees.example'" }],
    subject: '{code}',
    text: '{kg}',
  };
  const steps = random() < 0.5 ? [jar("'new ' || code"), season, message] : [message, season, jar("'new ' || code")];
  const ids = {
    made: await routine(place, 'Made', { when: { on: 'made' }, where: 'kg is not null', steps }),
    changed: await routine(place, 'Changed', {
      when: { on: 'changed', fields: ['kg'] },
      steps: [{ do: 'set', fields: [{ field: 'state', formula: "'weighs ' || cast(kg as text)" }] }],
    }),
    heavy: await routine(place, 'Heavy', {
      when: { on: 'comesTrue', condition: `kg > ${heavy}` },
      failing: random() < 0.5 ? 'refuse' : 'goOn',
      steps: [jar("'heavy ' || code")],
    }),
  };
  return { heavy, ids };
}

/** Ends connections of writers in the middle of what they do, about as many as half of the edits. */
async function killing(application: string, until: () => boolean, most: number): Promise<number> {
  let killed = 0;
  while (!until() && killed < most) {
    const { rows } = await pool.query<{ n: number }>(
      `select count(pg_terminate_backend(pid))::int as n from (
         select pid from pg_stat_activity where application_name = $1 and (xact_start is not null or state = 'active')
         order by random() limit 1
       ) one`,
      [application],
    );
    killed += rows[0]?.n ?? 0;
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
  return killed;
}

const named = (application: string): string => `${url}?application_name=${application}`;

test.each(Array.from({ length: worlds }, (_, n) => n + 1))(
  `world %i: routines over edits of ${writers} writers who are killed in the middle do each thing once, and the log has each`,
  async (seed) => {
    const random = randomFrom(seed);
    const place = await makePlace(pool, ida, `Proof ${seed}`);
    const { heavy, ids } = await makeWorld(place, random);
    const begin = await pool.query<{ n: number }>(`select max(id)::int as n from loom.routine_runs`);
    const writing = openPool(named('writer'), writers);
    writing.on('error', () => undefined);
    let going = writers;
    let [answered, broken] = [0, 0];
    const write = async (writer: number) => {
      const dice = randomFrom(seed * 100 + writer);
      const mine: number[] = [];
      for (let edit = 0; edit < editsEach; edit++) {
        const access: WorkspaceAccess = await authorize(pool, ida, place.key, 'see');
        const kg = Math.floor(dice() * 100);
        const insert = Array.from({ length: 1 + Math.floor(dice() * 3) }, (_, n) => ({
          values: { code: `W${writer}-${edit}-${n}`, kg: kg + n },
        }));
        const isNew = mine.length === 0 || dice() < 0.5;
        const update = [{ id: mine[Math.floor(dice() * mine.length)] ?? 0, values: { kg } }];
        try {
          const { records } = await writeRecords(writing, access, 'lots', isNew ? { insert } : { update });
          if (isNew) mine.push(...records.map(({ id }) => id));
          answered++;
        } catch (error) {
          // What is refused is a fault here; what is broken off may stand or not.
          if (error instanceof Refusal) throw error;
          broken++;
        }
      }
    };
    const work = Promise.all(
      Array.from({ length: writers }, (_, writer) =>
        write(writer).finally(() => {
          going--;
        }),
      ),
    );
    const [killed] = await Promise.all([killing('writer', () => going === 0, (writers * editsEach) / 2), work]);
    await writing.end();
    expect([answered > writers * 3, killed > 5, broken > 0]).toEqual([true, true, true]);

    const ask = async <T>(statement: string, values: unknown[] = []): Promise<T[]> =>
      (await pool.query(statement.replaceAll('$k', `"${place.key}"`), values)).rows as T[];
    // Whatever was answered: of each lot that stands there is one jar, one season that is the right one, and its state.
    const lots = await ask<Record<string, unknown>>(
      `
      select l.code, l.kg::float8 as kg, l.state, s.name as season, l.filled::int as filled,
        (select count(*)::int from $k.jars j where j.lot = l._id and j.mark = 'new ' || l.code) as made,
        (select count(*)::int from $k.jars j where j.lot = l._id and j.mark = 'heavy ' || l.code) as heavy,
        (select count(*)::int from $k.jars j where j.lot = l._id) as jars,
        (select count(*)::int from loom.outgoing o where o.routine = $1 and o.what->>'subject' = l.code) as messages,
        (select array_agg((h.after->>$2)::float8 order by h.batch, h.step) from loom.history h
          where h.table_id = $3 and l._id between h.first_id and h.last_id and h.after ? $2) as weights
      from $k.lots l left join $k.seasons s on s._id = l.season where l.code <> 'L0'
    `,
      [
        ids.made,
        tableAt(await place.access(), 'lots').fields.find(({ key }) => key === 'kg')?.id,
        tableAt(await place.access(), 'lots').id,
      ],
    );
    expect(lots.length).toBeGreaterThan(writers);
    const wrong = lots.filter(({ kg, state, season, filled, made, heavy: times, jars, messages, weights }) => {
      const all = weights as number[];
      // How often it rose above the bar, as its history tells.
      const rose = all.filter((weight, at) => weight > heavy && !((all[at - 1] ?? 0) > heavy)).length;
      const changed = all.length > 1 && all.some((weight, at) => at > 0 && weight !== all[at - 1]);
      return (
        made !== 1 ||
        messages !== 1 ||
        times !== rose ||
        jars !== 1 + rose ||
        filled !== jars ||
        season !== `S${all[0] ?? 0}` ||
        (changed ? state !== `weighs ${String(kg)}` : state !== null)
      );
    });
    expect(wrong).toEqual([]);
    // Nothing is left of what was broken off, and no season is there twice.
    expect(await ask(`select from $k.jars where lot is null`)).toEqual([]);
    expect(await ask(`select name from $k.seasons group by 1 having count(*) > 1`)).toEqual([]);
    // The log accounts for each.
    const logged = await ask<{ routine: string; n: number }>(
      `select routine, sum(records)::int as n from loom.routine_runs where id > $1 and problem is null group by 1`,
      [begin.rows[0]?.n ?? 0],
    );
    const inLog = new Map(logged.map(({ routine: id, n }) => [id, n]));
    expect(inLog.get(ids.made)).toBe(lots.length);
    expect(inLog.get(ids.heavy) ?? 0).toBe(lots.reduce((sum, one) => sum + Number(one.heavy), 0));
    const batches = await ask(`
      select from loom.routine_runs r where r.batch is not null and not exists (select from loom.batches b where b.id = r.batch)
    `);
    expect(batches).toEqual([]);

    // Two processes send; their connections are ended, too.
    const runners = await Promise.all(
      [1, 2].map(async () => {
        const [sending, queue] = [openPool(named('sender'), 6), openPool(named('sender'), queueConnections)];
        for (const one of [sending, queue]) one.on('error', () => undefined);
        return { runner: await beginSending(sending, queue), sending, queue };
      }),
    );
    const left = async () =>
      (await ask<{ n: number }>(`select count(*)::int as n from loom.outgoing where state = 'waiting'`))[0]?.n;
    let done = false;
    const hit = killing('sender', () => done, 12);
    // What a killed process had taken is free after minutes; here at once.
    const freed = setInterval(() => {
      void pool
        .query(
          `update graphile_worker._private_jobs set locked_at = null, locked_by = null, run_at = now()
        where locked_at < now() - interval '1 second' or run_at > now()`,
        )
        .catch(() => undefined);
    }, 700);
    await expect.poll(left, { timeout: 60_000, interval: 200 }).toBe(0);
    done = true;
    await hit;
    clearInterval(freed);
    // Who lost their connections go on by themselves.
    await writeRecords(pool, await authorize(pool, ida, place.key, 'see'), 'lots', {
      insert: [{ values: { code: 'L-after', kg: 1 } }],
    });
    await expect.poll(left, { timeout: 20_000, interval: 200 }).toBe(0);
    for (const { runner, sending, queue } of runners) {
      await runner.stop().catch(() => undefined);
      await Promise.all([sending.end(), queue.end()]);
    }
    const arrived = await ask<{ subject: string; n: number }>(
      `select o.subject, count(*)::int as n from loom.outbox o join loom.outgoing g on o.sent_for = 'outgoing-' || g.id
       where g.routine = $1 group by 1`,
      [ids.made],
    );
    expect(arrived.map(({ subject }) => subject)).toContain('L-after');
    expect(arrived.length).toBe(lots.length + 1);
    expect(arrived.filter(({ n }) => n !== 1)).toEqual([]);
  },
  150_000,
);
