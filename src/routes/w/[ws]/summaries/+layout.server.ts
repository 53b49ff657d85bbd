import { readForPage } from '$server/http/page';

/** Blocks show tables of linked workspaces, too: these pages have all of these that one sees. */
export const load = async (event) => {
  event.depends('loom:model');
  return readForPage(event, 'see', ({ workspace }) => Promise.resolve({ model: workspace.model }));
};
