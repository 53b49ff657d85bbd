import { fail, type Actions, type RequestEvent } from '@sveltejs/kit';
import { hasFactor, newFactor, removeFactor, setFactor } from '$server/access/secondFactor';
import { endSessions } from '$server/access/signIn';
import { signedIn } from '$server/http/page';
import { chooseLanguage, languagesAround } from '$server/languages/own';
import { refusalOf } from '$server/http/problem';

export const load = async (event) => {
  const person = signedIn(event);
  const isSet = await hasFactor(event.locals.pool, person);
  return {
    person: { name: person.name, email: person.email },
    isSet,
    factor: isSet ? null : await newFactor(person),
    language: person.language ?? null,
    languages: await languagesAround(event.locals.pool, person),
  };
};

/** Does what a form asks for, with what it holds; a refusal is said on the page. */
const doing =
  (work: (event: RequestEvent, text: (name: string) => string) => Promise<string>) => async (event: RequestEvent) => {
    const form = await event.request.formData();
    try {
      return { done: await work(event, (name) => String(form.get(name) ?? '').slice(0, 200)), refused: '' };
    } catch (error) {
      const refusal = refusalOf(error);
      if (!refusal) throw error;
      const { message, fix = '' } = refusal.problem;
      return fail(refusal.status, { done: '', refused: `${message} ${fix}` });
    }
  };

export const actions: Actions = {
  language: doing(async (event, text) => {
    await chooseLanguage(event.locals.pool, signedIn(event), text('language') || null);
    return text('language')
      ? 'Texts are shown in this language from now on.'
      : 'Your browser says which language you read.';
  }),
  setUp: doing(async (event, text) => {
    await setFactor(event.locals.pool, signedIn(event), text('secret'), text('code'));
    return 'From now on you are asked for a number when you sign in.';
  }),
  remove: doing(async (event, text) => {
    await removeFactor(event.locals.pool, signedIn(event), text('password'));
    return 'You are not asked for a number any more.';
  }),
  endOthers: doing(async (event) => {
    const ended = await endSessions(event.locals.pool, signedIn(event), event.cookies.get('session') ?? '');
    return ended === 0 ? 'You are signed in nowhere else.' : `You are signed out in ${ended} other places.`;
  }),
};
