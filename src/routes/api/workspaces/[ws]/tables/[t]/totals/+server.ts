import { respond } from '$server/http/endpoint';
import { getTotals } from '$server/api/records';

export const GET = respond(getTotals);
