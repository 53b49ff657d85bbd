import { respond } from '$server/http/endpoint';
import { getSummaryPdf } from '$server/api/summaries';

export const GET = respond(getSummaryPdf);
