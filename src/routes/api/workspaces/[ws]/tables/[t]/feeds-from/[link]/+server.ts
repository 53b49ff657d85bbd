import { deleteFeedFrom } from '$server/api/feeds';
import { respond } from '$server/http/endpoint';

export const DELETE = respond(deleteFeedFrom);
