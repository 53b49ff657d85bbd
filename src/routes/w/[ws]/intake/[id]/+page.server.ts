import { error } from '@sveltejs/kit';
import { refusedAsPage, seatFor } from '$server/http/page';
import { readIntake } from '$server/intake/intakes';

export const load = async (event) => {
  const seat = await seatFor(event, 'administrator');
  if (!/^\d{1,15}$/.test(event.params.id ?? '')) error(404, { message: 'There is no such intake here.', fix: 'Choose one from the list.' });
  return { intake: await refusedAsPage(readIntake(event.locals.pool, seat, Number(event.params.id))) };
};
