import { respond } from '$server/http/endpoint';
import { getGroups, postGroup } from '$server/api/people/directory';

export const GET = respond(getGroups);
export const POST = respond(postGroup);
