import { readForPage } from '$server/http/page';
import { summaryNamed, summaryOut } from '$server/summaries/held';

/** A summary as whoever looks has it; null for a new one. */
export const load = async (event) => {
  event.depends('loom:model');
  const { id } = event.params;
  return readForPage(event, 'see', async (access) => ({
    summary: id === 'new' ? null : summaryOut(access, await summaryNamed(event.locals.pool, access, id)),
  }));
};
