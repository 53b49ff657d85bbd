import { readForPage } from '$server/http/page';
import { listIntakes } from '$server/intake/intakes';

export const load = async (event) => {
  return { intakes: await readForPage(event, 'bringIn', (access) => listIntakes(event.locals.pool, access)) };
};
