import { hash, verify } from '@node-rs/argon2';
import { and, eq, ne, sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import pLimit from 'p-limit';
import { devices, memberships, people, sessions, tokens, workspaces } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { refuse, type Refusal } from '../base/refusal';
import { auditing } from './audit';
import { attemptWasRight, countAttempt, countPlace } from './attempts';
import { factorIsRight } from './secondFactor';
import { hashOfSecret, newSecret } from './secrets';
import { membershipIn, stillMember, type Membership, type Person } from './workspaceAccess';

export const sessionDays = 14;
/** In hours: a session that is not used for so long ends. */
export const idleHours = Number(process.env.LOOM_SESSION_IDLE_HOURS ?? 72);
/** So much of an address that is tried is kept. */
const mostName = 200;

/** argon2id with the library's defaults (OWASP's recommended parameters). */
export const hashPassword = (password: string): Promise<string> => hash(password);

// Verified when there is no such account, so that the time taken tells nothing.
const nobody = hash('no account has this password');

/** Looking at a password takes a processor for a while, which is the point; two at once leave the others free. */
const verifying = pLimit(2);

/** What a sign-in gives a browser to keep: the session's secret, and by what it is known again. */
export interface SignedIn {
  readonly session: string;
  readonly device: string;
}

/** Where a sign-in comes from: a network address, and what an earlier one left in the browser. */
export interface Origin {
  readonly place: string;
  readonly device?: string;
}

/** Signs in; the refusal does not tell which of the two was wrong. */
export async function signIn(
  pool: Pool,
  email: string,
  password: string,
  { place, device }: Origin,
  code = '',
): Promise<SignedIn> {
  const name = email.trim().toLowerCase();
  const db = catalogueOn(pool);
  if (!device) await countPlace(pool, place);
  const [found] = await db.select().from(people).where(eq(people.email, name));
  const known = found && device ? await isDeviceOf(pool, device, found.id) : false;
  const attempt = { account: name, place, knownDevice: known && device ? device : null };
  if (device && !known) await countPlace(pool, place);
  await countAttempt(pool, attempt);
  const right = await verifying(async () => verify(found?.passwordHash ?? (await nobody), password));
  if (!found?.passwordHash || found.deactivatedAt !== null || !right) {
    await auditing(pool, null, null, 'signInFailed', { account: name.slice(0, mostName) });
    throw refuse(401, 'Email or password is wrong.', 'Check both and try again.');
  }
  if (found.factor !== null && !(await factorIsRight(pool, found.id, found.factor, code))) {
    if (code.trim() === '') throw needsFactor('Type the number that your authenticator shows for Inner Loom.');
    await auditing(pool, null, null, 'signInFailed', { account: name.slice(0, mostName) });
    throw needsFactor('This number is not right, or was used before.');
  }
  await attemptWasRight(pool, attempt);
  await auditing(pool, found, null, 'signedIn', {});
  const session = await beginSession(pool, found.id);
  const kept = known && device ? device : newSecret();
  await db
    .insert(devices)
    .values({ hash: hashOfSecret(kept), person: found.id })
    .onConflictDoUpdate({ target: devices.hash, set: { usedAt: sql`now()` } });
  return { session, device: kept };
}

/** The password was right; `factor` tells the page to ask for the rest. */
const needsFactor = (words: string): Refusal =>
  Object.assign(refuse(401, words, 'A new one comes every 30 seconds.'), { details: { factor: true } });

/** Begins a session of somebody who has shown who they are; gives its secret. */
export async function beginSession(connection: Pool | Client, person: number): Promise<string> {
  const session = newSecret();
  await catalogueOn(connection)
    .insert(sessions)
    .values({
      hash: hashOfSecret(session),
      person,
      expiresAt: sql`now() + make_interval(days => ${sessionDays})`,
    });
  return session;
}

async function isDeviceOf(pool: Pool, device: string, person: number): Promise<boolean> {
  const found = await catalogueOn(pool)
    .select({ person: devices.person })
    .from(devices)
    .where(and(eq(devices.hash, hashOfSecret(device)), eq(devices.person, person)));
  return found.length > 0;
}

/**
 * Takes away what has had its time: sessions and invitations that ended, tries that no longer count, devices not used for a year,
 * answers kept for a week.
 */
export async function purgeExpired(pool: Pool): Promise<void> {
  await pool.query(
    `delete from loom.sessions where expires_at < now() or used_at < now() - make_interval(hours => ${idleHours})`,
  );
  await pool.query(`delete from loom.invitations where ends_at < now()`);
  await pool.query(`delete from loom.attempts where expire < extract(epoch from now()) * 1000`);
  await pool.query(`delete from loom.devices where used_at < now() - interval '400 days'`);
  await pool.query(`delete from loom.token_calls where at < now() - interval '30 days'`);
  await pool.query(`delete from loom.idempotency where at < now() - interval '7 days'`);
  // A key that is forgotten may be used anew.
  await pool.query(
    `update loom.batches b set call = null where call is not null
       and not exists (select 1 from loom.idempotency i where i.person = b.person and i.key = b.call)`,
  );
}

export async function signOut(pool: Pool, secret: string): Promise<void> {
  await catalogueOn(pool)
    .delete(sessions)
    .where(eq(sessions.hash, hashOfSecret(secret)));
}

/** Ends all sessions of a person but the one with this secret; gives how many. */
export async function endSessions(pool: Pool, { id }: Person, but: string): Promise<number> {
  const ended = await catalogueOn(pool)
    .delete(sessions)
    .where(and(eq(sessions.person, id), ne(sessions.hash, hashOfSecret(but))))
    .returning({ person: sessions.person });
  return ended.length;
}

const personColumns = { id: people.id, email: people.email, name: people.name, language: people.language };

/** Whoever calls, and what they are in the workspace that they ask for. */
export interface Caller {
  readonly person: Person;
  readonly membership?: Membership;
}

/** What a call shows of who sends it: the session of a browser, or the token of a program. */
export interface Credential {
  readonly is: 'session' | 'token';
  readonly secret: string;
}

/** Whom a credential stands for, as a statement without parameters. */
const personBy = ({ is, secret }: Credential): string => {
  const hash = `'\\x${hashOfSecret(secret).toString('hex')}'::bytea`;
  const [table, holds] =
    is === 'session'
      ? ['sessions', `c.expires_at > now() and c.used_at > now() - make_interval(hours => ${idleHours})`]
      : ['tokens', `coalesce(c.ends_at, 'infinity') > now()`];
  return `select c.person from loom.${table} c join loom.people a on a.id = c.person and a.deactivated_at is null
    where c.hash = ${hash} and ${holds}`;
};

/** Whom a credential stands for, in one round trip, as every call begins with it. */
export async function callerOf(pool: Pool, credential: Credential, workspace = ''): Promise<Caller | null> {
  const { columns, workspace: named, member } = membershipIn(workspace);
  const [found] = await catalogueOn(pool)
    .select({
      person: personColumns,
      isSeen: sql<boolean>`
        coalesce(${credential.is === 'token' ? tokens.usedAt : sessions.usedAt} > now() - interval '1 minute', false)
          and coalesce(${people.seenAt} > now() - interval '1 minute', false)
      `,
      token: { id: tokens.id, role: tokens.role, workspace: tokens.workspace, tables: tokens.tables },
      ...columns,
    })
    .from(people)
    .leftJoin(workspaces, named)
    .leftJoin(memberships, member)
    .leftJoin(tokens, credential.is === 'token' ? eq(tokens.hash, hashOfSecret(credential.secret)) : sql`false`)
    .leftJoin(sessions, credential.is === 'session' ? eq(sessions.hash, hashOfSecret(credential.secret)) : sql`false`)
    .where(sql`${people.id} = (${sql.raw(personBy(credential))})`);
  lately.delete(placeOf(credential, workspace));
  if (!found) return null;
  const { state, role, token, isSeen } = found;
  const person: Person = token ? { ...found.person, limits: limitsOf(token) } : found.person;
  if (!isSeen) await wasSeen(pool, person, credential);
  if (!state || !role) return { person, membership: { workspace, found: null } };
  const caller = { person, membership: { workspace, found: { ...state, role } } };
  const still = stillMember({ person: person.id, workspace: state.id, role }, personBy(credential));
  lately.set(placeOf(credential, workspace), { ...caller, membership: { ...caller.membership, still } });
  return caller;
}

const limitsOf = ({
  id: token,
  ...limits
}: Pick<typeof tokens.$inferSelect, 'id' | 'role' | 'workspace' | 'tables'>) => ({
  token,
  ...limits,
});

/** Remembers when somebody, and what they came with, was there last: once a minute. */
async function wasSeen(pool: Pool, { id }: Person, { is, secret }: Credential): Promise<void> {
  await catalogueOn(pool)
    .update(people)
    .set({ seenAt: sql`now()` })
    .where(eq(people.id, id));
  const shown = is === 'token' ? tokens : sessions;
  await catalogueOn(pool)
    .update(shown)
    .set({ usedAt: sql`now()` })
    .where(eq(shown.hash, hashOfSecret(secret)));
}

/**
 * Callers as they were found last. Whoever goes by one looks whether it is still so (`Membership.still`); what was found
 * for the call itself holds for what it begins, however long that goes on.
 */
const lately = new LRUCache<string, Caller>({ max: 2_000, ttl: 60_000 });
const placeOf = (credential: Credential, workspace: string): string => `${personBy(credential)} ${workspace}`;

/** The same for a call that writes in one transaction, which looks itself whether it is so: as it was found last. */
export const recalledCaller = async (pool: Pool, credential: Credential, workspace: string): Promise<Caller | null> =>
  lately.get(placeOf(credential, workspace)) ?? (await callerOf(pool, credential, workspace));
