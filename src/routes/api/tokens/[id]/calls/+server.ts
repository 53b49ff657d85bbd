import { respond } from '$server/http/endpoint';
import { getTokenCalls } from '$server/api/people/people';

export const GET = respond(getTokenCalls);
