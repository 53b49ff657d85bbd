import type { Handle, HandleServerError, RequestEvent, ServerInit } from '@sveltejs/kit';
import { building } from '$app/environment';
import { personOfSession, personOfToken } from '$server/access/signIn';
import { endJobs } from '$server/intake/inTurn';
import { log } from '$server/http/log';
import { startServer, type Running } from '$server/start';

let running: Promise<Running> | null = null;

export const init: ServerInit = async () => {
  if (building) return;
  running = startServer(process.env.DATABASE_URL);
  const { pool, listener } = await running;
  // Said by the Node adapter once no request is open any more.
  process.on('sveltekit:shutdown', () => void Promise.all([listener.stop(), endJobs(pool), pool.end()]));
};

export const handle: Handle = async ({ event, resolve }) => {
  if (!running) return resolve(event);
  const { pool, listener } = await running;
  event.locals.pool = pool;
  event.locals.listener = listener;
  const bearer = /^Bearer (\S+)$/.exec(event.request.headers.get('authorization') ?? '')?.[1];
  const session = event.cookies.get('session');
  // A page elsewhere can send a form with the person's cookies, but never a header that it does not know.
  if (!bearer && isForeignForm(event)) return new Response('Cross-site form submissions are forbidden.', { status: 403 });
  event.locals.person = bearer ? await personOfToken(pool, bearer) : session ? await personOfSession(pool, session) : null;
  const response = await resolve(event);
  response.headers.set('x-content-type-options', 'nosniff');
  response.headers.set('referrer-policy', 'same-origin');
  return response;
};

export const handleError: HandleServerError = ({ error, event }) => {
  const incident = log.incident(error, { path: event.url.pathname });
  return { message: `Something went wrong on the server (${incident}).`, fix: 'Try again in a few seconds; what was saved is safe.' };
};

const reads = new Set(['GET', 'HEAD', 'OPTIONS']);
/** What a page can send to another site without being asked (Fetch, section 2.2.2, CORS-safelisted content types). */
const formTypes = ['application/x-www-form-urlencoded', 'multipart/form-data', 'text/plain'];

/** A form from a page of another site, or from something that does not say where it is from. */
function isForeignForm({ request, url }: RequestEvent): boolean {
  if (reads.has(request.method)) return false;
  const type = (request.headers.get('content-type') ?? '').split(';', 1)[0]?.trim().toLowerCase() ?? '';
  return formTypes.includes(type) && request.headers.get('origin') !== url.origin;
}
