import { fail } from '@sveltejs/kit';
import { refusedAsPage, signedIn } from '$server/http/page';
import { addressNamed, requireStandIns, webAddresses } from '$server/standIns/web';

export const load = async (event) => {
  const person = signedIn(event);
  await refusedAsPage(
    event,
    Promise.resolve().then(() => requireStandIns()),
  );
  return { person: { name: person.name }, origin: event.url.origin, addresses: webAddresses() };
};

export const actions = {
  /** How an address answers from now on, and the secret by which it looks at signatures. */
  default: async (event) => {
    signedIn(event);
    requireStandIns();
    const form = await event.request.formData();
    const [name, answers, secret] = ['name', 'answers', 'secret'].map((key) => String(form.get(key) ?? ''));
    if (!/^[\w-]{1,60}$/.test(name ?? ''))
      return fail(422, { refused: 'Write a name of letters, digits and hyphens.' });
    const address = addressNamed(name ?? '');
    address.answers = Math.min(599, Math.max(200, Number(answers) || 200));
    if (secret) address.secret = secret.trim();
    return { refused: '' };
  },
};
