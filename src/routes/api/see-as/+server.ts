import { respond } from '$server/http/endpoint';
import { deleteSeeAs } from '$server/api/people/roles';

export const DELETE = respond(deleteSeeAs);
