import { managesDirectory } from '$server/access/directory';
import { messagesOf } from '$server/access/invitations';
import { signedIn } from '$server/http/page';

const shown = 100;

export const load = async (event) => {
  const person = signedIn(event);
  const { pool } = event.locals;
  const all = await managesDirectory(pool, person);
  return { person: { name: person.name }, all, shown, messages: await messagesOf(pool, person, all, undefined, shown) };
};
