import { respond } from '$server/http/endpoint';
import { getEvents } from '$server/api/events';

export const GET = respond(getEvents);
