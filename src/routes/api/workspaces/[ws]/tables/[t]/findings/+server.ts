import { respond } from '$server/http/endpoint';
import { getFindings } from '$server/api/findings';

export const GET = respond(getFindings);
