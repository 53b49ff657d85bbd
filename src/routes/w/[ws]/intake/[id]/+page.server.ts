import { error } from '@sveltejs/kit';
import { readForPage, refusedAsPage } from '$server/http/page';
import { readIntake } from '$server/intake/intakes';

export const load = async (event) => {
  if (!/^\d{1,15}$/.test(event.params.id ?? ''))
    error(404, { message: 'There is no such intake here.', fix: 'Choose one from the list.' });
  const id = Number(event.params.id);
  return {
    intake: await readForPage(event, 'bringIn', (access) =>
      refusedAsPage(event, readIntake(event.locals.pool, access, id)),
    ),
  };
};
