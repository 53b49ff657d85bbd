import { respond } from '$server/http/endpoint';
import { deleteCalendarAddress } from '$server/api/views/calendars';

export const DELETE = respond(deleteCalendarAddress);
