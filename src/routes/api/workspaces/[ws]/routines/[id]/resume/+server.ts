import { respond } from '$server/http/endpoint';
import { postResume } from '$server/api/routines';

export const POST = respond(postResume);
