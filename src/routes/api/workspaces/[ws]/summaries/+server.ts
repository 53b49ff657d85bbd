import { respond } from '$server/http/endpoint';
import { getSummaries, postSummary } from '$server/api/summaries';

export const GET = respond(getSummaries);
export const POST = respond(postSummary);
