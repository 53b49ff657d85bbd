import { respond } from '$server/http/endpoint';
import { getFindings } from '$server/api/structure';

export const GET = respond(getFindings);
