import { createHmac } from 'node:crypto';
import { lookup } from 'node:dns';
import { request as overHttp } from 'node:http';
import { request as overHttps } from 'node:https';
import { isIP, type LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';
import { refuse } from '../base/refusal';

/** In milliseconds: how long a receiver has to answer; and how much of its answer is kept, in characters. */
const patience = 10_000;
const mostAnswer = 500;

/** What became of something that was sent: an answer with its status, or why there is none. */
export interface Sent {
  readonly status: number | null;
  readonly answer: string;
}

/** Whether an address is one that anybody on the internet may have: not this machine, nor one of a private network. */
const isPublic = (address: string): boolean => ipaddr.process(address).range() === 'unicast';

const notPublic = 'This address is of this machine or a private network, to which nothing is sent.';

/** The stand-in for the web, where it ships: a page of this very server that receives what is sent. */
const standInPath = '/stand-ins/web/';
const isStandIn = ({ origin, pathname }: URL): boolean =>
  standInsAreOn() && origin === process.env.ORIGIN && pathname.startsWith(standInPath);

/** Whether this server has stand-ins for the services of others, as the demo does. */
export const standInsAreOn = (): boolean => process.env.LOOM_STAND_INS === '1';

/** An address to which something may be sent; refuses every other. What its name leads to is looked at once it is sent. */
export function outboundUrl(text: string): URL {
  // The stand-in is where this server is, wherever that is just now.
  const base = standInsAreOn() && text.startsWith(standInPath) ? process.env.ORIGIN : undefined;
  const url = URL.canParse(text, base) ? new URL(text, base) : null;
  if (!url || !['https:', 'http:'].includes(url.protocol))
    throw refuse(422, 'This is no address of the web.', 'Write it with https:// at its beginning.', '/url');
  if (url.username !== '' || url.password !== '')
    throw refuse(422, 'The address holds a name or a password.', 'Leave it out: what is sent is signed.', '/url');
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (!isStandIn(url) && ((isIP(host) !== 0 && !isPublic(host)) || /(?:^|\.)localhost$/i.test(host)))
    throw refuse(422, notPublic, 'Use the address of a server on the internet.', '/url');
  return url;
}

/** Finds the address of a name, which is looked at in the moment of connecting: a name may lead elsewhere each time. */
const publicOnly: LookupFunction = (host, options, found) =>
  lookup(host, { ...options, all: true }, (error, all) => {
    const open = (all ?? []).filter(({ address }) => isPublic(address));
    const [first] = open;
    if (error || !first) return found(error ?? new Error(notPublic), '', 0);
    if (options.all) return found(null, open);
    found(null, first.address, first.family);
  });

/** As much of a text as is kept, of characters that can be. */
const keptText = (text: string): string => text.replaceAll('\0', '').slice(0, mostAnswer).toWellFormed();

/** Sends JSON to an address as one POST; no redirect is followed. */
export function send(url: URL, body: string, headers: Readonly<Record<string, string>>): Promise<Sent> {
  const over = url.protocol === 'https:' ? overHttps : overHttp;
  return new Promise((resolve) => {
    const told = (status: number | null, answer: string) => resolve({ status, answer: keptText(answer) });
    const request = over(
      url,
      {
        method: 'POST',
        agent: false,
        signal: AbortSignal.timeout(patience),
        headers: { ...headers, 'content-type': 'application/json', 'content-length': Buffer.byteLength(body) },
        ...(isStandIn(url) ? {} : { lookup: publicOnly }),
      },
      (response) => {
        let text = '';
        const done = () => told(response.statusCode ?? null, text);
        response.setEncoding('utf8');
        response.on('data', (chunk: string) => {
          text += chunk;
          if (text.length < mostAnswer) return;
          done();
          request.destroy();
        });
        response.on('end', done).on('error', done);
      },
    );
    request.on('error', (error) =>
      told(null, error.name === 'TimeoutError' ? 'It did not answer within 10 seconds.' : error.message),
    );
    request.end(body);
  });
}

/** The beginning of a secret by which a signature is told from other ones. */
const secretMark = 'whsec_';
export const webhookSecret = (random: Buffer): string => secretMark + random.toString('base64');

/**
 * The headers that sign what is sent (Standard Webhooks 1.0, www.standardwebhooks.com): HMAC-SHA-256 over its number,
 * the time in seconds, and the body.
 */
export function signed(secret: string, id: string, body: string, at = Date.now()): Record<string, string> {
  const timestamp = String(Math.floor(at / 1000));
  const key = Buffer.from(secret.slice(secretMark.length), 'base64');
  const signature = createHmac('sha256', key).update(`${id}.${timestamp}.${body}`).digest('base64');
  return { 'webhook-id': id, 'webhook-timestamp': timestamp, 'webhook-signature': `v1,${signature}` };
}
