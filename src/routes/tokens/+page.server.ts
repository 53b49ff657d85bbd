import { tokensOf } from '$server/access/tokens';
import { signedIn } from '$server/http/page';
import { ledgerOf } from '$server/workspaces/workspaces';

export const load = async (event) => {
  event.depends('loom:tokens');
  const person = signedIn(event);
  const { pool } = event.locals;
  const [tokens, ledger] = await Promise.all([tokensOf(pool, person), ledgerOf(pool, person)]);
  return {
    person: { name: person.name },
    tokens,
    workspaces: ledger.map(({ key, label }) => ({ key, label })),
  };
};
