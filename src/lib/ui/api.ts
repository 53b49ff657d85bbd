import { spokenCode } from '$core/base/say';
import type { Problem } from '$core/base/problem';

/** What the API refuses with: problem details as a value, for the place that shows them. */
export interface Refused extends Problem {
  readonly status: number;
  readonly [detail: string]: unknown;
}

export type Answer<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly problem: Refused };

/**
 * Answers that say nothing of the call itself: nobody was reached, the person has to sign in first, or the server
 * cannot work just now.
 */
const noAnswers: ReadonlySet<number> = new Set([0, 401, 502, 503, 504, 507]);

/** Whether nothing is known of what became of a call, so that it is sent again, under the same key. */
export const unreached = ({ status }: Refused): boolean => noAnswers.has(status);

/**
 * Calls the API; a lost connection is a refusal like any other, so that nothing is dropped silently. `once`: it is done
 * once however often it is sent, under a new key or the one that is given.
 */
export async function call<T>(
  method: string,
  path: string,
  body?: unknown,
  once: boolean | string = false,
): Promise<Answer<T>> {
  // What is refused is said in the language that the page speaks, where the call does so.
  const headers: Record<string, string> = { 'accept-language': spokenCode() };
  if (body !== undefined && !(body instanceof FormData)) headers['content-type'] = 'application/json';
  if (once) headers['idempotency-key'] = once === true ? crypto.randomUUID() : once;
  try {
    const response = await fetch(path, {
      method,
      headers,
      body: body === undefined ? undefined : body instanceof FormData ? body : JSON.stringify(body),
    });
    const answer: unknown = await response.json().catch(() => null);
    if (response.ok) return { ok: true, value: answer as T };
    if (response.status === 401) location.assign(`/sign-in?to=${encodeURIComponent(location.pathname)}`);
    const { detail = 'The server gave no answer that can be read.', ...rest } = (answer ?? {}) as Record<
      string,
      unknown
    >;
    return { ok: false, problem: { ...rest, message: String(detail), status: response.status } };
  } catch {
    return {
      ok: false,
      problem: {
        status: 0,
        message: 'The server cannot be reached; this is not saved yet.',
        fix: 'Check the connection and try again.',
      },
    };
  }
}

export const workspacePath = (workspace: string, rest = ''): string =>
  `/api/workspaces/${encodeURIComponent(workspace)}${rest}`;
