import { createHash } from 'node:crypto';
import { and, eq, isNull } from 'drizzle-orm';
import { AnsweredBefore } from '../access/lock';
import type { KeyedCall } from '../access/workspaceAccess';
import type { Person } from '../access/models';
import { batches, idempotency } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { constraintOf } from '../database/transaction';
import { Refusal, refuse } from '../base/refusal';
import { isAlive, processId } from '../database/processId';

/** A write as it came, and who sends it. */
export interface SentCall extends KeyedCall {
  readonly person: Pick<Person, 'id'>;
}

/** The digest of a body, by which it is told from another. */
export const digestOf = (body: string): string => createHash('sha256').update(body).digest('base64url');

const mostKey = 200;

/** Calls that this process is at work on, by person and key. */
const going = new Set<string>();

/**
 * Does a write that carries an Idempotency-Key once: the same key again gets the same answer. Another call or another
 * body under a key that was used is refused. A call that was cut off, with its process or with the database under it,
 * is done again if nothing came of it; else its batch is the answer. That one key makes no two batches, an index of the
 * batches holds.
 */
export async function onceOnly(pool: Pool, call: SentCall, work: () => Promise<unknown>): Promise<unknown> {
  const { person, key } = call;
  if (key.length > mostKey)
    throw refuse(400, `The Idempotency-Key has more than ${mostKey} characters.`, 'Use a UUID.');
  const name = `${person.id} ${key}`;
  if (going.has(name)) return (await known(pool, call, true))?.answer;
  going.add(name);
  try {
    if (call.inOneTransaction) return await inOneTransaction(pool, call, work);
    const before = await known(pool, call, false);
    return before ? before.answer : await done(pool, call, work);
  } finally {
    going.delete(name);
  }
}

/**
 * Does a call whose transaction looks for its answer where it begins, and keeps it where it commits. Another process
 * that has done it meanwhile is found by what may stand only once.
 */
async function inOneTransaction(pool: Pool, call: SentCall, work: () => Promise<unknown>): Promise<unknown> {
  try {
    return await work();
  } catch (error) {
    const once = ['batches_of_call', 'idempotency_once'].includes(constraintOf(error) ?? '');
    if (!once && !(error instanceof AnsweredBefore)) throw error;
    return (await known(pool, call, true))?.answer;
  }
}

/** Does a call, and keeps its answer under its key. */
async function done(pool: Pool, call: SentCall, work: () => Promise<unknown>): Promise<unknown> {
  const row = and(eq(idempotency.person, call.person.id), eq(idempotency.key, call.key));
  try {
    const answer = (await work()) ?? {};
    await catalogueOn(pool).update(idempotency).set({ answer }).where(row);
    return answer;
  } catch (error) {
    const written = constraintOf(error) === 'batches_of_call' ? await batchOf(pool, call) : undefined;
    if (written) return written;
    // Of a refusal nothing came, for certain. Of anything else that is unknown: the next try finds out.
    if (error instanceof Refusal) await catalogueOn(pool).delete(idempotency).where(row);
    throw error;
  }
}

/**
 * The answer that a call under this key had before; null where it is to be done now, and nobody else does it. `here`:
 * another request is at work on it in this process, which is told before anything is written down.
 */
async function known(pool: Pool, call: SentCall, here: boolean): Promise<{ readonly answer: unknown } | null> {
  const { person, key, name, body } = call;
  const db = catalogueOn(pool);
  const mine = and(eq(idempotency.person, person.id), eq(idempotency.key, key));
  const wanted = { person: person.id, key, call: name, body, process: processId };
  const [taken] = here ? [] : await db.insert(idempotency).values(wanted).onConflictDoNothing().returning();
  if (taken) return null;
  const [found] = await db.select().from(idempotency).where(mine);
  if (!found && here) throw stillGoing();
  // Its first try was refused just now, so that the key is free again.
  if (!found) return known(pool, call, here);
  if (found.call !== name)
    throw refuse(422, 'This Idempotency-Key belongs to another call.', 'Use a new key for each call.');
  if (found.body !== body)
    throw refuse(422, 'This Idempotency-Key came with another body before.', 'Use a new key for each call.');
  if (found.answer !== null) return { answer: found.answer };
  if (found.process === processId ? here : await isAlive(pool, found.process)) throw stillGoing();
  const written = await batchOf(pool, call);
  const [again] = await db
    .update(idempotency)
    .set({ process: processId, ...(written ? { answer: written } : {}) })
    .where(and(mine, eq(idempotency.process, found.process), isNull(idempotency.answer)))
    .returning();
  if (!again) return known(pool, call, here);
  return written ? { answer: written } : null;
}

const stillGoing = (): Refusal =>
  Object.assign(refuse(409, 'The call with this Idempotency-Key is still going on.', 'Ask again in a moment.'), {
    details: { going: true },
  });

/** What a call that was cut off wrote, if it did. */
async function batchOf(pool: Pool, { person, key }: SentCall): Promise<{ readonly batch: number } | undefined> {
  const [written] = await catalogueOn(pool)
    .select({ batch: batches.id })
    .from(batches)
    .where(and(eq(batches.person, person.id), eq(batches.call, key)));
  return written;
}
