import { respond } from '$server/http/endpoint';
import { getRecord } from '$server/api/records';

export const GET = respond(getRecord);
