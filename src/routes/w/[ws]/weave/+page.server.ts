import { withoutForeign } from '$core/parts/visible';
import { readForPage, refusedAsPage } from '$server/http/page';
import { earlierStructure } from '$server/history/structureHistory';

/** With `?at=STEP` the structure as it was right after that step; without it that of today, which the layout has. */
export const load = async (event) => {
  const at = Number(event.url.searchParams.get('at')) || null;
  if (at === null) return { earlier: null };
  return readForPage(event, 'see', async (access) => {
    const { model, ...steps } = await refusedAsPage(event, earlierStructure(event.locals.pool, access, at));
    return { earlier: { ...steps, model: withoutForeign(model) } };
  });
};
