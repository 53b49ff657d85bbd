import { respond } from '$server/http/endpoint';
import { getExport } from '$server/api/recordQueries';

export const GET = respond(getExport);
