import { redirect } from '@sveltejs/kit';
import { goToProvider } from '$server/access/provider';
import { refusedAsPage } from '$server/http/page';
import { cookieFor, goingCookie, inside } from '$server/http/signedIn';

/** In seconds: so long the way over the provider may take. */
const goesFor = 600;

export const GET = async (event) => {
  const { cookies, url } = event;
  const { url: there, going } = await refusedAsPage(
    event,
    goToProvider(url.origin, inside(url.searchParams.get('to'), url)),
  );
  cookies.set(goingCookie, JSON.stringify(going), { ...cookieFor(url), path: '/sign-in', maxAge: goesFor });
  redirect(303, there);
};
