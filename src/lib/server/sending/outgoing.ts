import { once } from 'node:events';
import { setTimeout as wait } from 'node:timers/promises';
import { run, type Runner } from 'graphile-worker';
import type { Outgoing } from '$core/routines/log';
import { findTable } from '$core/model/model';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { pageOf, type Listed } from '../base/listed';
import { log } from '../base/log';
import { notHere, refuse } from '../base/refusal';
import { sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { silent } from '../database/workerLog';
import { outboundUrl, send } from '../http/outbound';
import { seenRoutines } from '../routines/seenRoutines';
import { runTimed } from '../routines/timed';
import { sendingTask } from '../records/routines/outgoing';
import { attachedOf } from './attached';
import { sendMail } from './mail';

/** So many are sent at once by one process. */
const atOnce = 4;
/** Connections for the queue alone: for each that is sent, and one to hear of new work. Who writes waits for none. */
export const queueConnections = atOnce + 2;

interface Waiting {
  readonly what: Outgoing;
  readonly person: number | null;
  readonly label: string;
  readonly workspace: number;
}

/** Sends one message or call; a failure is thrown, so that the queue tries it again later. */
export async function sendOutgoing(pool: Pool, id: number, isLast: boolean): Promise<void> {
  const { rows } = await pool.query<Waiting>(sql`
    update loom.outgoing set tries = tries + 1 where id = ${id} and state = 'waiting'
    returning what, person, label, workspace
  `);
  const [waiting] = rows;
  if (!waiting) return;
  try {
    const answer = await sent(pool, id, waiting);
    await pool.query(sql`
      update loom.outgoing set state = 'sent', answer = ${answer.slice(0, 500)}, sent_at = now() where id = ${id}
    `);
  } catch (error) {
    const words = (error instanceof Error ? error.message : String(error)).slice(0, 500);
    await pool.query(sql`
      update loom.outgoing set answer = ${words}, state = ${isLast ? 'failed' : 'waiting'} where id = ${id}
    `);
    throw error;
  }
}

/** The same key with each try: who receives it twice can tell. */
const keyOf = (id: number): string => `outgoing-${id}`;

async function sent(pool: Pool, id: number, { what, person, label, workspace }: Waiting): Promise<string> {
  if (what.kind === 'message') {
    const { to, subject, text } = what;
    const attached = await attachedOf(pool, workspace, person, what);
    return sendMail(pool, { to, subject, text, person, routine: label, sentFor: keyOf(id), attached });
  }
  const { status, answer } = await send(outboundUrl(what.address), what.body, { 'idempotency-key': keyOf(id) });
  if (status === null || status < 200 || status >= 300)
    throw new Error(status === null ? answer : `It was answered with ${status}: ${answer}`);
  return `${status} ${answer}`.trim();
}

/**
 * Lets go of what a process took and never sent, as it was killed: sending takes seconds, and the queue by itself would
 * wait for hours.
 */
export const freeLost = (pool: Pool): Promise<unknown> =>
  pool.query(sql`
    select graphile_worker.force_unlock_workers(array_agg(distinct locked_by))
    from graphile_worker.jobs
    where task_identifier = ${sendingTask} and locked_at < now() - interval '3 minutes'
    having count(*) > 0
  `);

/** What sends until it is stopped. */
export interface Sending {
  /** Ends once what is being sent is over, or has had its time. */
  readonly stop: () => Promise<void>;
}

/** A queue that ended by itself, as its database went away, begins again after so long, in milliseconds. */
const pauseBeforeNext = 2_000;
/** So long what is being sent is waited for as it stops, in milliseconds. */
const leaving = 5_000;

const beginQueue = (pool: Pool, queue: Pool): Promise<Runner> =>
  run({
    pgPool: queue,
    concurrency: atOnce,
    noHandleSignals: true,
    pollInterval: 2_000,
    logger: silent,
    // Once a minute in one of the processes.
    crontab: '* * * * * clock ?max=3',
    // Jobs are told to be over in batches: one by one nobody would hear of it where that cannot be told, and the process
    // would end by what nobody handled.
    preset: { worker: { completeJobBatchDelay: 0, failJobBatchDelay: 0 } },
    taskList: {
      clock: async () => {
        await freeLost(pool);
        await runTimed(pool);
      },
      [sendingTask]: async (payload, { job }) => {
        const { id } = payload as { id: number };
        await sendOutgoing(pool, id, job.attempts >= job.max_attempts);
      },
    },
  });

/**
 * Until a queue has ended or `signal` says so. Where it could not tell that jobs are over it ends by itself, but what it
 * promises can stay open for ever: graphile-worker counts its batches wrong from then on.
 */
async function over({ promise, events }: Runner, signal: AbortSignal): Promise<void> {
  const lost = once(events, 'pool:fatalError', { signal });
  await Promise.race([promise, lost]).catch((error: unknown) => signal.aborted || log.incident(error));
}

/** Takes no further job, and waits for what is being sent; what ended by itself may never answer. */
const ended = (runner: Runner | null): Promise<unknown> =>
  Promise.race([runner?.stop().catch(() => undefined), wait(leaving, undefined, { ref: false })]);

/**
 * Sends what routines put in the queue, for as long as the process runs; a queue whose database went away begins again.
 * Any number of processes may do so at once. `queue`: `queueConnections` for nothing else.
 */
export async function beginSending(pool: Pool, queue: Pool): Promise<Sending> {
  const stopping = new AbortController();
  const { signal } = stopping;
  let runner: Runner | null = await beginQueue(pool, queue);
  const going = (async () => {
    while (!signal.aborted) {
      if (runner) await over(runner, signal);
      if (signal.aborted) break;
      log.warn('the queue of jobs ended; it begins again');
      void ended(runner);
      await wait(pauseBeforeNext, undefined, { signal }).catch(() => undefined);
      if (signal.aborted) return;
      runner = await beginQueue(pool, queue).catch((error: unknown) => {
        log.incident(error);
        return null;
      });
    }
    await ended(runner);
  })();
  return {
    stop: async () => {
      stopping.abort();
      await going;
    },
  };
}

/** A message or a call of a routine, as those see it who manage routines. */
export interface OutgoingOut {
  readonly id: number;
  readonly at: string;
  readonly routine: string;
  readonly label: string;
  readonly table: string | null;
  readonly record: number;
  readonly what: Outgoing;
  readonly state: 'waiting' | 'sent' | 'failed';
  readonly tries: number;
  readonly answer: string | null;
  readonly sentAt: string | null;
}

/** What routines of a workspace send, the newest first. */
export async function listOutgoing(
  pool: Pool,
  access: WorkspaceAccess,
  { after, limit, state }: { readonly after?: number; readonly limit: number; readonly state?: string },
): Promise<Listed<OutgoingOut>> {
  requireRight(access, 'routines');
  const labels = seenRoutines(access);
  const { rows } = await pool.query<OutgoingOut & { tableId: string }>(sql`
    select o.id, o.at, o.routine, o.table_id as "tableId", o.record, o.what, o.state, o.tries, o.answer,
      o.sent_at as "sentAt"
    from loom.outgoing o
    where o.workspace = ${access.workspace.id} and o.routine = any(${[...labels.keys()]}::text[]) and (${after ?? null}::bigint is null or o.id < ${after ?? null})
      and (${state ?? null}::text is null or o.state = ${state ?? null})
    order by o.id desc limit ${limit + 1}
  `);
  const { model } = access.workspace;
  const page = pageOf(rows, limit, ({ id }) => id);
  return {
    ...page,
    items: page.items.map(({ tableId, ...row }) => ({
      ...row,
      label: labels.get(row.routine) ?? '',
      table: findTable(model, tableId)?.key ?? null,
    })),
  };
}

/** Sends once more what failed, or what waits for its next try. */
export async function sendAgain(pool: Pool, access: WorkspaceAccess, id: number): Promise<void> {
  requireRight(access, 'routines');
  const { rows } = await pool.query<{ state: string }>(sql`
    select state from loom.outgoing
    where id = ${id} and workspace = ${access.workspace.id}
      and routine = any(${[...seenRoutines(access).keys()]}::text[])
  `);
  if (!rows[0]) throw notHere('message');
  if (rows[0].state === 'sent') throw refuse(409, 'This was sent already.', 'Nothing is to be done.');
  await pool.query(sql`
    with o as (update loom.outgoing set state = 'waiting' where id = ${id} returning id)
    select graphile_worker.add_job(
      ${sendingTask}, json_build_object('id', o.id), job_key := 'outgoing ' || o.id, max_attempts := 14, run_at := now()
    ) from o
  `);
}

/** What was sent is kept for so long; what failed until somebody sends it again, or twice as long. */
export const purgeOutgoing = (pool: Pool): Promise<unknown> =>
  Promise.all([
    pool.query(sql`delete from loom.outgoing where state = 'sent' and at < now() - interval '90 days'`),
    pool.query(sql`delete from loom.outgoing where state = 'failed' and at < now() - interval '180 days'`),
    pool.query(sql`delete from loom.routine_runs where at < now() - interval '365 days'`),
  ]);
