import { respond } from '$server/http/endpoint';
import { getRecord } from '$server/api/records';
import { patchRecord } from '$server/api/recordWrites';

export const GET = respond(getRecord);
export const PATCH = respond(patchRecord);
