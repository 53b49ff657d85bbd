import type { Client, Pool } from './pool';
import { sql } from '../base/sql';

/** What a long change of structure is at, in its order. */
const workPhases = ['copy', 'change', 'rules', 'calculation', 'exchange'] as const;
export const workKinds = ['plan', 'undo', 'edit', 'transfer'] as const;
export type WorkPhase = (typeof workPhases)[number];

/**
 * Which work a transaction does: a plan's application, the undoing of a batch, or a person's edit with very many
 * consequences.
 */
export interface WorkName {
  readonly kind: (typeof workKinds)[number];
  readonly id: number;
}

export interface Work extends WorkName {
  readonly phase: WorkPhase;
  /** How many of `of` parts of this phase are done. */
  readonly done: number;
  readonly of: number;
  /** Since it began. */
  readonly seconds: number;
}

/** Says how far the work of a transaction is. */
export type ReportProgress = (phase: WorkPhase, done?: number, of?: number) => Promise<void>;

const marked = (workspace: number) => `loom ${workspace} `;

/**
 * Tells through the name of the connection, which others see at once while what the transaction writes is not to be
 * seen before it ends. The name is as long as the transaction.
 */
export const progressOf =
  (client: Client, workspace: number, { kind, id }: WorkName): ReportProgress =>
  async (phase, done = 0, of = 1) => {
    await client.query(
      sql`
        select set_config(
          'application_name', ${`${marked(workspace)}${kind} ${id} ${phase} ${done} ${of}`}, true
        )
      `,
    );
  };

interface Backend extends Work {
  readonly pid: number;
}

/** Who works on a workspace now, the longest first. */
export async function backendsAt(pool: Pool, workspace: number): Promise<Backend[]> {
  const { rows } = await pool.query<{ pid: number; name: string; seconds: number }>(
    sql`
      select pid, application_name as name,
        extract(epoch from clock_timestamp() - xact_start)::float as seconds
      from pg_stat_activity
      where datname = current_database() and starts_with(application_name, ${marked(workspace)})
        and state <> 'idle'
      order by xact_start
    `,
  );
  return rows.flatMap(({ pid, name, seconds }) => {
    const [, , kind, id, phase, done, of] = name.split(' ');
    const known = workPhases.find((one) => one === phase);
    const work = workKinds.find((one) => one === kind);
    return known && work
      ? [{ pid, kind: work, id: Number(id), phase: known, done: Number(done), of: Number(of), seconds }]
      : [];
  });
}
