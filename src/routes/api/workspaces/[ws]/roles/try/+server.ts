import { respond } from '$server/http/endpoint';
import { postRoleTry } from '$server/api/people/roles';

export const POST = respond(postRoleTry);
