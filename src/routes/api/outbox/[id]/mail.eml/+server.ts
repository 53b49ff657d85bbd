import { respond } from '$server/http/endpoint';
import { getMail } from '$server/api/outbox';

export const GET = respond(getMail);
