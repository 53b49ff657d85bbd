import { respond } from '$server/http/endpoint';
import { postReplay } from '$server/api/webhooks';

export const POST = respond(postReplay);
