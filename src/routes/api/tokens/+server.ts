import { respond } from '$server/http/endpoint';
import { getTokens, postToken } from '$server/api/people/people';

export const GET = respond(getTokens);
export const POST = respond(postToken);
