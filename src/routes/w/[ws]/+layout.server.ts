import { signedIn, seatFor } from '$server/http/page';
import { ledgerOf, tableCounts } from '$server/tables/workspaces';

export const load = async (event) => {
  event.depends('loom:model');
  const seat = await seatFor(event, 'reader');
  const { key, label, version, day, description, model } = seat.workspace;
  const person = signedIn(event);
  const [counts, ledger] = await Promise.all([
    tableCounts(
      event.locals.pool,
      key,
      model.tables.map((table) => table.key),
    ),
    ledgerOf(event.locals.pool, person),
  ]);
  return {
    person: { name: person.name, email: person.email },
    workspace: { key, label, description, version, day, role: seat.role },
    model,
    counts: Object.fromEntries(counts),
    workspaces: ledger.map(({ workspace, workspaceLabel }) => ({ key: workspace, label: workspaceLabel })),
  };
};
