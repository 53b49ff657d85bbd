import { error } from '@sveltejs/kit';
import { tableNamed } from '$core/model/model';
import { viewJson } from '$core/views/viewJson';
import { readForPage } from '$server/http/page';
import { noteVisit, viewsOf } from '$server/structure/views';

export const load = async (event) => {
  event.depends('loom:model');
  const { model } = await event.parent();
  const table = tableNamed(model, event.params.table);
  if (!table) error(404, { message: 'There is no such table here.', fix: 'Go back to Home and choose from the list.' });
  const views = await readForPage(event, 'see', async (access) => {
    await noteVisit(event.locals.pool, access, table);
    return viewsOf(event.locals.pool, access, table);
  });
  return {
    table,
    views: views.map(({ view, personal, favourite }) => ({
      id: view.id,
      personal,
      favourite,
      ...viewJson(model, table, view),
    })),
  };
};
