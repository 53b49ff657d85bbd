import { randomUUID } from 'node:crypto';
import type { Pool } from './pool';
import { sql } from '../base/sql';

/** This process, among all that serve the same database, since its start. */
export const processId = randomUUID();

/** The name of the connection that a process keeps for as long as it lives. */
export const listenerName = (process: string): string => `inner-loom ${process}`;

/** Whether another process still lives: its listening connection is there. */
export async function isAlive(pool: Pool, process: string): Promise<boolean> {
  if (process === processId) return true;
  const { rows } = await pool.query(
    sql`select 1 from pg_stat_activity where application_name = ${listenerName(process)} limit 1`,
  );
  return rows.length > 0;
}
