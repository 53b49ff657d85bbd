import { respond } from '$server/http/endpoint';
import { getAnchors } from '$server/api/recordQueries';

export const GET = respond(getAnchors);
