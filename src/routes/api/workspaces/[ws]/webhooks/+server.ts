import { respond } from '$server/http/endpoint';
import { getWebhooks, postWebhook } from '$server/api/webhooks';

export const GET = respond(getWebhooks);
export const POST = respond(postWebhook);
