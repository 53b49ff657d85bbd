import { fail, redirect, type Actions } from '@sveltejs/kit';
import { sessionDays, signIn, type SignedIn } from '$server/access/signIn';
import { bodyWithin } from '$server/http/body';
import { refusalOf } from '$server/http/problem';

/**
 * Only places of this application are gone to after signing in: what a browser would take for another site leads home.
 */
function inside(path: string | null, { origin }: URL): string {
  if (!path?.startsWith('/')) return '/';
  try {
    const there = new URL(path, origin);
    return there.origin === origin ? there.pathname + there.search + there.hash : '/';
  } catch {
    return '/';
  }
}

export const load = ({ locals, url }) => {
  if (locals.person) redirect(303, inside(url.searchParams.get('to'), url));
};

/** More than an address and a password ever take, in bytes. */
const mostSent = 4096;
/** In days: how long a browser is known again. */
const deviceDays = 400;

export const actions: Actions = {
  default: async ({ request, locals, cookies, url, getClientAddress, setHeaders }) => {
    let email = '';
    let signed: SignedIn;
    try {
      const body = await bodyWithin(request, mostSent, '4 kB');
      const type = request.headers.get('content-type') ?? '';
      const form = await new Response(body, { headers: { 'content-type': type } })
        .formData()
        .catch(() => new FormData());
      email = String(form.get('email') ?? '');
      signed = await signIn(locals.pool, email, String(form.get('password') ?? ''), {
        place: getClientAddress(),
        device: cookies.get('device'),
      });
    } catch (error) {
      const refusal = refusalOf(error);
      if (!refusal) throw error;
      const { retryAfter } = refusal.details;
      if (typeof retryAfter === 'number') setHeaders({ 'retry-after': String(retryAfter) });
      return fail(refusal.status, { email, message: refusal.problem.message, fix: refusal.problem.fix });
    }
    const kept = { path: '/', httpOnly: true, sameSite: 'lax', secure: url.protocol === 'https:' } as const;
    cookies.set('session', signed.session, { ...kept, maxAge: sessionDays * 86_400 });
    cookies.set('device', signed.device, { ...kept, path: '/sign-in', maxAge: deviceDays * 86_400 });
    redirect(303, inside(url.searchParams.get('to'), url));
  },
};
