import { respond } from '$server/http/endpoint';
import { deleteSummary, getSummary, patchSummary } from '$server/api/summaries';

export const GET = respond(getSummary);
export const PATCH = respond(patchSummary);
export const DELETE = respond(deleteSummary);
