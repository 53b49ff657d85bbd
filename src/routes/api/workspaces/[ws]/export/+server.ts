import { respond } from '$server/http/endpoint';
import { getStructureExport } from '$server/api/structure';

export const GET = respond(getStructureExport);
