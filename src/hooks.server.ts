import type { Handle, HandleServerError, RequestEvent, ServerInit } from '@sveltejs/kit';
import { building } from '$app/environment';
import { readSeeAs, seeAsCookie } from '$server/access/seeAs';
import { acceptedLanguages } from '$server/http/languages';
import { callerOf, recalledCaller } from '$server/access/signIn';
import { countCall, noteCall } from '$server/access/tokenCalls';
import { endJobs } from '$server/intake/inTurn';
import { inWords } from '$server/http/spoken';
import { problem, problemResponse, refusalOf } from '$server/http/problem';
import { sharing } from '$server/http/shares';
import { untilGone } from '$server/database/reading';
import { log } from '$server/base/log';
import { refuse } from '$server/base/refusal';
import { startServer, type Running } from '$server/start';

let running: Promise<Running> | null = null;

export const init: ServerInit = async () => {
  if (building) return;
  running = startServer(process.env.DATABASE_URL);
  const { pool, reads, downloads, listener, webhooks, sending, queue } = await running;
  // Said by the Node adapter once no request is open any more.
  process.on(
    'sveltekit:shutdown',
    () =>
      void Promise.all([webhooks.stop(), sending.stop().catch(() => undefined)]).then(() =>
        Promise.all([listener.stop(), endJobs(pool), ...[pool, reads, downloads, queue].map((one) => one.end())]),
      ),
  );
};

export const handle: Handle = async ({ event, resolve }) => {
  if (!running) return resolve(event);
  const { pool, reads, downloads, listener } = await running;
  event.locals.reads = untilGone(reads, event.request.signal, pool);
  event.locals.downloads = untilGone(downloads, event.request.signal, pool);
  event.locals.pool = readMethods.has(event.request.method) ? event.locals.reads : pool;
  event.locals.listener = listener;
  const isCall = event.url.pathname.startsWith('/api/');
  /** The token of the program that calls, and what it is told of its calls. */
  let token: number | null = null;
  const told: Record<string, string> = {};
  const answered = async (): Promise<Response> => {
    if (holdsNothingReadable(event))
      throw refuse(400, 'The address holds characters that no text has.', 'Leave them out.');
    // The name of the scheme is written in any case (RFC 9110, 11.1).
    const bearer = /^bearer +(\S+) *$/i.exec(event.request.headers.get('authorization') ?? '')?.[1];
    const session = event.cookies.get('session');
    // A page elsewhere can send a form with the person's cookies, but never a header that it does not know.
    if (!bearer && isForeign(event, session !== undefined))
      throw refuse(
        403,
        'This comes from a page of another site, or does not say from where.',
        'Send it from this application, or with a token.',
      );
    const secret = bearer ?? session;
    const credential = secret ? ({ is: bearer ? 'token' : 'session', secret } as const) : null;
    const seeAs = bearer ? undefined : readSeeAs(event.cookies.get(seeAsCookie));
    const find = async (recalled: boolean) => {
      const found =
        credential && (await (recalled ? recalledCaller : callerOf)(pool, credential, event.params.ws ?? ''));
      const counted = found?.person.limits?.token;
      if (counted !== undefined && token === null) {
        token = counted;
        await countCall(counted, (left) => Object.assign(told, left));
      }
      return found && seeAs ? { ...found, person: { ...found.person, seeAs } } : (found ?? null);
    };
    event.locals.caller = find;
    event.locals.person = isCall ? null : ((await find(false))?.person ?? null);
    const accepted = acceptedLanguages(event.request.headers.get('accept-language'));
    const chosen = event.locals.person?.language;
    // Whoever fills in a form without signing in chooses on its page.
    const asked = event.route.id === '/f/[secret]' ? event.url.searchParams.get('language') : chosen;
    event.locals.languages = asked ? [asked, ...accepted] : accepted;
    const page = (code: string) =>
      Promise.resolve(
        resolve(event, {
          transformPageChunk: ({ html }) => html.replace('<html lang="%lang%">', `<html lang="${code}">`),
        }),
      );
    // Programs are answered in English; what a form refuses is read by whoever fills it in.
    const speaks = !isCall || event.url.pathname.startsWith('/api/forms/');
    const response = await inTurn(event, isCall, () =>
      speaks ? inWords(event.locals.languages, page) : Promise.resolve(resolve(event)),
    );
    // Of a page that reads again, the framework answers 200 with the refusal within; an open page asks again instead.
    if (event.isDataRequest && event.locals.away) return new Response(null, { status: 503 });
    return isCall ? asCall(response) : response;
  };
  const response = await answered().catch((error: unknown) => (isCall ? problemResponse(error) : pageOf(error)));
  for (const [name, value] of Object.entries(told)) response.headers.set(name, value);
  if (token !== null) {
    const { method } = event.request;
    noteCall(pool, { token, method, path: `${event.url.pathname}${event.url.search}`, status: response.status });
  }
  response.headers.set('x-content-type-options', 'nosniff');
  response.headers.set('referrer-policy', 'same-origin');
  if (response.status === 503 && !response.headers.has('retry-after')) response.headers.set('retry-after', '5');
  // What a call answers is for who asked, and for that moment; files say by themselves how long they may be kept.
  if (isCall && !response.headers.has('cache-control')) response.headers.set('cache-control', 'no-store');
  return response;
};

/** Pages of one person that are worked on at once. */
const personShare = sharing({ most: 4, waiting: 500 });
/** The same for those who are not signed in, by where they are: what they ask for is quick. */
const placeShare = sharing({ most: 2, waiting: 200 });

/**
 * Pages that are asked for over and over wait for their turn, so that others are answered between. Calls have shares of
 * their own (`endpoint.ts`). What is sent may come as slowly as its sender likes, so a place in a line is never held
 * while it does.
 */
function inTurn(event: RequestEvent, isCall: boolean, answer: () => Promise<Response>): Promise<Response> {
  if (isCall || !readMethods.has(event.request.method)) return answer();
  const { person } = event.locals;
  if (person) return personShare(person.id, answer);
  const place = placeOf(event);
  return place === null ? answer() : placeShare(place, answer);
}

/** Where a request comes from; null where a proxy was to say so, and did not. */
function placeOf({ getClientAddress }: RequestEvent): string | null {
  try {
    return getClientAddress();
  } catch {
    return null;
  }
}

/**
 * What the framework itself refuses under /api, such as an unknown address or method, in the words of every other
 * refusal.
 */
function asCall(response: Response): Response {
  const type = response.headers.get('content-type') ?? '';
  if (response.status < 400 || type.startsWith('application/problem+json')) return response;
  const [status, detail, fix] =
    response.status === 405
      ? [405, 'This address takes other methods.', 'See /api/openapi.json for what it takes.']
      : response.status === 404
        ? [404, 'There is no such call.', 'See /api/openapi.json for those there are.']
        : [
            response.status,
            'The server could not answer this.',
            'Try again; if it happens again, tell your administrator.',
          ];
  const allow = response.headers.get('allow');
  return problem(Number(status), { detail, fix }, allow ? { allow } : {});
}

/** A page for what stopped before any page was made: plain, as nothing else may be there. */
function pageOf(error: unknown): Promise<Response> {
  const said = problemResponse(error);
  return said.json().then(({ detail, fix }: { detail?: string; fix?: string }) => {
    const words = [detail, fix].filter(Boolean).join(' ');
    const again = said.headers.get('retry-after');
    return new Response(
      `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Inner Loom</title><body style="font-family:sans-serif;max-width:40em;margin:4em auto;padding:0 1em"><h1>Inner Loom</h1><p>${escaped(words)}</p><p><a href="">Try again</a></p></body></html>`,
      {
        status: said.status,
        headers: {
          'content-type': 'text/html; charset=utf-8',
          'cache-control': 'no-store',
          'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'",
          ...(again ? { 'retry-after': again } : {}),
        },
      },
    );
  });
}

const escaped = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');

/** Characters that neither a text of the database nor one of ours can hold: NUL, and halves of pairs. */
const unreadable = (text: string): boolean => text.includes('\0') || !text.isWellFormed();

function holdsNothingReadable({ url, params }: RequestEvent): boolean {
  return [...Object.values(params), ...url.searchParams.keys(), ...url.searchParams.values()].some(
    (text) => text !== undefined && unreadable(text),
  );
}

export const handleError: HandleServerError = ({ error, event, status }) => {
  if (status === 404)
    return { message: 'There is nothing at this address.', fix: 'Go back to Home and choose from the list.' };
  // A page says what is refused as the API does, such as that the server is busy: it is no fault.
  const refused = refusalOf(error);
  if (refused) return refused.problem;
  const incident = log.incident(error, { path: event.url.pathname });
  return {
    message: `Something went wrong on the server (${incident}).`,
    fix: 'Try again in a few seconds; what was saved is safe.',
  };
};

const readMethods = new Set(['GET', 'HEAD', 'OPTIONS']);
/** What a page can send to another site without being asked (Fetch, section 2.2.2, CORS-safelisted content types). */
const formTypes = ['application/x-www-form-urlencoded', 'multipart/form-data', 'text/plain'];

/**
 * A change from a page of another site, or from something that has a person's cookies, or sends a form, and does not
 * say where it is from.
 */
function isForeign({ request, url }: RequestEvent, withCookies: boolean): boolean {
  if (readMethods.has(request.method)) return false;
  const origin = request.headers.get('origin');
  if (origin !== null) return origin !== url.origin;
  const type = (request.headers.get('content-type') ?? '').split(';', 1)[0]?.trim().toLowerCase() ?? '';
  return withCookies || formTypes.includes(type);
}
