import pLimit from 'p-limit';
import type { LimitFunction } from 'p-limit';
import pg from 'pg';
import type { Client, Pool } from '../database/pool';
import { poolBehind } from '../database/reading';
import { inTransaction, isLostRace } from '../database/transaction';
import { workspaceLock } from '../database/locks';
import { acting, refreshAccess, type KeyedCall, type WorkspaceAccess } from './workspaceAccess';
import { busy, Refusal } from '../base/refusal';
import { raw, sql } from '../base/sql';
import { hasRoutines, keptIn, keptSql } from './keptRoutines';
import { processId } from '../database/processId';

/**
 * How long a lock is waited for: an edit by a person who looks at it, a change of the whole workspace by one who asked
 * for it.
 */
const patience = { shared: '15s', exclusive: '600s' } as const;

/** So many may wait in a workspace's line; who comes behind them is told to come again. */
const mostWaiting = 200;

const lines = new WeakMap<Pool, Map<number, LimitFunction>>();

/**
 * Lets so many transactions of one workspace have a connection at once that those of other workspaces always find one:
 * what waits for a workspace's lock waits here, and not on a connection.
 */
async function inLine<T>(pool: Pool, workspace: number, work: () => Promise<T>): Promise<T> {
  const ofPool = lines.get(poolBehind(pool)) ?? new Map<number, LimitFunction>();
  lines.set(poolBehind(pool), ofPool);
  const line = ofPool.get(workspace) ?? pLimit(Math.max(1, Math.floor((pool.options.max ?? 10) / 2)));
  ofPool.set(workspace, line);
  if (line.pendingCount >= mostWaiting) throw busy();
  return line(work);
}

/** Thrown inside a shared transaction when its consequences reach so many records that it must stand alone. */
export class NeedsExclusive extends Error {}

/** Links were made to a workspace whose lock is not held, so the transaction is begun anew with all of them. */
class PeersChanged extends Error {
  constructor(readonly access: WorkspaceAccess) {
    super('the linked workspaces are other ones now');
  }
}

/** Holds workspaces alone until the transaction ends, for work that has no access. */
export async function lockExclusively(client: Client, ids: readonly number[]): Promise<void> {
  for (const id of [...ids].sort((a, b) => a - b))
    await client.query(sql`select pg_advisory_xact_lock(${workspaceLock}, ${id})`);
}

/** What a transaction does besides its work. */
interface Further<T> {
  /** Workspaces that are about to be linked. */
  readonly also?: readonly number[];
  /** Nothing is done for a call that was answered before. */
  readonly unanswered?: true;
  /** What its call is answered with, which is kept under the call's key with what was written. */
  readonly answer?: (value: T) => unknown;
}

interface Now {
  readonly id: number;
  readonly version: number;
  readonly day: string;
}

/**
 * Runs `work` in a transaction that holds the advisory locks of the workspace and of those linked with it: shared for
 * writing records, exclusive (`whole`) for changing the structure, for loads and for edits with consequences for very
 * many records. The models' versions are read in a statement after
 * the locks are held, so `work` gets a access that cannot move on under it, with all of the workspace before it: what it
 * writes is calculated whole. What a person wrote is read with the access's `sight`.
 *
 * Lock order everywhere: workspaces (advisory) by id → records of a child table → records of the tables above it, each
 * table's by `_id`. What cannot keep to it is retried when PostgreSQL finds the deadlock.
 */
export async function withWorkspace<T>(
  pool: Pool,
  access: WorkspaceAccess,
  lock: 'shared' | 'exclusive',
  work: (client: Client, access: WorkspaceAccess, exclusive: boolean) => Promise<T>,
  { also = [], unanswered, answer }: Further<T> = {},
): Promise<T> {
  const keyed = (unanswered || answer) && access.call?.inOneTransaction ? access.call : null;
  const run = (mode: 'shared' | 'exclusive', known: WorkspaceAccess): Promise<T> => {
    const homes = [known.workspace, ...known.workspace.peers];
    const ids = [...new Set([...homes.map(({ id }) => id), ...also])].sort((a, b) => a - b);
    // One statement a lock: PostgreSQL promises no order among the expressions of one.
    const locks = ids.map(
      (id) => `select pg_advisory_xact_lock${mode === 'shared' ? '_shared' : ''}(${workspaceLock}, ${id})`,
    );
    const person = known.person.id > 0 ? known.person.id : '';
    const begin = [
      `set local lock_timeout = '${patience[mode]}'`,
      ...locks,
      `select set_config('loom.person', '${person}', true)`,
      access.still ?? 'select 1',
      keyed ? lookedUp(access.person.id, keyed) : 'select 1 where false',
      hasRoutines(known.whole.model) ? keptSql(raw(`r.workspace in (${ids.join(', ')})`)).text : 'select 1 where false',
      `select id, version, day from loom.workspaces where id in (${ids.join(', ')})`,
    ].join('; ');
    return inLine(pool, known.workspace.id, () =>
      inTransaction(
        pool,
        begin,
        async (client, begun) => {
          const [still, before, kept, read] = begun.slice(-4).map(({ rows }) => rows as unknown[]);
          if (still?.length === 0) throw new NoLongerSo();
          if (before && before.length > 0) throw new AnsweredBefore();
          const now = new Map((read as Now[]).map((row) => [row.id, row]));
          const stands = homes.every(
            ({ id, version, day }) => now.get(id)?.version === version && now.get(id)?.day === day,
          );
          const current = stands ? known : await refreshAccess(client, known);
          if (current.workspace.peers.some(({ id }) => !ids.includes(id))) throw new PeersChanged(current);
          // A structure that was read anew may have routines of which nothing was asked.
          const routines = stands && hasRoutines(known.whole.model) ? { routines: keptIn(kept ?? []) } : {};
          return work(client, acting({ ...current, ...routines }), mode === 'exclusive');
        },
        (value) => (answer && keyed ? keptWith(access.person.id, keyed, answer(value)) : null),
      ),
    );
  };
  let known = access;
  let mode = lock;
  for (let attempt = 1; ; attempt++)
    try {
      return await run(mode, known);
    } catch (error) {
      if (error instanceof PeersChanged && attempt < 5) known = error.access;
      // An edit that loses race after race gets its turn alone.
      else if (mode === 'shared' && (error instanceof NeedsExclusive || isLostRace(error))) mode = 'exclusive';
      else throw error;
    }
}

/** Thrown at the beginning of a transaction whose call was answered before. */
export class AnsweredBefore extends Error {}

/** Refused at the beginning of a transaction: whoever calls may no longer do what they could when they were found. */
class NoLongerSo extends Refusal {
  constructor() {
    super(403, { message: 'What you may do here was changed at this moment.', fix: 'Load the page again.' });
  }
}

const literal = (value: string): string => pg.escapeLiteral(value);

/** A statement without parameters that finds the answer of a call, to go in the round trip that begins a transaction. */
const lookedUp = (person: number, { key }: KeyedCall): string =>
  `select 1 from loom.idempotency where person = ${person} and key = ${literal(key)}`;

/** The same that keeps it, to go in the round trip that commits: it stands if, and only if, what it tells of does. */
const keptWith = (person: number, { key, name, body }: KeyedCall, answer: unknown): string =>
  `insert into loom.idempotency (person, key, call, body, process, answer)
   values (${person}, ${[key, name, body, processId, JSON.stringify(answer)].map(literal).join(', ')}::jsonb)`;
