import { respond } from '$server/http/endpoint';
import { deleteMember, patchMember } from '$server/api/people/people';

export const PATCH = respond(patchMember);
export const DELETE = respond(deleteMember);
