import * as oidc from 'openid-client';
import { and, eq, inArray } from 'drizzle-orm';
import { groupPeople, groups, identities, people } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { lookAgain } from '../database/changeEvents';
import { inTransaction } from '../database/transaction';
import { log } from '../base/log';
import { refuse } from '../base/refusal';
import { auditing } from './audit';
import { madePerson, workspacesWith } from './directory';
import type { Person } from './models';
import { beginSession } from './signIn';

/** The organisation's OpenID Connect provider, where one is set. */
interface Provider {
  readonly issuer: URL;
  readonly client: string;
  readonly secret: string;
  /** What it is called on the page where one signs in. */
  readonly label: string;
  /** The claim that names somebody's groups. */
  readonly groups: string;
}

/** As whoever runs the server sets it; null where people sign in with passwords alone. */
export function provider(): Provider | null {
  const { LOOM_OIDC_ISSUER: issuer, LOOM_OIDC_CLIENT: client, LOOM_OIDC_SECRET: secret } = process.env;
  if (!issuer || !client || !secret) return null;
  const { LOOM_OIDC_LABEL: label = 'your organisation', LOOM_OIDC_GROUPS: claim = 'groups' } = process.env;
  return { issuer: new URL(issuer), client, secret, label, groups: claim };
}

const needed = (): Provider => {
  const known = provider();
  if (!known) throw refuse(404, 'There is no such way to sign in here.', 'Sign in with your password.');
  return known;
};

let found: { readonly at: number; readonly config: oidc.Configuration } | null = null;
/** In milliseconds: its keys and addresses are looked up anew so often. */
const foundFor = 600_000;

/** What the provider says of itself. Plain HTTP is for one on this machine only, as in the demo. */
async function configuration({ issuer, client, secret }: Provider): Promise<oidc.Configuration> {
  if (found && Date.now() - found.at < foundFor) return found.config;
  const isHere = issuer.protocol === 'http:' && ['127.0.0.1', '[::1]', 'localhost'].includes(issuer.hostname);
  try {
    const config = await oidc.discovery(
      issuer,
      client,
      secret,
      undefined,
      isHere ? { execute: [oidc.allowInsecureRequests] } : {},
    );
    found = { at: Date.now(), config };
    return config;
  } catch (error) {
    log.incident(error);
    throw refuse(503, 'The sign-in of your organisation cannot be reached.', 'Try again in a few minutes.');
  }
}

/** What a browser keeps between going to the provider and coming back, so that nobody else's answer is taken. */
export interface Going {
  readonly verifier: string;
  readonly state: string;
  readonly nonce: string;
  /** Where one wanted to go. */
  readonly to: string;
}

const backAt = (origin: string): string => `${origin}/sign-in/back`;

/** Where one signs in with the provider (OpenID Connect Core 1.0, 3.1, with RFC 7636). */
export async function goToProvider(origin: string, to: string): Promise<{ readonly url: URL; readonly going: Going }> {
  const config = await configuration(needed());
  const going = {
    verifier: oidc.randomPKCECodeVerifier(),
    state: oidc.randomState(),
    nonce: oidc.randomNonce(),
    to,
  };
  const url = oidc.buildAuthorizationUrl(config, {
    redirect_uri: backAt(origin),
    scope: process.env.LOOM_OIDC_SCOPE ?? 'openid email profile groups',
    code_challenge: await oidc.calculatePKCECodeChallenge(going.verifier),
    code_challenge_method: 'S256',
    state: going.state,
    nonce: going.nonce,
  });
  return { url, going };
}

interface Claims {
  readonly issuer: string;
  readonly subject: string;
  readonly email: string;
  readonly isVerified: boolean;
  readonly name: string;
  /** Null where it says nothing of groups. */
  readonly groups: readonly string[] | null;
}

/** Signs in whoever came back from the provider; gives the session's secret. */
export async function comeBack(pool: Pool, url: URL, origin: string, going: Going): Promise<string> {
  const known = needed();
  const config = await configuration(known);
  const here = new URL(backAt(origin));
  here.search = url.search;
  const claims = await claimsFrom(config, here, going, known).catch((error: unknown) => {
    log.warn('a sign-in with the provider failed', { error: error instanceof Error ? error.message : String(error) });
    throw refuse(401, 'You were not signed in.', 'Begin again.');
  });
  return inTransaction(pool, 'select 1', async (client) => {
    const person = await personFor(client, claims);
    await followGroups(client, person, claims.groups);
    await auditing(client, person, null, 'signedIn', { with: known.label });
    return beginSession(client, person.id);
  });
}

async function claimsFrom(
  config: oidc.Configuration,
  here: URL,
  { verifier, state, nonce }: Going,
  { groups: claim }: Provider,
): Promise<Claims> {
  const tokens = await oidc.authorizationCodeGrant(config, here, {
    pkceCodeVerifier: verifier,
    expectedState: state,
    expectedNonce: nonce,
    idTokenExpected: true,
  });
  const token = tokens.claims();
  if (!token) throw new Error('no ID token');
  // The rest may stand in the token or not, as the provider likes.
  const asks = config.serverMetadata().userinfo_endpoint !== undefined;
  const told = { ...(asks ? await oidc.fetchUserInfo(config, tokens.access_token, token.sub) : {}), ...token };
  const text = (value: unknown) => (typeof value === 'string' ? value.trim() : '');
  const named = told[claim];
  return {
    issuer: token.iss,
    subject: token.sub,
    email: text(told.email).toLowerCase(),
    isVerified: told.email_verified === true,
    name: text(told.name),
    groups: Array.isArray(named) ? named.filter((one): one is string => typeof one === 'string') : null,
  };
}

/**
 * Whom the Directory has for somebody the provider knows: who came by it before, else who has that address, if the
 * provider has made sure of it; else somebody new, who is in no workspace yet.
 */
async function personFor(client: Client, { issuer, subject, email, isVerified, name }: Claims): Promise<Person> {
  const db = catalogueOn(client);
  const columns = { id: people.id, email: people.email, name: people.name, deactivatedAt: people.deactivatedAt };
  const [before] = await db
    .select(columns)
    .from(identities)
    .innerJoin(people, eq(people.id, identities.person))
    .where(and(eq(identities.issuer, issuer), eq(identities.subject, subject)));
  const out = () => refuse(403, 'Your account here was deactivated.', 'Ask whoever manages the Directory.');
  if (before) {
    if (before.deactivatedAt !== null) throw out();
    return before;
  }
  if (email === '' || !isVerified)
    throw refuse(403, 'The sign-in did not say which address is yours.', 'Ask whoever runs it to send verified ones.');
  const [same] = await db.select(columns).from(people).where(eq(people.email, email));
  if (same && same.deactivatedAt !== null) throw out();
  const person = same ?? { id: await madePerson(client, { name: name || email, email }), email, name: name || email };
  await db.insert(identities).values({ issuer, subject, person: person.id });
  if (!same) await auditing(client, person, null, 'personAdded', { who: person.name });
  return person;
}

/** Puts somebody into those groups that follow the provider and that it names, and out of the others of these. */
async function followGroups(client: Client, { id }: Person, named: readonly string[] | null): Promise<void> {
  if (named === null) return;
  const db = catalogueOn(client);
  const following = await db
    .select({ id: groups.id, label: groups.label })
    .from(groups)
    .where(eq(groups.follows, true));
  const wanted = following.filter(({ label }) => named.includes(label)).map((one) => one.id);
  const before = await db
    .select({ group: groupPeople.group })
    .from(groupPeople)
    .where(
      and(
        eq(groupPeople.person, id),
        inArray(
          groupPeople.group,
          following.map((one) => one.id),
        ),
      ),
    );
  const was = before.map(({ group }) => group);
  const [come, go] = [wanted.filter((one) => !was.includes(one)), was.filter((one) => !wanted.includes(one))];
  if (come.length + go.length === 0) return;
  const there = await workspacesWith(client, [id]);
  if (go.length > 0)
    await db.delete(groupPeople).where(and(eq(groupPeople.person, id), inArray(groupPeople.group, go)));
  if (come.length > 0) await db.insert(groupPeople).values(come.map((group) => ({ group, person: id })));
  await lookAgain(client, [...new Set([...there, ...(await workspacesWith(client, [id]))])]);
}
