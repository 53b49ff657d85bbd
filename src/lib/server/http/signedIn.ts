import type { Cookies } from '@sveltejs/kit';
import { sessionDays } from '../access/signIn';

/**
 * Only places of this application are gone to after signing in: what a browser would take for another site leads home.
 */
export function inside(path: string | null, { origin }: URL): string {
  if (!path?.startsWith('/')) return '/';
  try {
    const there = new URL(path, origin);
    return there.origin === origin ? there.pathname + there.search + there.hash : '/';
  } catch {
    return '/';
  }
}

/** How the cookies of this application are kept: for it alone, and out of reach of scripts. */
export const cookieFor = ({ protocol }: URL) =>
  ({ path: '/', httpOnly: true, sameSite: 'lax', secure: protocol === 'https:' }) as const;

/** Gives a browser its session. */
export const keepSession = (cookies: Cookies, url: URL, session: string): void =>
  cookies.set('session', session, { ...cookieFor(url), maxAge: sessionDays * 86_400 });

/** The cookie of a way over the organisation's provider. */
export const goingCookie = 'going';
