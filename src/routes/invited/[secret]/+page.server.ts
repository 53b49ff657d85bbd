import { fail, redirect, type Actions } from '@sveltejs/kit';
import { acceptInvitation, invitedBy, leastPassword } from '$server/access/invitations';
import { signIn } from '$server/access/signIn';
import { bodyWithin } from '$server/http/body';
import { refusalOf } from '$server/http/problem';
import { keepSession } from '$server/http/signedIn';

export const load = async ({ locals, params, setHeaders }) => {
  setHeaders({ 'cache-control': 'no-store', 'referrer-policy': 'no-referrer' });
  const person = await invitedBy(locals.pool, params.secret);
  return { name: person?.name ?? null, email: person?.email ?? null, leastPassword };
};

/** More than a password ever takes, in bytes. */
const mostSent = 4096;

export const actions: Actions = {
  default: async ({ request, locals, params, cookies, url, getClientAddress }) => {
    try {
      const body = await bodyWithin(request, mostSent, '4 kB');
      const type = request.headers.get('content-type') ?? '';
      const form = await new Response(body, { headers: { 'content-type': type } })
        .formData()
        .catch(() => new FormData());
      const password = String(form.get('password') ?? '');
      const email = await acceptInvitation(locals.pool, params.secret ?? '', password);
      const { session } = await signIn(locals.pool, email, password, { place: getClientAddress() });
      keepSession(cookies, url, session);
    } catch (error) {
      const refusal = refusalOf(error);
      if (!refusal) throw error;
      return fail(refusal.status, {
        message: [refusal.problem.message, refusal.problem.fix].filter(Boolean).join(' '),
      });
    }
    redirect(303, '/');
  },
};
