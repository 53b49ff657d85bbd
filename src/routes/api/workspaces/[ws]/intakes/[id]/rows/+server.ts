import { respond } from '$server/http/endpoint';
import { getStagedRows } from '$server/api/intakes';

export const GET = respond(getStagedRows);
