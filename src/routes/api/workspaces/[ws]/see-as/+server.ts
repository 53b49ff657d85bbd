import { respond } from '$server/http/endpoint';
import { putSeeAs } from '$server/api/people/roles';

export const PUT = respond(putSeeAs);
