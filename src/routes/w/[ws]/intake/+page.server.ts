import { seatFor } from '$server/http/page';
import { listIntakes } from '$server/intake/intakes';

export const load = async (event) => {
  const seat = await seatFor(event, 'administrator');
  return { intakes: await listIntakes(event.locals.pool, seat) };
};
