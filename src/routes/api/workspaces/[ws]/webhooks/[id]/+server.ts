import { respond } from '$server/http/endpoint';
import { patchWebhook, removeWebhook } from '$server/api/webhooks';

export const PATCH = respond(patchWebhook);
export const DELETE = respond(removeWebhook);
