import { signedIn } from '$server/http/page';
import { ledgerOf } from '$server/tables/workspaces';

export const load = async (event) => {
  const person = signedIn(event);
  return { person: { name: person.name, email: person.email }, ledger: await ledgerOf(event.locals.pool, person) };
};
