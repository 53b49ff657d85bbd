import { refusedAsPage, signedIn } from '$server/http/page';
import { galleryOf } from '$server/templates/gallery';

export const load = async (event) => {
  const person = signedIn(event);
  const templates = await refusedAsPage(event, galleryOf(event.locals.pool, person));
  return { person: { name: person.name }, templates };
};
