import { respond } from '$server/http/endpoint';
import { getImpact } from '$server/api/structure';

export const GET = respond(getImpact);
