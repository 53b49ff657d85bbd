import { createHash } from 'node:crypto';
import { and, eq } from 'drizzle-orm';
import type { Person } from '../access/models';
import { batches, idempotency } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { refuse } from '../refusal';
import { isAlive, processId } from './processId';

/** A write as it came: who sends it, which call it is, and what it says. */
export interface KeyedCall {
  readonly person: Pick<Person, 'id'>;
  readonly key: string;
  /** Method and path. */
  readonly name: string;
  /** As it was sent. */
  readonly body: string;
}

const mostKey = 200;

/**
 * Does a write that carries an Idempotency-Key once: the same key again gets the same answer. Another call or another body
 * under a key that was used is refused. A call that was cut off with its process is done again if nothing came of it; else
 * its batch is the answer.
 */
export async function onceOnly(pool: Pool, { person, key, name, body }: KeyedCall, work: () => Promise<unknown>): Promise<unknown> {
  if (key.length > mostKey) throw refuse(400, `The Idempotency-Key has more than ${mostKey} characters.`, 'Use a UUID.');
  const db = catalogueOn(pool);
  const mine = and(eq(idempotency.person, person.id), eq(idempotency.key, key));
  const digest = createHash('sha256').update(body).digest('base64url');
  const wanted = { person: person.id, key, call: name, body: digest, process: processId };
  const [taken] = await db.insert(idempotency).values(wanted).onConflictDoNothing().returning();
  if (!taken) {
    const [known] = await db.select().from(idempotency).where(mine);
    // Its first try was refused just now, so that the key is free again.
    if (!known) return onceOnly(pool, { person, key, name, body }, work);
    if (known.call !== name) throw refuse(422, 'This Idempotency-Key belongs to another call.', 'Use a new key for each call.');
    if (known.body !== digest) throw refuse(422, 'This Idempotency-Key came with another body before.', 'Use a new key for each call.');
    if (known.answer !== null) return known.answer;
    if (await isAlive(pool, known.process))
      throw Object.assign(refuse(409, 'The call with this Idempotency-Key is still going on.', 'Ask again in a moment.'), { details: { going: true } });
    const [done] = await db
      .select({ batch: batches.id })
      .from(batches)
      .where(and(eq(batches.person, person.id), eq(batches.call, key)));
    const [again] = await db
      .update(idempotency)
      .set({ process: processId, ...(done ? { answer: { batch: done.batch } } : {}) })
      .where(and(mine, eq(idempotency.process, known.process)))
      .returning();
    if (!again) return onceOnly(pool, { person, key, name, body }, work);
    if (done) return { batch: done.batch };
  }
  try {
    const answer = await work();
    await db
      .update(idempotency)
      .set({ answer: answer ?? {} })
      .where(mine);
    return answer;
  } catch (error) {
    await db.delete(idempotency).where(mine);
    throw error;
  }
}
