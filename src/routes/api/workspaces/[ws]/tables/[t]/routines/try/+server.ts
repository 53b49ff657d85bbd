import { respond } from '$server/http/endpoint';
import { postTry } from '$server/api/routines';

export const POST = respond(postTry);
