import { readForPage } from '$server/http/page';
import { listIntakes } from '$server/intake/intakes';

export const load = async (event) => {
  const { items, next } = await readForPage(event, 'bringIn', (access) => listIntakes(event.locals.pool, access));
  return { intakes: items, cut: next !== null };
};
