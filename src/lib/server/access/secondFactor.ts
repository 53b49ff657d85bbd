import { verify } from '@node-rs/argon2';
import { and, eq, isNull, lt, or } from 'drizzle-orm';
import { Secret, TOTP } from 'otpauth';
import QRCode from 'qrcode';
import { people } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { inTransaction } from '../database/transaction';
import { refuse } from '../base/refusal';
import { attemptWasRight, countAttempt } from './attempts';
import { auditing } from './audit';
import type { Person } from './models';

/** In seconds: how long each number holds; one that is a step early or late is taken, too (RFC 6238, 5.2). */
const period = 30;
/** 160 bits, as RFC 4226 recommends; in base 32. */
const secretBytes = 20;
const isSecret = /^[A-Z2-7]{32}$/;

const generator = (secret: string, account = ''): TOTP =>
  new TOTP({ issuer: 'Inner Loom', label: account, secret: Secret.fromBase32(secret), digits: 6, period });

/** A second factor to be set up: its secret, as text and as a picture that an authenticator reads. */
export interface NewFactor {
  readonly secret: string;
  /** An SVG as an address (RFC 2397). */
  readonly picture: string;
}

export async function newFactor({ email }: Person): Promise<NewFactor> {
  const secret = new Secret({ size: secretBytes }).base32;
  const svg = await QRCode.toString(generator(secret, email).toString(), { type: 'svg', margin: 1 });
  return { secret, picture: `data:image/svg+xml;base64,${Buffer.from(svg).toString('base64')}` };
}

/** The step of time whose number this is; null where it is none of now. */
function stepOf(secret: string, code: string): number | null {
  const delta = generator(secret).validate({ token: code.replace(/\s/g, ''), window: 1 });
  return delta === null ? null : Math.floor(Date.now() / 1000 / period) + delta;
}

/** Sets up a second factor, once its owner has shown that they have it. */
export async function setFactor(pool: Pool, person: Person, secret: string, code: string): Promise<void> {
  const step = isSecret.test(secret) ? stepOf(secret, code) : null;
  if (step === null)
    throw refuse(422, 'This is not the number that belongs to it now.', 'Type the newest one.', '/code');
  await inTransaction(pool, 'select 1', async (client) => {
    const set = await catalogueOn(client)
      .update(people)
      .set({ factor: secret, factorStep: step })
      .where(and(eq(people.id, person.id), isNull(people.factor)))
      .returning({ id: people.id });
    if (set.length === 0) throw refuse(409, 'You have a second factor already.', 'Remove it first.');
    await auditing(client, person, null, 'factorSet', {});
  });
}

/** Takes the number of a factor, each once; whether it is right. */
export async function factorIsRight(pool: Pool, person: number, secret: string, code: string): Promise<boolean> {
  const step = stepOf(secret, code);
  if (step === null) return false;
  const taken = await catalogueOn(pool)
    .update(people)
    .set({ factorStep: step })
    .where(and(eq(people.id, person), or(isNull(people.factorStep), lt(people.factorStep, step))))
    .returning({ id: people.id });
  return taken.length === 1;
}

/** Removes it again, for who knows the password. */
export async function removeFactor(pool: Pool, person: Person, password: string): Promise<void> {
  const db = catalogueOn(pool);
  const attempt = { account: person.email, place: 'account', knownDevice: 'account' };
  await countAttempt(pool, attempt);
  const [found] = await db.select({ hash: people.passwordHash }).from(people).where(eq(people.id, person.id));
  if (!found?.hash || !(await verify(found.hash, password)))
    throw refuse(422, 'The password is wrong.', 'Type the one with which you sign in.', '/password');
  await attemptWasRight(pool, attempt);
  await db.update(people).set({ factor: null, factorStep: null }).where(eq(people.id, person.id));
  await auditing(pool, person, null, 'factorRemoved', {});
}

export async function hasFactor(pool: Pool, { id }: Person): Promise<boolean> {
  const [found] = await catalogueOn(pool).select({ factor: people.factor }).from(people).where(eq(people.id, id));
  return found?.factor != null;
}
