import { designsTable } from '$server/access/changeRights';
import { formsOf } from '$core/forms/form';
import { tableAt } from '$server/access/workspaceAccess';
import { addressesOf } from '$server/forms/addresses';
import { readForPage } from '$server/http/page';

export const load = async (event) => {
  event.depends('loom:model');
  const { pool } = event.locals;
  return readForPage(event, 'write', async (access) => {
    const table = tableAt(access, event.params.table);
    const forms = formsOf(table);
    const addresses = await Promise.all(
      forms.map(async (form) => [form.id, await addressesOf(pool, access, form)] as const),
    );
    // Where a form is open is the administrator's; how much came in by it is for all who write.
    const shown = designsTable(access, table.id)
      ? addresses
      : addresses.map(([id, all]) => [id, all.map((one) => ({ ...one, path: '' }))] as const);
    return { addresses: Object.fromEntries(shown) };
  });
};
