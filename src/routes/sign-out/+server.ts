import { redirect } from '@sveltejs/kit';
import { signOut } from '$server/access/signIn';

export const POST = async ({ locals, cookies }) => {
  const secret = cookies.get('session');
  if (secret) await signOut(locals.pool, secret);
  cookies.delete('session', { path: '/' });
  redirect(303, '/sign-in');
};
