import { json, type RequestEvent } from '@sveltejs/kit';
import Joi from 'joi';
import { and, eq } from 'drizzle-orm';
import { nobodyOutside, takeSeat, type Person, type Seat } from '../access/seat';
import { idempotency, type Role } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { errorCode } from '../database/transaction';
import { Refusal, refuse } from '../refusal';
import { log } from './log';

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
  answer: async (call) => described.answer({ ...call, seat: await takeSeat(call.pool, call.person, call.params.ws ?? '', described.role) }),
});

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
      const body = called.body ? checked(called.body, await bodyOf(event), '') : undefined;
      const call: CallContext = { event, pool, person, params: event.params as Record<string, string>, query, body };
      const answer = await onceOnly(call, called, () => called.answer(call));
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

async function bodyOf({ request }: RequestEvent): Promise<unknown> {
  const text = await request.text();
  if (text.length > mostBody) throw refuse(413, 'The request is larger than 32 MB.', 'Send it in parts.');
  if (text === '') return {};
  try {
    return JSON.parse(text);
  } catch {
    throw refuse(400, 'The body is no JSON.', 'Send JSON, with Content-Type: application/json.');
  }
}

/** A write that carries an Idempotency-Key is done once; the same key again gets the same answer. */
async function onceOnly(call: CallContext, called: Endpoint, work: () => Promise<unknown>): Promise<unknown> {
  const key = call.event.request.headers.get('idempotency-key');
  if (!key || called.method === 'GET' || called.streams || called.open) return work();
  if (key.length > 200) throw refuse(400, 'The Idempotency-Key has more than 200 characters.', 'Use a UUID.');
  const db = catalogueOn(call.pool);
  const name = `${called.method} ${call.event.url.pathname}`;
  const [taken] = await db.insert(idempotency).values({ person: call.person.id, key, call: name }).onConflictDoNothing().returning();
  if (!taken) {
    const [known] = await db
      .select()
      .from(idempotency)
      .where(and(eq(idempotency.person, call.person.id), eq(idempotency.key, key)));
    if (known?.call !== name) throw refuse(422, 'This Idempotency-Key belongs to another call.', 'Use a new key for each call.');
    if (known.answer === null)
      throw Object.assign(refuse(409, 'The call with this Idempotency-Key is still going on.', 'Ask again in a moment.'), { details: { going: true } });
    return known.answer;
  }
  try {
    const answer = await work();
    await db
      .update(idempotency)
      .set({ answer: answer ?? {} })
      .where(and(eq(idempotency.person, call.person.id), eq(idempotency.key, key)));
    return answer;
  } catch (error) {
    await db.delete(idempotency).where(and(eq(idempotency.person, call.person.id), eq(idempotency.key, key)));
    throw error;
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

/** RFC 9457 problem details; what is no refusal is logged and shown as an id only. */
export function problemResponse(error: unknown): Response {
  if (error instanceof Refusal) {
    const { message, mend, at } = error.problem;
    return problem(error.status, { detail: message, mend, at, ...error.details });
  }
  const code = errorCode(error) ?? (error as { code?: string } | null)?.code ?? '';
  const incident = log.incident(error);
  if (unreachable.has(code))
    return problem(503, { detail: 'The database cannot be reached at the moment; nothing was changed.', mend: 'Try again in a few seconds.', incident });
  return problem(500, {
    detail: `Something went wrong on the server (${incident}); nothing was changed.`,
    mend: 'Try again; if it happens again, tell your administrator this number.',
    incident,
  });
}

const problem = (status: number, members: object): Response =>
  new Response(JSON.stringify({ type: 'about:blank', title: titles[status], status, ...members }), {
    status,
    headers: { 'content-type': 'application/problem+json' },
  });
