import { isDeepStrictEqual } from 'node:util';
import { json, type RequestEvent } from '@sveltejs/kit';
import Joi from 'joi';
import type { KeyedCall } from '../access/workspaceAccess';
import {
  nobodyOutside,
  authorize,
  type Membership,
  type Need,
  type Person,
  type WorkspaceAccess,
} from '../access/workspaceAccess';
import type { Caller } from '../access/signIn';
import type { Pool } from '../database/pool';
import { auditing } from '../access/audit';
import { poolBehind } from '../database/reading';
import { readAnew } from '../database/transaction';
import { Refusal, refuse } from '../base/refusal';
import { textWithin } from './body';
import { holdsOnlyText, parseJson } from './json';
import { linesType } from './lines';
import { digestOf, onceOnly } from './onceOnly';
import { problemResponse } from './problem';
import { download, sharing } from './shares';

export interface CallContext {
  readonly event: RequestEvent;
  readonly pool: Pool;
  readonly person: Person;
  readonly params: Readonly<Record<string, string>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly body: unknown;
  /** Where it has an Idempotency-Key. */
  readonly keyed?: KeyedCall;
  /** The person's place in the workspace, where it was taken before anything that they sent was read. */
  readonly entered?: WorkspaceAccess;
}

export interface WorkspaceCall extends CallContext {
  readonly access: WorkspaceAccess;
}

interface Described {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  /** As in OpenAPI: `/api/workspaces/{ws}`. */
  readonly path: string;
  readonly summary: string;
  readonly query?: Joi.ObjectSchema;
  readonly body?: Joi.Schema;
  /** Anybody may call it, signed in or not; it goes by what its path says. */
  readonly open?: true;
  /** The body is a stream that the handler reads itself. */
  readonly streams?: boolean;
  /** The answer is sent while it is made, for as long as its receiver takes. */
  readonly downloads?: true;
  /**
   * It changes nothing, though what it is asked stands in a body: begun anew where a change of the structure overtakes
   * it.
   */
  readonly reads?: true;
  /** What it writes is one transaction of a workspace, which keeps the call's answer. */
  readonly inOneTransaction?: true;
  /** What it answers is shown once, and kept under no Idempotency-Key. */
  readonly shownOnce?: true;
  /** All that it answers comes from within that transaction, which looks whether whoever calls is still so. */
  readonly recalls?: true;
  /** It answers one record, whose version its tag tells: `If-Match` of a change names it. */
  readonly versioned?: true;
  /** What is answered, in words. */
  readonly answers: string;
  /** The media types of files and streams that are answered. */
  readonly media?: readonly string[];
  /** What a stream holds, by media type; where Joi does not check it, as JSON Schema. */
  readonly sends?: Readonly<Record<string, Joi.Schema | Readonly<Record<string, unknown>>>>;
}

/** What a workspace is entered with; `membership` where it was read just now. */
type Entering = Pick<CallContext, 'pool' | 'person' | 'params'> & { readonly membership?: Membership | undefined };

/** One call of the API: described once, for the answer, for the refusals and for the OpenAPI document. */
export interface Endpoint<T = unknown> extends Described {
  readonly needs: Need | null;
  /** Takes the person's place in the workspace, or refuses it; null where the call is in none. */
  readonly enter: ((call: Entering) => Promise<WorkspaceAccess>) | null;
  readonly answer: (call: CallContext) => Promise<T>;
}

/** A call that anybody signed in may make. */
export const endpoint = <T>(described: Described & { answer: (call: CallContext) => Promise<T> }): Endpoint<T> => ({
  ...described,
  needs: null,
  enter: null,
});

/** A call inside a workspace, `{ws}`, for people who may do there what it needs. */
export function workspaceEndpoint<T>(
  described: Described & { needs: Need; answer: (call: WorkspaceCall) => Promise<T> },
): Endpoint<T> {
  const enter = ({ pool, person, params, membership }: Entering) =>
    authorize(pool, person, params.ws ?? '', described.needs, membership);
  return {
    ...described,
    enter,
    answer: async (call) => {
      const access = call.entered ?? (await enter(call));
      return described.answer({ ...call, access: call.keyed ? { ...access, call: call.keyed } : access });
    },
  };
}

const isRead = ({ method, reads }: Described): boolean => method === 'GET' || reads === true;

/** A key of no characters is none. */
const keyOf = ({ request }: RequestEvent): string | null => request.headers.get('idempotency-key') || null;

/**
 * So much of the connections for reading and for downloads one person has at once; some are always left for the others.
 * Who has read for five seconds on end goes on with one call at a time, for half of which they earn the right to more.
 */
const readShare = sharing({ most: 4, waiting: 200, budget: { most: 5_000, back: 0.5 } });
const downloadShare = sharing({ most: 2, waiting: 10 });

/** So much of an address is kept in the audit trail. */
const mostNoted = 1_000;
const mostBody = 32 * 1024 * 1024;

/**
 * A route's handler for an endpoint: parse, call, answer. Whoever writes in one transaction is taken as they were found
 * last, as it looks whether they are still so in the round trip that begins it; refused on the word of what was so
 * before, the call is made again.
 */
export const respond =
  (called: Endpoint) =>
  async (event: RequestEvent): Promise<Response> => {
    const { locals } = event;
    const recalled = called.recalls === true;
    try {
      const sent = called.body ? sentOnce(event, called) : () => Promise.resolve('');
      const caller = called.open ? { person: nobodyOutside } : await locals.caller(recalled);
      try {
        return await made(called, event, caller, sent);
      } catch (error) {
        if (!recalled || !(error instanceof Refusal)) throw error;
        const now = await locals.caller(false);
        if (isSame(now, caller)) throw error;
        return await made(called, event, now, sent);
      }
    } catch (error) {
      return problemResponse(error);
    }
  };

const onlyLooking = (as: string): Refusal =>
  refuse(
    403,
    `You look at this workspace as ${as} sees it, so nothing is written.`,
    'Stop looking as somebody else first.',
  );

const isSame = (one: Caller | null, other: Caller | null): boolean =>
  one?.person.id === other?.person.id && isDeepStrictEqual(one?.membership?.found, other?.membership?.found);

/** What was sent, read when it is first asked for. */
function sentOnce(event: RequestEvent, { open }: Endpoint): () => Promise<string> {
  let text: Promise<string> | null = null;
  return () => (text ??= textOf(event, open));
}

/** Makes a call for a caller: looks at their rights, reads what they sent, and answers. */
async function made(
  called: Endpoint,
  event: RequestEvent,
  caller: Caller | null,
  sent: () => Promise<string>,
): Promise<Response> {
  const { locals } = event;
  const pool = called.downloads ? locals.downloads : isRead(called) ? locals.reads : locals.pool;
  if (!caller) throw refuse(401, 'You are not signed in.', 'Sign in, or send a token: Authorization: Bearer …');
  const { person } = caller;
  const params = event.params as Record<string, string>;
  const enter = (membership?: Membership) => called.enter?.({ pool, person, params, membership });
  // Refused before what was sent is read; a read takes its access anew each time it begins.
  const entered = called.method === 'GET' ? undefined : await enter(caller.membership);
  if (entered?.seenAs !== undefined && !isRead(called)) throw onlyLooking(entered.seenAs);
  const text = await sent();
  const key = isRead(called) || called.streams || called.open || called.shownOnce ? null : keyOf(event);
  const name = `${called.method} ${event.url.pathname}`;
  const inOneTransaction = called.inOneTransaction ?? false;
  const keyed = key === null ? null : { key, name, body: digestOf(text), inOneTransaction };
  const once = async () => {
    const access = isRead(called) ? await enter() : entered;
    const query = checked(called.query, Object.fromEntries(event.url.searchParams), '?') as Record<string, unknown>;
    const body = called.body ? checked(called.body, jsonOf(text), '') : undefined;
    return called.answer({
      event,
      pool,
      person,
      params,
      query,
      body,
      ...(access ? { entered: access } : {}),
      ...(keyed ? { keyed } : {}),
    });
  };
  const answer = await (keyed
    ? onceOnly(pool, { person, ...keyed }, once)
    : called.downloads
      ? download(downloadShare, person.id, () => readAnew(once) as Promise<Response>).then(async (sent) => {
          const workspace = caller.membership?.found?.id ?? null;
          const call = `${event.url.pathname}${event.url.search}`.slice(0, mostNoted);
          await auditing(poolBehind(pool), person, workspace, 'exported', { call });
          return sent;
        })
      : isRead(called)
        ? readShare(person.id, () => readAnew(once))
        : once());
  if (answer instanceof Response) return called.downloads ? packed(event, answer) : answer;
  return called.method === 'GET' ? tagged(event, called, answer) : json(answer ?? null);
}

/**
 * What is read is answered with a tag of what it holds (RFC 9110, 8.8.3), of a record with its version; whoever shows
 * the same tag has it already.
 */
function tagged({ request }: RequestEvent, { versioned }: Endpoint, answer: unknown): Response {
  const text = JSON.stringify(answer ?? null);
  const version = versioned ? `${(answer as { readonly version: number }).version}.` : '';
  const etag = `"${version}${digestOf(text).slice(0, 22)}"`;
  const known = (request.headers.get('if-none-match') ?? '').split(',').map((one) => one.trim().replace(/^W\//, ''));
  if (known.includes(etag) || known.includes('*')) return new Response(null, { status: 304, headers: { etag } });
  return new Response(text, {
    headers: { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(text)), etag },
  });
}

/**
 * Lines that are taken out, packed on the way for whoever takes them so. Other files are not: browsers ask for it
 * unasked, and what is packed is made as fast as it can be, however slowly it is read, while others wait.
 */
function packed({ request }: RequestEvent, answer: Response): Response {
  const takes = /\bgzip\b(?!;\s*q=0(?:\.0*)?(?:,|$))/.test(request.headers.get('accept-encoding') ?? '');
  if (!takes || !answer.body || !answer.headers.get('content-type')?.startsWith(linesType)) return answer;
  const headers = new Headers(answer.headers);
  headers.set('content-encoding', 'gzip');
  headers.append('vary', 'accept-encoding');
  return new Response(answer.body.pipeThrough(new CompressionStream('gzip')), { status: answer.status, headers });
}

function checked(schema: Joi.Schema | undefined, value: unknown, root: string): unknown {
  if (!schema) return value;
  const { value: taken, error } = schema.validate(value, { abortEarly: true, convert: true });
  if (!error) return taken;
  const [detail] = error.details;
  throw refuse(
    400,
    `${detail?.message ?? 'The request is malformed'}.`.replaceAll('"', '”').replace('”', '“'),
    'See /api/openapi.json for what this call takes.',
    `${root}/${(detail?.path ?? []).join('/')}`,
  );
}

/** Whoever is not signed in sends less: a form's texts, not its files. */
const textOf = ({ request }: RequestEvent, open = false): Promise<string> =>
  open ? textWithin(request, 1024 * 1024, '1 MB') : textWithin(request, mostBody, '32 MB');

function jsonOf(text: string): unknown {
  if (text === '') return {};
  // What no text of the database can hold is found before it is looked for in every value (RFC 8259, section 8.2).
  if (/\\u(?:0000|d[89a-f])/i.test(text) && !holdsOnlyText(text))
    throw refuse(400, 'The body holds a NUL, or half of a character, which no text has.', 'Leave it out.');
  try {
    return parseJson(text);
  } catch {
    throw refuse(400, 'The body is no JSON.', 'Send JSON, with Content-Type: application/json.');
  }
}
