import { respond } from '$server/http/endpoint';
import { getAudit } from '$server/api/people/people';

export const GET = respond(getAudit);
