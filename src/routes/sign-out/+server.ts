import { redirect } from '@sveltejs/kit';
import { seeAsCookie } from '$server/access/seeAs';
import { signOut } from '$server/access/signIn';

export const POST = async ({ locals, cookies }) => {
  const secret = cookies.get('session');
  if (secret) await signOut(locals.pool, secret);
  cookies.delete('session', { path: '/' });
  cookies.delete(seeAsCookie, { path: '/' });
  redirect(303, '/sign-in');
};
