import { getFeedsFrom } from '$server/api/feeds';
import { respond } from '$server/http/endpoint';

export const GET = respond(getFeedsFrom);
