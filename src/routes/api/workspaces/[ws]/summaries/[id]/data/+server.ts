import { respond } from '$server/http/endpoint';
import { getSummaryData } from '$server/api/summaries';

export const GET = respond(getSummaryData);
