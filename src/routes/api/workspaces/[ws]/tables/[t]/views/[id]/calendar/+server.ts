import { respond } from '$server/http/endpoint';
import { getCalendarAddresses, postCalendarAddress } from '$server/api/views/calendars';

export const GET = respond(getCalendarAddresses);
export const POST = respond(postCalendarAddress);
