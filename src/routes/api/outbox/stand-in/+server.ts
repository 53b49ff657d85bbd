import { respond } from '$server/http/endpoint';
import { getMailStandIn, putMailStandIn } from '$server/api/outbox';

export const GET = respond(getMailStandIn);
export const PUT = respond(putMailStandIn);
