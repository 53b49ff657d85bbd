import { respond } from '$server/http/endpoint';
import { patchPerson } from '$server/api/people/directory';

export const PATCH = respond(patchPerson);
