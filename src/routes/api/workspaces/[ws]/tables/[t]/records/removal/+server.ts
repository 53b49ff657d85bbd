import { respond } from '$server/http/endpoint';
import { postRemoval } from '$server/api/records';

export const POST = respond(postRemoval);
