import { and, eq, gt, sql as catalogueSql } from 'drizzle-orm';
import { invitations, outbox, people } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { inTransaction } from '../database/transaction';
import { refuse } from '../base/refusal';
import { auditing } from './audit';
import type { Person } from './models';
import { hashOfSecret, newSecret } from './secrets';
import { hashPassword } from './signIn';

/** So long an invitation can be used, in days. */
const invitationDays = 7;
/** The shortest password that is taken (NIST SP 800-63B, 5.1.1.2). */
export const leastPassword = 8;

/**
 * Writes somebody that they are in, with the address at which they set a password where they have none; `to` is the
 * workspace they are invited to, by its label.
 */
export async function invite(
  client: Client,
  by: Person,
  { id, name, email }: Pick<Person, 'id' | 'name' | 'email'>,
  origin: string,
  to: string | null,
  hasPassword = false,
): Promise<void> {
  const secret = hasPassword ? null : newSecret();
  if (secret !== null)
    await catalogueOn(client)
      .insert(invitations)
      .values({
        hash: hashOfSecret(secret),
        person: id,
        endsAt: catalogueSql`now() + make_interval(days => ${invitationDays})`,
      });
  const where =
    to === null
      ? `${by.name} added you to the Directory of Inner Loom.`
      : `${by.name} invites you to the workspace “${to}” in Inner Loom.`;
  const how =
    secret === null
      ? ['It stands on your Home from now on:', `${origin}/`]
      : [`Set a password here, within ${invitationDays} days:`, `${origin}/invited/${secret}`];
  await catalogueOn(client)
    .insert(outbox)
    .values({
      recipient: email,
      subject: to === null ? 'Your account in Inner Loom' : `${by.name} invites you to ${to}`,
      body: [`Hello ${name},`, where, ...how, 'If you did not expect this, leave it.'].join('\n\n'),
      person: by.id,
    });
}

/** Whom an address is for; null where it was used, has ended, or never was. */
export async function invitedBy(
  connection: Pool | Client,
  secret: string,
): Promise<{ id: number; name: string; email: string } | null> {
  const [found] = await catalogueOn(connection)
    .select({ id: people.id, name: people.name, email: people.email })
    .from(invitations)
    .innerJoin(people, eq(people.id, invitations.person))
    .where(
      and(
        eq(invitations.hash, hashOfSecret(secret)),
        gt(invitations.endsAt, catalogueSql`now()`),
        catalogueSql`${people.deactivatedAt} is null`,
      ),
    );
  return found ?? null;
}

/** Sets the password of whom an address is for; it is used up by that, with all others for them. Gives the account. */
export async function acceptInvitation(pool: Pool, secret: string, password: string): Promise<string> {
  if (password.length < leastPassword)
    throw refuse(422, `A password has ${leastPassword} characters or more.`, 'Use a few words.', '/password');
  const passwordHash = await hashPassword(password);
  return inTransaction(pool, 'select 1', async (client) => {
    const found = await invitedBy(client, secret);
    const used = await catalogueOn(client)
      .delete(invitations)
      .where(eq(invitations.person, found?.id ?? 0))
      .returning({ person: invitations.person });
    if (!found || used.length === 0)
      throw refuse(410, 'This address was used, or has ended.', 'Ask for another invitation.');
    await catalogueOn(client).update(people).set({ passwordHash }).where(eq(people.id, found.id));
    await auditing(client, found, null, 'passwordSet', {});
    return found.email;
  });
}
