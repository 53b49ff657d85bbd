import { respond } from '$server/http/endpoint';
import { deleteGroupMember, putGroupMember } from '$server/api/people/people';

export const PUT = respond(putGroupMember);
export const DELETE = respond(deleteGroupMember);
