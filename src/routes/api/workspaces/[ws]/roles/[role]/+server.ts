import { respond } from '$server/http/endpoint';
import { deleteRole, patchRole } from '$server/api/people/roles';

export const PATCH = respond(patchRole);
export const DELETE = respond(deleteRole);
