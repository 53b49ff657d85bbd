import { fail, redirect, type Actions } from '@sveltejs/kit';
import { sessionDays, signIn } from '$server/access/signIn';
import { Refusal } from '$server/refusal';

/** Only places of this application are gone to after signing in. */
const inside = (path: string | null): string => (path && /^\/(?!\/|\\)/.test(path) ? path : '/');

export const load = ({ locals, url }) => {
  if (locals.person) redirect(303, inside(url.searchParams.get('to')));
};

export const actions: Actions = {
  default: async ({ request, locals, cookies, url }) => {
    const form = await request.formData();
    const email = String(form.get('email') ?? '');
    let secret: string;
    try {
      secret = await signIn(locals.pool, email, String(form.get('password') ?? ''));
    } catch (error) {
      if (error instanceof Refusal) return fail(error.status, { email, message: error.problem.message, fix: error.problem.fix });
      throw error;
    }
    cookies.set('session', secret, { path: '/', httpOnly: true, sameSite: 'lax', secure: url.protocol === 'https:', maxAge: sessionDays * 86_400 });
    redirect(303, inside(url.searchParams.get('to')));
  },
};
