import { respond } from '$server/http/endpoint';
import { getMembers, postMember } from '$server/api/people/people';

export const GET = respond(getMembers);
export const POST = respond(postMember);
