import { managesDirectory } from '$server/access/directory';
import { readAnew } from '$server/database/transaction';
import { refusedAsPage, signedIn } from '$server/http/page';
import { keptPlaces } from '$server/workspaces/home';
import { deletedWorkspaces, ledgerOf } from '$server/workspaces/workspaces';

export const load = async (event) => {
  const person = signedIn(event);
  event.depends('loom:home');
  const { pool } = event.locals;
  const [ledger, places, bin, manages] = await refusedAsPage(
    event,
    readAnew(() =>
      Promise.all([
        ledgerOf(pool, person),
        keptPlaces(pool, person),
        deletedWorkspaces(pool, person),
        managesDirectory(pool, person),
      ]),
    ),
  );
  return { person: { name: person.name, email: person.email }, ledger, ...places, bin, manages };
};
