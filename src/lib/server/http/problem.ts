import { problemKinds, problemSlug, problemsPage } from '$core/base/problemKinds';
import { busy, Refusal, refuse } from '../base/refusal';
import { log } from '../base/log';

const unreachable = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ETIMEDOUT',
  '57P01',
  '57P02',
  '57P03',
  '08006',
  '08003',
  '53300',
]);
/** What the driver says, without a code, of a connection that went away under it. */
const wentAway = /Connection terminated|Client has encountered a connection error|connection is closed/;

/** A fault with what is behind it: the catalogue's statements wrap what the driver says. */
function* behind(error: unknown): Generator<{ readonly code?: string; readonly message: string }> {
  for (let one: unknown = error; one instanceof Error; one = one.cause) {
    yield one;
    if (one instanceof AggregateError) for (const inner of one.errors) yield* behind(inner);
  }
}

/** In seconds: when it is worth another try. */
const retryAfter = 5;

/**
 * What can be said of an error to whoever asked: a refusal, or that the server cannot work just now. Null for a fault.
 */
export function refusalOf(error: unknown): Refusal | null {
  if (error instanceof Refusal) return error;
  const causes = [...behind(error)];
  const refused = causes.find((one) => one instanceof Refusal);
  if (refused instanceof Refusal) return refused;
  // Waited too long: for a lock that somebody else holds, or for a free connection.
  const hasCode = (pattern: RegExp) => causes.some(({ code }) => pattern.test(code ?? ''));
  if (hasCode(/^55P03$/) || causes.some(({ message }) => message.includes('timeout exceeded when trying to connect')))
    return busy();
  // A statement had its time, or whoever asked went away.
  if (hasCode(/^57014$/))
    return refuse(
      422,
      'This takes longer than a read may, so it was stopped.',
      'Narrow the filter, ask for fewer fields, or sort by less.',
    );
  // What was sent is beyond what its type holds, or how deep a statement goes (PostgreSQL, classes 22 and 54).
  if (hasCode(/^(?:22|54)[0-9A-Z]{3}$/)) {
    const incident = log.incident(error);
    return Object.assign(
      refuse(
        422,
        'A number, a day or a text in this is beyond what can be kept or asked for.',
        'Make it smaller, or shorter.',
      ),
      {
        details: { incident },
      },
    );
  }
  // Of a file, and of the database (class 53: insufficient resources).
  if (hasCode(/^(?:ENOSPC|EDQUOT|53100)$/)) {
    const incident = log.incident(error);
    return Object.assign(
      refuse(
        507,
        'The disk of the server is full; nothing of this was kept.',
        'Tell whoever runs the server to make room, then try again.',
      ),
      {
        details: { incident },
      },
    );
  }
  if (!causes.some(({ code, message }) => unreachable.has(code ?? '') || wentAway.test(message))) return null;
  const incident = log.incident(error);
  return Object.assign(refuse(503, 'The database cannot be reached at the moment.', 'Try again in a few seconds.'), {
    details: { incident },
  });
}

/** RFC 9457 problem details; what is no refusal is logged and shown as an id only. */
export function problemResponse(error: unknown): Response {
  const refusal = refusalOf(error);
  if (refusal) {
    const { message, fix, at } = refusal.problem;
    const seconds = refusal.status === 503 ? retryAfter : refusal.details.retryAfter;
    const later: Record<string, string> = typeof seconds === 'number' ? { 'retry-after': String(seconds) } : {};
    return problem(refusal.status, { detail: message, fix, at, ...refusal.details }, later);
  }
  const incident = log.incident(error);
  return problem(500, {
    detail: `Something went wrong on the server (${incident}); nothing was changed.`,
    fix: 'Try again; if it happens again, tell your administrator this number.',
    incident,
  });
}

const typeOf = (status: number): string => `${problemsPage}#${problemSlug(status)}`;

export const problem = (status: number, members: object, headers: Readonly<Record<string, string>> = {}): Response =>
  new Response(JSON.stringify({ type: typeOf(status), title: problemKinds[status]?.title, status, ...members }), {
    status,
    headers: { 'content-type': 'application/problem+json', ...headers },
  });
