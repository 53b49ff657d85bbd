import { respond } from '$server/http/endpoint';
import { getStructureAt } from '$server/api/structure';

export const GET = respond(getStructureAt);
