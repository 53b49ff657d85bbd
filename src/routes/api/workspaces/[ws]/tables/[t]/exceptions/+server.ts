import { respond } from '$server/http/endpoint';
import { postExceptions } from '$server/api/duplicates';

export const POST = respond(postExceptions);
