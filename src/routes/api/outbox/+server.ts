import { respond } from '$server/http/endpoint';
import { getOutbox } from '$server/api/outbox';

export const GET = respond(getOutbox);
