import { respond } from '$server/http/endpoint';
import { getCalendar } from '$server/api/views/calendars';

export const GET = respond(getCalendar);
