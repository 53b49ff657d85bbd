import { respond } from '$server/http/endpoint';
import { getTotals } from '$server/api/recordQueries';

export const GET = respond(getTotals);
