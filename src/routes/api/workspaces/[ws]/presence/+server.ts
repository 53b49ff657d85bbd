import { respond } from '$server/http/endpoint';
import { putPresence } from '$server/api/events';

export const PUT = respond(putPresence);
