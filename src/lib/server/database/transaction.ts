import pg from 'pg';
import { isPool, type Client, type Pool } from './pool';
import { raw, sql } from '../base/sql';

const serializationFailure = '40001';
const deadlock = '40P01';

/** How often a transaction that lost to another is begun again. */
const tries = 4;

/** Lost to another transaction, so that trying again can succeed. */
export const isLostRace = (error: unknown): boolean =>
  errorCode(error) === deadlock || errorCode(error) === serializationFailure;

export const errorCode = (error: unknown): string | undefined => {
  if (error instanceof pg.DatabaseError) return error.code;
  return error instanceof Error && error.cause instanceof pg.DatabaseError ? error.cause.code : undefined;
};

/** The name of the constraint or unique index that a statement would have broken. */
export const constraintOf = (error: unknown): string | undefined => {
  if (error instanceof pg.DatabaseError) return error.constraint;
  return error instanceof Error && error.cause instanceof pg.DatabaseError ? error.cause.constraint : undefined;
};

/**
 * What a statement fails with whose table became another between the reading of the structure and it: its column, the
 * table or its type is gone (42703, 42P01, 42883, 42804), or the answer of a prepared one has another shape (0A000).
 */
const overtaken = new Set(['42703', '42P01', '42883', '42804', '42846', '0A000']);

/** So often a read begins anew; a structure does not change faster than that for long. */
const readings = 6;

/**
 * Runs a read that takes the structure anew each time it begins, and begins again where a change of the structure
 * overtook it or it lost to one. Nothing may have been written by then.
 */
export async function readAnew<T>(read: () => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++)
    try {
      return await read();
    } catch (error) {
      if (attempt === readings || !(isLostRace(error) || overtaken.has(errorCode(error) ?? ''))) throw error;
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 30 * attempt));
    }
}

/**
 * Runs `work` between begin and commit. Whatever it throws rolls everything back; a deadlock or serialisation failure
 * is tried again a few times. `begin` may hold further parameterless statements, sent in the same round trip; their
 * results are given to `work`. `ending` may give one that goes with the commit.
 */
export async function inTransaction<T>(
  pool: Pool,
  begin: string,
  work: (client: Client, begun: pg.QueryResult[]) => Promise<T>,
  ending?: (value: T) => string | null,
): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    const client = await pool.connect();
    let broken: Error | undefined;
    try {
      const results = (await client.query(sql`begin; ${raw(begin)}`)) as unknown as pg.QueryResult[] | pg.QueryResult;
      const value = await work(client, Array.isArray(results) ? results.slice(1) : []);
      const end = ending?.(value);
      await client.query(end ? `${end}; commit` : 'commit');
      return value;
    } catch (error) {
      await client.query('rollback').catch((lost: Error) => (broken = lost));
      if (!isLostRace(error) || attempt === tries) throw error;
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 20 * attempt));
    } finally {
      client.release(broken);
    }
  }
}

/**
 * Reads piece by piece as of one moment: in a transaction of its own that ends however the reading does, or in the one
 * that the connection is in already. A connection that is left in the middle of what it sends would have to send all of
 * it first, so it is closed instead of given back.
 */
export async function* asOfNow<T>(
  connection: Pool | Client,
  read: (client: Client) => AsyncGenerator<T, void>,
): AsyncGenerator<T, void> {
  if (!isPool(connection)) return yield* read(connection);
  const client = await connection.connect();
  let over = false;
  try {
    await client.query('begin isolation level repeatable read, read only');
    yield* read(client);
    await client.query('commit');
    over = true;
  } finally {
    client.release(!over);
  }
}
