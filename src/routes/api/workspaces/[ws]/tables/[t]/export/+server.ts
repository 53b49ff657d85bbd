import { respond } from '$server/http/endpoint';
import { getExport } from '$server/api/records';

export const GET = respond(getExport);
