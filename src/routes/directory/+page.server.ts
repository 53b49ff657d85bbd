import { allGroups, allPeople } from '$server/access/directory';
import { refusedAsPage, signedIn } from '$server/http/page';

export const load = async (event) => {
  event.depends('loom:directory');
  const person = signedIn(event);
  const { pool } = event.locals;
  const [people, groups] = await refusedAsPage(event, Promise.all([allPeople(pool, person), allGroups(pool)]));
  return { person: { id: person.id, name: person.name }, people, groups };
};
