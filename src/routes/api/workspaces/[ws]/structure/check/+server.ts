import { getStructureCheck } from '$server/api/structure';
import { respond } from '$server/http/endpoint';

export const GET = respond(getStructureCheck);
