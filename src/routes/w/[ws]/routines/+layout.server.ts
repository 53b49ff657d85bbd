import { readForPage } from '$server/http/page';

/** Routines write into tables of linked workspaces, too: their pages have all of these that one sees. */
export const load = async (event) => {
  event.depends('loom:model');
  return readForPage(event, 'see', ({ workspace }) => Promise.resolve({ model: workspace.model }));
};
