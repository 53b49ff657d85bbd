import { respond } from '$server/http/endpoint';
import { getRoles, postRole } from '$server/api/people/roles';

export const GET = respond(getRoles);
export const POST = respond(postRole);
