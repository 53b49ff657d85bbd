import { respond } from '$server/http/endpoint';
import { getTrace } from '$server/api/structure';

export const GET = respond(getTrace);
