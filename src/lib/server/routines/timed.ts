import { dayIn } from '$core/fieldTypes/date';
import { triggerKinds } from '$core/routines/triggers';
import { counted } from '$core/base/counted';
import { findField, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Routine } from '$core/types/routine';
import { and, inArray, isNull } from 'drizzle-orm';
import { withWorkspace } from '../access/lock';
import { accessOfMember, systemAccess, withModel, type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableSql } from '../access/workspaceState';
import { log } from '../base/log';
import { settingOff } from '../entry/freeOptions';
import { identifier, raw, sql, type Sql } from '../base/sql';
import { routines, workspaces } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { applyRuns } from '../records/routines/applyRuns';
import { isReady, keptOf } from '../records/routines/keeping';
import { RoutineFailed } from '../records/routines/runRoutines';
import { routinesOn } from '../records/routines/triggered';

/** Days that were missed are made good as far back as this; what is older nobody waits for any more. */
const mostMissed = 31;

const hourIn = (zone: string, instant: Date): number =>
  Number(new Intl.DateTimeFormat('en-GB', { timeZone: zone, hour: 'numeric', hourCycle: 'h23' }).format(instant));

const shifted = (day: string, days: number): string =>
  new Date(Date.parse(`${day}T00:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);

type Timed = Extract<Routine['when'], { readonly on: 'dateNear' | 'timetable' }>;

const isTimed = (when: Routine['when']): when is Timed => triggerKinds(when).timed === true;

/** Whether the clock sets a routine off on a day; a day that a month lacks is its last. */
function isDue(when: Timed, day: string): boolean {
  if (when.on === 'dateNear' || when.every === 'day') return true;
  const date = new Date(`${day}T00:00:00Z`);
  if (when.every === 'week') return (date.getUTCDay() + 6) % 7 === when.day - 1;
  const last = new Date(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 0)).getUTCDate();
  return date.getUTCDate() === Math.min(when.day, last);
}

/** The records that a routine is set off for on a day, as a condition on `r`. */
function recordsOn({ workspace }: WorkspaceAccess, table: Table, when: Timed, day: string): Sql {
  if (when.on === 'timetable') return raw('true');
  const field = findField(workspace.model, when.field)?.field;
  if (!field) return raw('false');
  const column = sql`r.${identifier(field.key)}`;
  const date =
    valueTypeOf(field).is === 'timestamp'
      ? sql`(${column} at time zone ${homeOf(workspace, table).zone})::date`
      : column;
  return sql`${date} = ${shifted(day, -when.days)}::date`;
}

/**
 * Runs what the clock sets off and is due by now, in every workspace: each day of each routine once, days that were
 * missed too. Any number of processes may do so.
 */
export async function runTimed(pool: Pool, instant = new Date()): Promise<number> {
  // Most workspaces have no routine, and a model is large.
  const rows = await catalogueOn(pool)
    .select()
    .from(workspaces)
    .where(
      and(
        isNull(workspaces.deletedAt),
        inArray(workspaces.id, catalogueOn(pool).select({ id: routines.workspace }).from(routines)),
      ),
    );
  let ran = 0;
  for (const row of rows) {
    const whole = systemAccess(await withModel(pool, row));
    for (const { routine, table } of routinesOn(whole.workspace.model)) {
      if (table.home !== undefined || !isTimed(routine.when)) continue;
      const today = dayIn(row.zone, instant);
      const last = hourIn(row.zone, instant) >= routine.when.hour ? today : shifted(today, -1);
      for (let day = await nextDay(pool, routine.id, last); day !== null && day <= last; day = shifted(day, 1))
        ran += await runDay(pool, whole, routine.id, day);
    }
  }
  return ran;
}

/** The first day that a routine has not done; null where it has done all. */
async function nextDay(pool: Pool, id: string, last: string): Promise<string | null> {
  const { rows } = await pool.query<{ day: string | null }>(
    sql`select done_through::text as day from loom.routines where id = ${id}`,
  );
  if (!rows[0]) return null;
  const next = shifted(rows[0].day ?? shifted(last, -1), 1);
  return next > last ? null : next < shifted(last, -mostMissed) ? shifted(last, -mostMissed) : next;
}

async function runDay(pool: Pool, given: WorkspaceAccess, id: string, day: string): Promise<number> {
  try {
    return await settingOff(pool, given, () =>
      withWorkspace(pool, given, 'exclusive', async (client, access) => {
        // As it is by now: it may have been changed, or switched off, since it was looked for.
        const one = routinesOn(access.workspace.model).find(({ routine }) => routine.id === id);
        if (!one || !isTimed(one.routine.when) || !(await take(client, id, day))) return 0;
        const { routine, table } = one;
        const kept = (await keptOf(client, [id])).get(id);
        if (!isReady(routine, kept) || !isDue(one.routine.when, day)) return 0;
        const { rows } = await client.query<{ id: number }>(sql`
          select r._id as id from ${tableSql(access.workspace, table)} r
          where ${recordsOn(access, table, one.routine.when, day)} order by 1
        `);
        const ids = rows.map((row) => row.id);
        if (ids.length === 0) return 0;
        const keeper = (await accessOfMember(client, kept.keeper, access)) ?? access;
        const title = `${routine.label}: on ${day} for ${counted(ids.length, 'record')} of ${table.label}`;
        const writing = { client, access: keeper, exclusive: true };
        const { ran } = await applyRuns(writing, [{ routine, table, ids }], { kind: 'edit', title });
        return ran.runs.length;
      }),
    );
  } catch (error) {
    if (!(error instanceof RoutineFailed)) log.incident(error, { routine: id });
    // The day is over for it all the same: it would fail with each minute.
    else
      await pool.query(sql`
        update loom.routines set done_through = greatest(done_through, ${day}::date) where id = ${id}
      `);
    return 0;
  }
}

/** Takes a day of a routine, in the transaction that does it; false where another process has done it. */
async function take(client: Client, id: string, day: string): Promise<boolean> {
  const { rowCount } = await client.query(sql`
    update loom.routines set done_through = ${day}::date
    where id = ${id} and (done_through is null or done_through < ${day}::date)
  `);
  return rowCount !== 0;
}
