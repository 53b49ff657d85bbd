import { respond } from '$server/http/endpoint';
import { getDeliveries } from '$server/api/webhooks';

export const GET = respond(getDeliveries);
