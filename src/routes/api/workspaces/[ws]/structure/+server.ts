import { respond } from '$server/http/endpoint';
import { getStructureSteps } from '$server/api/structure';

export const GET = respond(getStructureSteps);
