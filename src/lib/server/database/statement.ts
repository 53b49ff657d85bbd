import { createHash } from 'node:crypto';
import type pg from 'pg';
import type { Client, Pool } from './pool';

export type Row = Record<string, unknown>;

const names = new Map<string, string>();
const mostNames = 5000;

function nameOf(text: string, epoch: string): string {
  const known = names.get(epoch + text);
  if (known) return known;
  // Names only save hashing; forgetting them all is harmless, as the same text gives the same name again.
  if (names.size >= mostNames) names.clear();
  const name = `p_${createHash('sha256').update(epoch + text).digest('base64url').slice(0, 24)}`;
  names.set(epoch + text, name);
  return name;
}

/**
 * Runs a statement that comes again and again as a named prepared statement: parsed and planned once a connection.
 * Statements on user tables go straight to the driver, as Drizzle gives no names to statements made of text.
 * `epoch` names the version of the model the statement was made for: PostgreSQL refuses a prepared statement whose
 * columns have changed their type since.
 */
export const prepared = (client: Client | Pool, text: string, values: readonly unknown[], epoch: string): Promise<pg.QueryResult<Row>> =>
  client.query<Row>({ name: nameOf(text, epoch), text, values: [...values] });

/** The epoch of statements on a workspace's tables. */
export const epochOf = (workspace: { readonly id: number; readonly version: number }): string => `${workspace.id}.${workspace.version} `;
