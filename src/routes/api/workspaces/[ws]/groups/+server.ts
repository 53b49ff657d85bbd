import { respond } from '$server/http/endpoint';
import { getGroupMembers } from '$server/api/people/people';

export const GET = respond(getGroupMembers);
