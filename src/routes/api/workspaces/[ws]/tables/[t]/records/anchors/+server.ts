import { respond } from '$server/http/endpoint';
import { getAnchors } from '$server/api/records';

export const GET = respond(getAnchors);
