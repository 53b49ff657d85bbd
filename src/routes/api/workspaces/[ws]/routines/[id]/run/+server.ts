import { respond } from '$server/http/endpoint';
import { postRun } from '$server/api/routines';

export const POST = respond(postRun);
