import { respond } from '$server/http/endpoint';
import { getAnalysts, postAnalyst } from '$server/api/people/analysts';

export const GET = respond(getAnalysts);
export const POST = respond(postAnalyst);
