import { signedIn } from '$server/http/page';
import { packageLoadsOf } from '$server/packages/loads';

export const load = async (event) => {
  const person = signedIn(event);
  return { person: { name: person.name }, loads: await packageLoadsOf(event.locals.pool, person) };
};
