import { createHash, randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import { and, eq, gt, sql } from 'drizzle-orm';
import { people, sessions, tokens } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { refuse } from '../refusal';
import type { Person } from './seat';

export const sessionDays = 14;

const hashed = (secret: string): Buffer => createHash('sha256').update(secret).digest();
const newSecret = (): string => randomBytes(32).toString('base64url');

/** argon2id with the library's defaults (OWASP's recommended parameters). */
export const hashPassword = (password: string): Promise<string> => hash(password);

// Verified when there is no such account, so that the time taken tells nothing.
const nobody = hash('no account has this password');

/** Wrong passwords by email in the last minutes: more than `mostFailures` are refused for a while. */
const failures = new Map<string, { count: number; until: number }>();
const mostFailures = 10;
const failureWindow = 5 * 60_000;

/** A new session's secret for the cookie, or a refusal that does not tell which of the two was wrong. */
export async function signIn(pool: Pool, email: string, password: string): Promise<string> {
  const name = email.trim().toLowerCase();
  const failed = failures.get(name);
  if (failed && failed.until > Date.now() && failed.count >= mostFailures)
    throw refuse(429, 'Too many wrong passwords for this address.', 'Try again in five minutes.');
  const db = catalogueOn(pool);
  const [found] = await db.select().from(people).where(eq(people.email, name));
  const right = await verify(found?.passwordHash ?? (await nobody), password);
  if (!found?.passwordHash || !right) {
    if (failures.size > 10_000) failures.clear();
    failures.set(name, { count: (failed && failed.until > Date.now() ? failed.count : 0) + 1, until: Date.now() + failureWindow });
    throw refuse(401, 'Email or password is wrong.', 'Check both and try again.');
  }
  failures.delete(name);
  const secret = newSecret();
  await db.insert(sessions).values({ hash: hashed(secret), person: found.id, expiresAt: sql`now() + make_interval(days => ${sessionDays})` });
  return secret;
}

export async function signOut(pool: Pool, secret: string): Promise<void> {
  await catalogueOn(pool)
    .delete(sessions)
    .where(eq(sessions.hash, hashed(secret)));
}

const personColumns = { id: people.id, email: people.email, name: people.name };

export async function personOfSession(pool: Pool, secret: string): Promise<Person | null> {
  const [found] = await catalogueOn(pool)
    .select(personColumns)
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.person))
    .where(and(eq(sessions.hash, hashed(secret)), gt(sessions.expiresAt, sql`now()`)));
  return found ?? null;
}

export async function personOfToken(pool: Pool, secret: string): Promise<Person | null> {
  const [found] = await catalogueOn(pool)
    .select(personColumns)
    .from(tokens)
    .innerJoin(people, eq(people.id, tokens.person))
    .where(eq(tokens.hash, hashed(secret)));
  return found ?? null;
}

/** A token for programs; shown once, kept as its hash. */
export async function makeToken(pool: Pool, email: string, label: string): Promise<string> {
  const db = catalogueOn(pool);
  const [person] = await db.select(personColumns).from(people).where(eq(people.email, email.toLowerCase()));
  if (!person) throw refuse(404, `There is no person ${email} here.`, 'Use one of the addresses that ./loom demo prints.');
  const secret = newSecret();
  await db.insert(tokens).values({ hash: hashed(secret), person: person.id, label });
  return secret;
}
