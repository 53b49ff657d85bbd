import { redirect } from '@sveltejs/kit';
import { comeBack, type Going } from '$server/access/provider';
import { refuse } from '$server/base/refusal';
import { refusedAsPage } from '$server/http/page';
import { goingCookie, inside, keepSession } from '$server/http/signedIn';

export const GET = async (event) => {
  const { cookies, url, locals } = event;
  const kept = cookies.get(goingCookie);
  cookies.delete(goingCookie, { path: '/sign-in' });
  const signedIn = async () => {
    if (!kept) throw refuse(401, 'This sign-in took too long, or was begun in another browser.', 'Begin again.');
    const going = JSON.parse(kept) as Going;
    return { going, session: await comeBack(locals.pool, url, url.origin, going) };
  };
  const { going, session } = await refusedAsPage(event, signedIn());
  keepSession(cookies, url, session);
  redirect(303, inside(going.to, url));
};
