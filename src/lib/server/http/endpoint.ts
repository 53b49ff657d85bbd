import { json, type RequestEvent } from '@sveltejs/kit';
import Joi from 'joi';
import { nobodyOutside, takeSeat, type Person, type Seat } from '../access/seat';
import type { Role } from '../database/catalogue';
import type { Pool } from '../database/pool';
import { errorCode, readAnew } from '../database/transaction';
import { busy, Refusal, refuse } from '../refusal';
import { parseJson } from './json';
import { log } from './log';
import { onceOnly } from './onceOnly';

export interface CallContext {
  readonly event: RequestEvent;
  readonly pool: Pool;
  readonly person: Person;
  readonly params: Readonly<Record<string, string>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly body: unknown;
}

export interface WorkspaceCall extends CallContext {
  readonly seat: Seat;
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
  /** It changes nothing, though what it is asked stands in a body: begun anew where a change of the structure overtakes it. */
  readonly reads?: true;
  /** What is answered, in words. */
  readonly answers: string;
}

/** One call of the API: described once, for the answer, for the refusals and for the OpenAPI document. */
export interface Endpoint extends Described {
  readonly role: Role | null;
  readonly answer: (call: CallContext) => Promise<unknown>;
}

/** A call that anybody signed in may make. */
export const endpoint = (described: Described & { answer: (call: CallContext) => Promise<unknown> }): Endpoint => ({ ...described, role: null });

/** A call inside a workspace, `{ws}`, for people with at least this role there. */
export const workspaceEndpoint = (described: Described & { role: Role; answer: (call: WorkspaceCall) => Promise<unknown> }): Endpoint => ({
  ...described,
  answer: async (call) => {
    const seat = await takeSeat(call.pool, call.person, call.params.ws ?? '', described.role);
    const key = isRead(described) ? null : keyOf(call.event);
    return described.answer({ ...call, seat: key ? { ...seat, call: key } : seat });
  },
});

const isRead = ({ method, reads }: Described): boolean => method === 'GET' || reads === true;

const keyOf = ({ request }: RequestEvent): string | null => request.headers.get('idempotency-key');

const mostBody = 32 * 1024 * 1024;

/** A route's handler for an endpoint: parse, call, answer. */
export const respond =
  (called: Endpoint) =>
  async (event: RequestEvent): Promise<Response> => {
    try {
      const { pool } = event.locals;
      const person = called.open ? nobodyOutside : event.locals.person;
      if (!person) throw refuse(401, 'You are not signed in.', 'Sign in, or send a token: Authorization: Bearer …');
      const query = checked(called.query, Object.fromEntries(event.url.searchParams), '?') as Record<string, unknown>;
      const sent = called.body ? await textOf(event) : '';
      const body = called.body ? checked(called.body, jsonOf(sent), '') : undefined;
      const call: CallContext = { event, pool, person, params: event.params as Record<string, string>, query, body };
      const key = isRead(called) || called.streams || called.open ? null : keyOf(event);
      const keyed = key && { person, key, name: `${called.method} ${event.url.pathname}`, body: sent };
      const once = () => called.answer(call);
      const answer = await (keyed ? onceOnly(pool, keyed, once) : isRead(called) ? readAnew(once) : once());
      return answer instanceof Response ? answer : json(answer ?? null);
    } catch (error) {
      return problemResponse(error);
    }
  };

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

async function textOf({ request }: RequestEvent): Promise<string> {
  const text = await request.text();
  if (text.length > mostBody) throw refuse(413, 'The request is larger than 32 MB.', 'Send it in parts.');
  return text;
}

function jsonOf(text: string): unknown {
  if (text === '') return {};
  try {
    return parseJson(text);
  } catch {
    throw refuse(400, 'The body is no JSON.', 'Send JSON, with Content-Type: application/json.');
  }
}

const titles: Record<number, string> = {
  400: 'Malformed',
  401: 'Not signed in',
  403: 'Not allowed',
  404: 'Not here',
  409: 'Clash',
  410: 'Ended',
  413: 'Too large',
  422: 'Cannot be done',
  429: 'Too many',
  503: 'Not now',
  500: 'Fault',
};

const unreachable = new Set(['ECONNREFUSED', 'ECONNRESET', '57P01', '57P03', '08006', '08003']);
/** Waited too long: for a lock that somebody else holds, or for a free connection. */
const isBusy = (error: unknown, code: string): boolean =>
  code === '55P03' || (error instanceof Error && error.message.includes('timeout exceeded when trying to connect'));
/** In seconds: when it is worth another try. */
const retryAfter = 5;

/** RFC 9457 problem details; what is no refusal is logged and shown as an id only. */
export function problemResponse(error: unknown): Response {
  if (error instanceof Refusal) {
    const { message, fix, at } = error.problem;
    const later: Record<string, string> = error.status === 503 ? { 'retry-after': String(retryAfter) } : {};
    return problem(error.status, { detail: message, fix, at, ...error.details }, later);
  }
  const code = errorCode(error) ?? (error as { code?: string } | null)?.code ?? '';
  if (isBusy(error, code)) return problemResponse(busy());
  const incident = log.incident(error);
  if (unreachable.has(code))
    return problem(503, { detail: 'The database cannot be reached at the moment; nothing was changed.', fix: 'Try again in a few seconds.', incident });
  return problem(500, {
    detail: `Something went wrong on the server (${incident}); nothing was changed.`,
    fix: 'Try again; if it happens again, tell your administrator this number.',
    incident,
  });
}

const problem = (status: number, members: object, headers: Readonly<Record<string, string>> = {}): Response =>
  new Response(JSON.stringify({ type: 'about:blank', title: titles[status], status, ...members }), {
    status,
    headers: { 'content-type': 'application/problem+json', ...headers },
  });
