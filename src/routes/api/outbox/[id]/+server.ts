import { respond } from '$server/http/endpoint';
import { getMessage } from '$server/api/outbox';

export const GET = respond(getMessage);
