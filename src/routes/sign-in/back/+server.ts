import { redirect } from '@sveltejs/kit';
import Joi from 'joi';
import { comeBack, type Going } from '$server/access/provider';
import { refuse } from '$server/base/refusal';
import { refusedAsPage } from '$server/http/page';
import { goingCookie, inside, keepSession } from '$server/http/signedIn';

/** What the browser kept, unless it is something else. */
function goingFrom(kept = ''): Going | null {
  try {
    const { value, error } = goingSchema.validate(JSON.parse(kept));
    return error ? null : value;
  } catch {
    return null;
  }
}
const text = Joi.string().required();
const goingSchema = Joi.object<Going, true>({ verifier: text, state: text, nonce: text, to: text }).required();

export const GET = async (event) => {
  const { cookies, url, locals } = event;
  const kept = cookies.get(goingCookie);
  cookies.delete(goingCookie, { path: '/sign-in' });
  const signedIn = async () => {
    const going = goingFrom(kept);
    if (!going) throw refuse(401, 'This sign-in took too long, or was begun in another browser.', 'Begin again.');
    return { going, session: await comeBack(locals.pool, url, url.origin, going) };
  };
  const { going, session } = await refusedAsPage(event, signedIn());
  keepSession(cookies, url, session);
  redirect(303, inside(going.to, url));
};
