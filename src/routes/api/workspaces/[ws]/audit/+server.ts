import { respond } from '$server/http/endpoint';
import { getAudit } from '$server/api/people';

export const GET = respond(getAudit);
