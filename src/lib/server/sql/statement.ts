import { createHash } from 'node:crypto';
import type pg from 'pg';
import type { Client, Pool } from '../database/pool';
import { sql, Sql } from '../base/sql';

export type Row = Record<string, unknown>;

const names = new Map<string, Map<string, string>>();
const mostEpochs = 500;

function nameOf(text: string, epoch: string): string {
  const ofEpoch = names.get(epoch) ?? new Map<string, string>();
  // Names only save hashing; forgetting them all is harmless, as the same text gives the same name again.
  if (names.size >= mostEpochs && ofEpoch.size === 0) names.clear();
  names.set(epoch, ofEpoch);
  const known = ofEpoch.get(text);
  if (known) return known;
  const name = `p_${createHash('sha256')
    .update(epoch + text)
    .digest('base64url')
    .slice(0, 24)}`;
  ofEpoch.set(text, name);
  return name;
}

/**
 * Runs a statement that comes again and again as a named prepared statement: parsed and planned once a connection.
 * Statements on user tables go straight to the driver, as Drizzle gives no names to statements made of text. `epoch`
 * names the version of the model the statement was made for: PostgreSQL refuses a prepared statement whose columns have
 * changed their type since. Null is a structure that is not committed: its statements get no name, as another structure
 * may come to have its version.
 */
export const prepared = (
  client: Client | Pool,
  statement: Statement,
  epoch: string | null,
): Promise<pg.QueryResult<Row>> => {
  const { text, values } = statement;
  return client.query<Row>({ ...(epoch === null ? {} : { name: nameOf(text, epoch) }), text, values });
};

interface Versioned {
  readonly id: number;
  readonly version: number;
}

/** The epoch of a workspace's structure and of those it is linked with. */
export const epochOf = ({ id, version, peers }: Versioned & { readonly peers: readonly Versioned[] }): string =>
  `${[{ id, version }, ...peers].map((one) => `${one.id}.${one.version}`).join(',')} `;

const epochs = new WeakMap<object, string>();

/** The epoch of statements on a workspace's tables; null where these are part of an open transaction. */
export function statementEpoch(
  workspace: Versioned & { readonly peers: readonly Versioned[]; readonly uncommitted?: true },
): string | null {
  if (workspace.uncommitted) return null;
  const known = epochs.get(workspace) ?? epochOf(workspace);
  epochs.set(workspace, known);
  return known;
}

/**
 * A condition on ids. One id has a form of its own: it is what most edits have, and PostgreSQL takes an array of unknown
 * length for ten, which makes it scan small tables.
 */
export const among = (column: Sql, ids: readonly number[]): Sql =>
  ids.length === 1 ? sql`${column} = ${ids[0]}::bigint` : sql`${column} = any(${ids}::bigint[])`;

/** A statement as the driver takes it. */
export interface Statement {
  readonly text: string;
  readonly values: unknown[];
}

const kept = new WeakMap<object, Map<string, readonly string[]>>();

/**
 * A statement whose text is written once for each `key` and kept for as long as its owner, a structure. `write` puts the
 * values into it one after another, in their order.
 */
export function written(owner: object, key: string, values: readonly unknown[], write: () => Sql): Sql {
  const ofOwner = kept.get(owner) ?? new Map<string, readonly string[]>();
  kept.set(owner, ofOwner);
  const known = ofOwner.get(key);
  if (known !== undefined) return new Sql(known, values);
  const statement = write();
  if (statement.values.length !== values.length || statement.values.some((value, at) => value !== values[at]))
    throw new Error('a kept statement has its values in another order than they are given');
  ofOwner.set(key, statement.strings);
  return statement;
}
