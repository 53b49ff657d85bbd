import { formPage } from '$core/forms/formPage';
import { readAnew } from '$server/database/transaction';
import { openForm } from '$server/forms/addresses';
import { refusedAsPage } from '$server/http/page';

export const load = async ({ locals, params, setHeaders }) => {
  // The address is a secret: nothing of the page is kept on the way, and no other site is told of it.
  setHeaders({ 'cache-control': 'private, no-store', 'x-robots-tag': 'noindex' });
  const { access, table, form, ended } = await refusedAsPage(
    { locals },
    readAnew(() => openForm(locals.pool, params.secret)),
  );
  const { zone, day } = access.workspace;
  return {
    secret: params.secret,
    label: form.label,
    ended,
    page: ended === null ? formPage(access.workspace.model, table, form) : null,
    zone,
    today: day,
  };
};
