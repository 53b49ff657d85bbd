import { generateKeyPairSync, randomBytes } from 'node:crypto';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { Provider } from 'oidc-provider';

/** Somebody the stand-in signs in, and the groups that it says they are in. */
export interface ProviderPerson {
  readonly email: string;
  readonly name: string;
  readonly groups: readonly string[];
  /** Whether it has made sure of the address. */
  readonly isVerified?: boolean;
}

export interface ProviderWish {
  readonly port: number;
  readonly client: string;
  readonly secret: string;
  /** Where its client may be come back to. */
  readonly back: readonly string[];
  readonly people: readonly ProviderPerson[];
}

/**
 * The sign-in of an organisation, as a stand-in: an OpenID Connect provider on this machine, where one chooses who one
 * is instead of showing it.
 */
export function startProvider({ port, client, secret, back, people }: ProviderWish): Promise<Server> {
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
  const provider = new Provider(`http://127.0.0.1:${port}`, {
    clients: [
      {
        client_id: client,
        client_secret: secret,
        redirect_uris: [...back],
        grant_types: ['authorization_code'],
        response_types: ['code'],
      },
    ],
    claims: { openid: ['sub'], email: ['email', 'email_verified'], profile: ['name'], groups: ['groups'] },
    scopes: ['openid', 'email', 'profile', 'groups'],
    jwks: { keys: [{ ...privateKey.export({ format: 'jwk' }), alg: 'RS256', use: 'sig', kid: 'stand-in' }] },
    cookies: { keys: [randomBytes(24).toString('hex')] },
    features: { devInteractions: { enabled: false } },
    interactions: { url: (_, interaction) => `/choose/${interaction.uid}` },
    // Nobody is asked twice: what is asked for is given.
    loadExistingGrant: async (ctx) => {
      const grant = new ctx.oidc.provider.Grant({
        clientId: ctx.oidc.client?.clientId ?? '',
        accountId: ctx.oidc.session?.accountId ?? '',
      });
      grant.addOIDCScope('openid email profile groups');
      await grant.save();
      return grant;
    },
    findAccount: (_, id) => {
      const person = people.find(({ email }) => email === id);
      if (!person) return undefined;
      const { email, name, groups, isVerified = true } = person;
      return {
        accountId: id,
        claims: () => ({ sub: `staff-${id}`, email, email_verified: isVerified, name, groups: [...groups] }),
      };
    },
  });
  const answer = async (request: IncomingMessage, response: ServerResponse) => {
    const url = new URL(request.url ?? '/', `http://127.0.0.1:${port}`);
    if (!url.pathname.startsWith('/choose/')) return provider.callback()(request, response);
    const chosen = url.searchParams.get('as');
    if (people.some(({ email }) => email === chosen))
      return provider.interactionFinished(request, response, { login: { accountId: chosen ?? '' } });
    const choices = people.map(({ email, name }) => `<li><a href="?as=${encodeURIComponent(email)}">${name}</a></li>`);
    response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(
      `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
       <title>Sign-in of Alderfold</title><body style="font:16px sans-serif;max-width:28em;margin:4em auto;line-height:2">
       <h1 style="font-size:22px">Sign-in of Alderfold</h1><p>A stand-in: choose who you are.</p><ul>${choices.join('')}</ul>`,
    );
  };
  const server = createServer((request, response) => {
    answer(request, response).catch((error: unknown) => {
      console.error(error);
      response.writeHead(500).end();
    });
  });
  return new Promise((resolve) => server.listen(port, '127.0.0.1', () => resolve(server)));
}
