import { fail, redirect, type Actions } from '@sveltejs/kit';
import { provider } from '$server/access/provider';
import { signIn, type SignedIn } from '$server/access/signIn';
import { bodyWithin } from '$server/http/body';
import { standInsAreOn } from '$server/http/outbound';
import { refusalOf } from '$server/http/problem';
import { cookieFor, inside, keepSession } from '$server/http/signedIn';

export const load = ({ locals, url }) => {
  const to = inside(url.searchParams.get('to'), url);
  if (locals.person) redirect(303, to);
  return { provider: provider()?.label ?? null, to, standIns: standInsAreOn() };
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
      const from = { place: getClientAddress(), device: cookies.get('device') };
      const [password, code] = ['password', 'code'].map((key) => String(form.get(key) ?? ''));
      signed = await signIn(locals.pool, email, password ?? '', from, code);
    } catch (error) {
      const refusal = refusalOf(error);
      if (!refusal) throw error;
      const { retryAfter, factor } = refusal.details;
      if (typeof retryAfter === 'number') setHeaders({ 'retry-after': String(retryAfter) });
      return fail(refusal.status, {
        email,
        message: refusal.problem.message,
        fix: refusal.problem.fix,
        factor: factor === true,
      });
    }
    keepSession(cookies, url, signed.session);
    cookies.set('device', signed.device, { ...cookieFor(url), path: '/sign-in', maxAge: deviceDays * 86_400 });
    redirect(303, inside(url.searchParams.get('to'), url));
  },
};
