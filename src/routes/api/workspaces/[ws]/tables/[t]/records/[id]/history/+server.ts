import { respond } from '$server/http/endpoint';
import { getRecordHistory } from '$server/api/records';

export const GET = respond(getRecordHistory);
