import { respond } from '$server/http/endpoint';
import { postRestore } from '$server/api/structure';

export const POST = respond(postRestore);
