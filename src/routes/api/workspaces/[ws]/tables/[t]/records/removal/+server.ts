import { respond } from '$server/http/endpoint';
import { postRemoval } from '$server/api/recordWrites';

export const POST = respond(postRemoval);
